"""What a product's variants differ by: making them, the grid, setting their values."""
