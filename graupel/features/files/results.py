"""The rows of a file with what became of each, as a table: all of them, or those that are refused, to be mended and
brought in again."""

import json
import secrets
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

from graupel.context import Context
from graupel.core.errors import Refused
from graupel.core.roles import Actor, Role
from graupel.db import Tx
from graupel.features.files import service, taking, ways_in
from graupel.features.files.rows import ImportFileRow
from graupel.tables import reading, writing
from graupel.tables.going_out import Column
from graupel.tables.shapes import RawRow, Shape
from graupel.tables.writing import Out

#: What became of a row, or would, by its action.
SAID: Mapping[str, str] = {
    "new": "new",
    "changed": "changed",
    "unchanged": "unchanged",
    "refused": "refused",
    "moved": "left out: what it means changed after the dry run",
    "skipped": "left alone",
}
#: The formats in which rows go out as they came in.
OUTS = (Out.CSV, Out.XLSX, Out.ODS, Out.LINES)
SHEETS = (Out.XLSX, Out.ODS)
#: Somebody waits while they are written.
MOST_IN_A_SHEET = 100_000
_WIDER = "row.cells"


def told_of(row: ImportFileRow, *, refused: bool) -> int:
    """How many rows are told of a file."""
    counts = row["counts"] or {}
    return counts.get("refused", 0) if refused else sum(counts.get(action, 0) for action in SAID)


def write(ctx: Context, actor: Actor, file_id: int, out: Out, *, refused: bool) -> Path:
    """Write the rows in their original form, after the line of each, what became of it and why; returns where they
    lie, for the caller to remove.

    ``refused``: those alone, without what became of them. Raises NotFound, Refused, NoRoom.
    """
    actor.require(Role.VIEWER)
    row = service.read_row(ctx, file_id)
    if out in SHEETS and told_of(row, refused=refused) > MOST_IN_A_SHEET:
        said = f"A sheet of more than {MOST_IN_A_SHEET:,} rows takes too long to wait for. Take them as CSV."
        raise Refused.because("rows.many", said)
    path = ctx.folder("exports") / f"rows-{secrets.token_hex(8)}.{out}"

    def work(tx: Tx) -> None:
        told = ways_in.of(row).told(tx, file_id, "refused" if refused else "")
        table = reading.table(taking.path_of(ctx, row), ctx.folder("uploads"), Shape.of(row["shape"]))
        width = _width(ctx, row)
        heads = ["line", *(() if refused else ("what happened",)), "reason", *row["headers"]]
        heads += [""] * (width - len(row["headers"]))
        rows = _rows(table.rows, told, width, refused=refused)
        writing.write(path, out, [Column(head) for head in heads], rows)

    ctx.db.run(work)
    return path


def _width(ctx: Context, row: ImportFileRow) -> int:
    """How many cells the longest row has: more than there are headers only where some are refused for that."""
    width = len(row["headers"])
    if _WIDER not in {code for code, *_ in (row["overview"] or {}).get("reasons", ())}:
        return width
    table = reading.table(taking.path_of(ctx, row), ctx.folder("uploads"), Shape.of(row["shape"]))
    return max((len(raw.cells) for raw in table.rows), default=width)


def _rows(
    rows: Iterator[RawRow], told: Iterator[Mapping[str, Any]], width: int, *, refused: bool
) -> Iterator[list[str]]:
    """Both stand in the order of their lines."""
    raw = next(rows, None)
    for one in told:
        while raw is not None and raw.line < one["line"]:
            raw = next(rows, None)
        cells = raw.cells if raw is not None and raw.line == one["line"] else []
        why = " ".join(problem["message"] for problem in json.loads(one["problems"] or "[]"))
        happened = () if refused else (SAID[one["action"]],)
        yield [str(one["line"]), *happened, why, *cells, *[""] * (width - len(cells))]
