"""Which goods a category and a shop show, and in which order: by hand, by category, by conditions."""
