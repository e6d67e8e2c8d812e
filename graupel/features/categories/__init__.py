"""Where buyers browse: categories in a tree."""
