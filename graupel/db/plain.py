"""Rows of tables that are no declared records (db.declared): made and changed, their columns named by the values."""

from collections.abc import Mapping
from typing import Any

from graupel.db.connection import Tx


def insert(tx: Tx, table: str, values: Mapping[str, Any], *, once: bool = False) -> int:
    """Make a row; returns its id. ``once``: where one has the same key, nothing is made.

    ``table`` and the names of ``values`` are never what somebody sent.
    """
    bound = ", ".join(f"%({name})s" for name in values)
    return tx.insert(f"INSERT {'IGNORE ' if once else ''}INTO {table} ({', '.join(values)}) VALUES ({bound})", values)


def update(tx: Tx, table: str, row_id: int, values: Mapping[str, Any]) -> None:
    """Change a row."""
    sets = ", ".join(f"{name} = %({name})s" for name in values)
    tx.run(f"UPDATE {table} SET {sets} WHERE id = %(id)s", {**values, "id": row_id})
