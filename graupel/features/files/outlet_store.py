"""The table of files that go by themselves."""

import json
from datetime import datetime
from typing import Any, cast

from graupel.db import Tx
from graupel.features.files.rows import OutletRow

_ROWS = """SELECT o.*, COALESCE(u.name, o.person) AS who FROM file_outlet o LEFT JOIN user u ON u.email = o.person"""


def every(tx: Tx) -> list[OutletRow]:
    """All of them, by name."""
    return [_read(row) for row in tx.all(f"{_ROWS} ORDER BY o.name, o.id")]


def read(tx: Tx, outlet_id: int, *, lock: bool = False) -> OutletRow | None:
    if lock:
        tx.value("SELECT id FROM file_outlet WHERE id = %s FOR UPDATE", [outlet_id])
    row = tx.one(f"{_ROWS} WHERE o.id = %s", [outlet_id])
    return _read(row) if row else None


def _read(row: dict[str, Any]) -> OutletRow:
    return cast(OutletRow, row | {"fields": json.loads(row["fields"])})


def is_taken(tx: Tx, name: str, by_other_than: int) -> bool:
    return bool(tx.value("SELECT 1 FROM file_outlet WHERE name = %s AND id <> %s", [name, by_other_than]))


def reach(tx: Tx, outlet_id: int, moment: datetime) -> None:
    """It is written at a set time."""
    tx.run("UPDATE file_outlet SET reached = %s WHERE id = %s", [moment, outlet_id])


def begin_anew(tx: Tx, outlet_id: int) -> None:
    """It is written otherwise from now on: what its time would have been before is over."""
    tx.run("UPDATE file_outlet SET reached = UTC_TIMESTAMP(3) WHERE id = %s", [outlet_id])


def note(tx: Tx, outlet_id: int, said: str, *, wrong: bool) -> None:
    """What came of writing it; only what was written well moves since when the file stands there."""
    tx.run(
        """UPDATE file_outlet SET said = %s, is_wrong = %s, written_at = IF(%s, written_at, UTC_TIMESTAMP(3))
           WHERE id = %s""",
        [said[:500], wrong, wrong, outlet_id],
    )
