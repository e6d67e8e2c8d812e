"""Relations: goods that belong together, and the kinds in which they do."""
