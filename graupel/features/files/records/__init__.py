"""Files whose rows are no goods: how each kind of record stands and is written (a module each), their dry run and their
applying (planning.py), and how they go out (out.py)."""
