"""The fields of every kind of record, a module an area."""
