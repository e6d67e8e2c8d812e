"""Rows of a file whose SKU may have stood before: kept back until the rows before them are in the batch, and then said
of each whether it is so."""

from collections import deque
from collections.abc import Sequence
from dataclasses import replace

from graupel.core.imports import FileRow
from graupel.core.problems import Problem
from graupel.core.repeated import Repeated
from graupel.db import Tx
from graupel.db.loading import load_rows

#: So many are kept in memory; most files have none.
_MOST = 10_000


class KeptBack:
    """The rows of one file that may stand twice. They are found in one thread and judged in another."""

    def __init__(self) -> None:
        self._skus = Repeated()
        self._rows: deque[FileRow] = deque()

    def among(self, skus: Sequence[str]) -> set[int]:
        """The places of those of the next rows that may stand twice; "" where there is none."""
        places = [place for place, sku in enumerate(skus) if sku]
        found = self._skus.among([skus[place].lower() for place in places])
        return {places[one] for one in found}

    def keep(self, row: FileRow) -> None:
        """Keep a row back, in the order of the file."""
        self._rows.append(row)

    def judged(self, tx: Tx, batch_id: int, *, all_loaded: bool) -> list[FileRow]:
        """Rows with what is wrong with them, no longer kept back: those before which all is in the batch; none where
        they are still so few that it can wait."""
        if not self._rows or (len(self._rows) < _MOST and not all_loaded):
            return []
        last = int(tx.value("SELECT COALESCE(MAX(line), 0) FROM batch_row WHERE batch_id = %s", [batch_id]))
        rows = []
        while self._rows and (all_loaded or self._rows[0].line <= last):
            rows.append(self._rows.popleft())
        first = _first_lines(tx, batch_id, {row.sku.lower() for row in rows})
        return [_judged(row, first.setdefault(row.sku.lower(), row.line)) for row in rows]


def _first_lines(tx: Tx, batch_id: int, skus: set[str]) -> dict[str, int]:
    """By SKU, in small letters, the first line in which it stands in the batch."""
    kept = "sku VARCHAR(64) COLLATE utf8mb4_bin NOT NULL PRIMARY KEY"
    tx.run(f"CREATE OR REPLACE TEMPORARY TABLE batch_doubled ({kept}) CHARSET utf8mb4")
    load_rows(tx, "batch_doubled", ["sku"], ([sku] for sku in skus if len(sku) <= 64))
    rows = tx.all(
        """SELECT d.sku, MIN(b.line) AS line FROM batch_row b STRAIGHT_JOIN batch_doubled d
             ON d.sku = LOWER(b.shown_sku) COLLATE utf8mb4_bin
           WHERE b.batch_id = %s GROUP BY d.sku""",
        [batch_id],
    )
    tx.run("DROP TEMPORARY TABLE batch_doubled")
    return {row["sku"]: row["line"] for row in rows}


def _judged(row: FileRow, first: int) -> FileRow:
    if first == row.line:
        return row
    said = f"“{row.sku}” stands in line {first} already. Keep one of the two."
    return replace(row, problems=(*row.problems, Problem("sku.twice", said, "sku", row.line)))
