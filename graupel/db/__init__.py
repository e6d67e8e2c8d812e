"""The database: the only package that speaks to it through a driver."""

from graupel.db.connection import Database, Tx, forget_marks, like, like_sql
from graupel.db.errors import ActTakenOver, DatabaseBusy, DatabaseUnavailable, DuplicateKey, StillNeeded
from graupel.db.migrate import migrate, pending

__all__ = [
    "ActTakenOver",
    "Database",
    "DatabaseBusy",
    "DatabaseUnavailable",
    "DuplicateKey",
    "StillNeeded",
    "Tx",
    "forget_marks",
    "like",
    "like_sql",
    "migrate",
    "pending",
]
