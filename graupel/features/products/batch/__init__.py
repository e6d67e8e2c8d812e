"""Sets of rows on their way into the catalogue: loaded, planned, told, and written."""
