"""The areas, one folder each."""
