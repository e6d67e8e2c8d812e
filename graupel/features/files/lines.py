"""The rows of a file, read as rows of goods."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from itertools import islice
from pathlib import Path
from typing import Protocol

from graupel.core import encodings, row_blocks
from graupel.core.errors import Refused
from graupel.core.imports import FileRow, RowReader
from graupel.core.problems import Problem
from graupel.core.row_blocks import RowBlock
from graupel.features.files.rows import ImportFileRow
from graupel.tables.reading import Table
from graupel.tables.shapes import RawRow

REPORT_EVERY = 2000
MOST_ROWS = 1_000_000
#: So many rows are read together.
AT_ONCE = 1_000


class Reads(Protocol):
    """What reads the cells of a row."""

    def read(self, cells: Sequence[str], line: int) -> FileRow:
        """What one row says."""


def count(path: Path) -> int:
    """How many lines a file has."""
    with path.open("rb") as file:
        return sum(block.count(b"\n") for block in iter(lambda: file.read(1 << 20), b""))


def read(row: ImportFileRow, table: Table, reader: Reads, report: Callable[[int], None]) -> Iterator[FileRow]:
    """The rows of a file as they were matched; ``report`` is told now and then how far it is. Raises Refused."""
    width = len(row["headers"])
    return (_read(row, raw, reader, width) for raw in _wanted(row, table, report))


def blocks(row: ImportFileRow, table: Table, reader: RowReader, report: Callable[[int], None]) -> Iterator[RowBlock]:
    """The same, many rows at a time."""
    width, left = len(row["headers"]), _wanted(row, table, report)
    while raws := list(islice(left, AT_ONCE)):
        if reader.by_columns:
            yield _block(row, raws, reader, width)
        else:
            yield RowBlock.of([_read(row, raw, reader, width) for raw in raws])


def _block(row: ImportFileRow, raws: Sequence[RawRow], reader: RowReader, width: int) -> RowBlock:
    if any(sign in text for text in map("".join, (raw.cells for raw in raws)) for sign in _STRANGE):
        return RowBlock.of([_read(row, raw, reader, width) for raw in raws])
    apart = {
        place: _read(row, raw, reader, width) for place, raw in enumerate(raws) if raw.trouble or len(raw.cells) > width
    }
    rows = [raw.cells if len(raw.cells) >= width else [*raw.cells, *[""] * (width - len(raw.cells))] for raw in raws]
    return row_blocks.read(reader, rows, [raw.line for raw in raws], apart)


def _wanted(row: ImportFileRow, table: Table, report: Callable[[int], None]) -> Iterator[RawRow]:
    wanted = None if row["only_lines"] is None else set(row["only_lines"])
    for number, raw in enumerate(table.rows):
        if wanted is not None and raw.line not in wanted:
            continue
        if number >= MOST_ROWS:
            raise Refused.because(
                "file.too_many_rows", f"More than {MOST_ROWS:,} rows can't be brought in at once.", "file"
            )
        if number % REPORT_EVERY == 0:
            report(raw.line)
        yield raw


def _read(row: ImportFileRow, raw: RawRow, reader: Reads, width: int) -> FileRow:
    if raw.trouble:
        return FileRow(raw.line, "", problems=(Problem("row.unreadable", raw.trouble, row=raw.line),))
    said = reader.read(raw.cells, raw.line)
    if len(raw.cells) > width:
        return FileRow(raw.line, said.sku, problems=(_too_many(raw, width),))
    together = "".join(raw.cells)
    for sign, problem in _STRANGE.items():
        if sign in together:
            return FileRow(raw.line, said.sku.replace(sign, ""), problems=(problem(row, raw),))
    return said


def _too_many(raw: RawRow, width: int) -> Problem:
    return Problem(
        "row.cells",
        f"This row has {len(raw.cells)} cells, but there are {width} headers. "
        "A cell with the delimiter in it may lack its quotation marks.",
        row=raw.line,
    )


def _unreadable(row: ImportFileRow, raw: RawRow) -> Problem:
    return Problem(
        "row.signs",
        f"In {_where(row, raw, chr(0xFFFD))} stands a sign that is not "
        f"{encodings.ENCODINGS.get(row['shape'].get('encoding', ''), 'readable')}. "
        "Mend it in the file, or choose another encoding.",
        row=raw.line,
    )


def _nothing(row: ImportFileRow, raw: RawRow) -> Problem:
    said = f"In {_where(row, raw, chr(0))} stands a sign that stands for nothing (NUL). Take it out of the file."
    return Problem("row.nul", said, row=raw.line)


def _where(row: ImportFileRow, raw: RawRow, sign: str) -> str:
    cells = zip(row["headers"], raw.cells, strict=False)
    return ", ".join(header or "a column without a header" for header, cell in cells if sign in cell)[:200]


#: Signs that no cell may hold, and what is said of them.
_STRANGE: Mapping[str, Callable[[ImportFileRow, RawRow], Problem]] = {"\ufffd": _unreadable, "\0": _nothing}
