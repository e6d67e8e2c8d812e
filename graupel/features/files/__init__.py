"""Files in and out of the catalogue."""
