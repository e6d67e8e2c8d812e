"""The first page: what waits for somebody, what runs, and what changed lately."""
