"""The lines of a file, read as rows of goods."""

from collections.abc import Callable, Iterator
from pathlib import Path

from graupel.core import encodings, imports
from graupel.core.errors import Refused
from graupel.core.imports import FileRow
from graupel.core.problems import Problem
from graupel.features.files import reading
from graupel.features.files.reading import RawRow, TextShape
from graupel.features.files.rows import ImportFileRow

REPORT_EVERY = 2000
MOST_ROWS = 1_000_000


def count(path: Path) -> int:
    """How many lines a file has."""
    with path.open("rb") as file:
        return sum(block.count(b"\n") for block in iter(lambda: file.read(1 << 20), b""))


def read(
    row: ImportFileRow, path: Path, shape: TextShape, currency: str, report: Callable[[int], None]
) -> Iterator[FileRow]:
    """The rows of a file as they were matched; ``report`` is told now and then how far it is. Raises Refused."""
    columns: dict[str, int] = row["columns"]
    width = len(row["headers"])
    rows = reading.rows(path, shape)
    next(rows, None)
    wanted = None if row["only_lines"] is None else set(row["only_lines"])
    for number, raw in enumerate(rows):
        if wanted is not None and raw.line not in wanted:
            continue
        if number >= MOST_ROWS:
            raise Refused.because(
                "file.too_many_rows", f"More than {MOST_ROWS:,} rows can't be brought in at once.", "file"
            )
        if number % REPORT_EVERY == 0:
            report(raw.line)
        read_row = imports.read_row(raw.cells, columns, raw.line, currency)
        if len(raw.cells) > width:
            too_many = Problem(
                "row.cells",
                f"This row has {len(raw.cells)} cells, but there are {width} headers. "
                "A cell with the delimiter in it may lack its quotation marks.",
                row=raw.line,
            )
            read_row = FileRow(raw.line, read_row.sku, problems=(too_many,))
        elif any("\ufffd" in cell for cell in raw.cells):
            read_row = FileRow(raw.line, read_row.sku, problems=(_unreadable(row, raw),))
        yield read_row


def _unreadable(row: ImportFileRow, raw: RawRow) -> Problem:
    places = [header for header, cell in zip(row["headers"], raw.cells, strict=False) if "\ufffd" in cell]
    return Problem(
        "row.signs",
        f"In {', '.join(places[:3])} stands a sign that is not {encodings.ENCODINGS.get(row['encoding'], 'readable')}. "
        "Mend it in the file, or choose another encoding.",
        row=raw.line,
    )
