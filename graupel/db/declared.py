"""Rows of records as they are declared (core.records): made, changed, taken away."""

from collections.abc import Mapping
from typing import Any

from graupel.core.records import Record
from graupel.db.connection import Tx


def insert(tx: Tx, record: Record, values: Mapping[str, Any]) -> int:
    """Make a record; returns its id. Fields that are not among ``values`` hold what their column does by itself."""
    names = [name for name in record.columns() if name in values]
    bound = ", ".join(f"%({name})s" for name in names)
    return tx.insert(f"INSERT INTO {record.plain} ({', '.join(names)}) VALUES ({bound})", values)


def update(tx: Tx, record: Record, row_id: int, values: Mapping[str, Any]) -> None:
    """Change fields of a record, and its version."""
    sets = ", ".join(f"{name} = %({name})s" for name in record.columns() if name in values)
    tx.run(f"UPDATE {record.plain} SET {sets}, version = version + 1 WHERE id = %(id)s", {**values, "id": row_id})


def delete(tx: Tx, record: Record, row_id: int) -> None:
    """Take a record away."""
    tx.run(f"DELETE FROM {record.plain} WHERE id = %s", [row_id])
