"""The rows of all categories, kept in memory: after a change only what it touched is read anew.

What results is held against the table's own sums (store.state), so that rows which a transaction saw that was then
rolled back, or a change that was missed, can't stay: then everything is read.
"""

import threading
from collections.abc import Mapping, Sequence
from typing import Any

from graupel.db import Tx
from graupel.features.categories import store
from graupel.features.history import service as history

Row = Mapping[str, Any]
#: So many of the newest change sets are looked through for those that are not taken in yet.
LOOKED_THROUGH = 200
#: Where more categories changed, reading everything anew is quicker.
MOST_TAKEN_IN = 2000


class RowKeeper:
    """One for a process."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._rows: dict[int, Row] = {}
        self._known: frozenset[int] = frozenset()

    def rows(self, tx: Tx, state: str) -> list[Row]:
        """All categories as the transaction sees them, by place and name; ``state``: the table's, as it sees it."""
        newest = history.newest_ids(tx, LOOKED_THROUGH)
        with self._lock:
            rows, known = self._rows, self._known
        new = [one for one in newest if one not in known]
        found = self._taken_in(tx, rows, new) if len(new) < LOOKED_THROUGH else None
        if found is None or _sums(found) != state.split(" ", 1)[0]:
            found = {row["id"]: row for row in store.all_rows(tx)}
        with self._lock:
            self._rows, self._known = found, frozenset(newest)
        return sorted(found.values(), key=lambda row: (row["position"], row["name"]))

    def _taken_in(self, tx: Tx, rows: dict[int, Row], new: Sequence[int]) -> dict[int, Row] | None:
        """The rows with what some change sets touched read anew; None where that is too much."""
        touched = store.touched(tx, new, MOST_TAKEN_IN + 1)
        if len(touched) > MOST_TAKEN_IN:
            return None
        now = {row["id"]: row for row in store.rows_of(tx, touched)}
        gone = {one for one in touched if one not in now}
        return {key: row for key, row in rows.items() if key not in gone} | now


def _sums(rows: Mapping[int, Row]) -> str:
    """What store.state says of these categories."""
    versions = sum(row["version"] for row in rows.values())
    return f"{len(rows)}-{max(rows, default=None)}-{versions if rows else None}"
