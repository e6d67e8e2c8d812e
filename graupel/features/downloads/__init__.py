"""Downloads: files that are given with products, with versions, limits and links of their own."""
