"""The database: the only package that speaks to it through a driver."""

from graupel.db.connection import Database, DatabaseUnavailable, DuplicateKey, Tx, like
from graupel.db.migrate import migrate, pending

__all__ = ["Database", "DatabaseUnavailable", "DuplicateKey", "Tx", "like", "migrate", "pending"]
