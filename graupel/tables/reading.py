"""The one way to read a table: what it is, its headers, its rows.

``Folder`` is where unpacked and unfolded files lie, named by what they were made of, so each is made once.
"""

import csv
import hashlib
import io
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from itertools import islice
from pathlib import Path

from graupel import apart, storage
from graupel.core.errors import Refused
from graupel.tables import detecting, nested, packed, sheets, text
from graupel.tables.shapes import Found, Kind, RawRow, Shape

Knows = Callable[[Sequence[str]], int]
#: Unfolding may take so long, in seconds.
LONGEST = 1800.0
#: How a line at the end begins that adds up what stands above it.
_TOTALS = frozenset(("total", "totals", "grand total", "sum", "summe", "gesamt", "gesamtsumme", "insgesamt"))
#: What stands before the cells of an unfolded row: its place, and why it can't be read.
_BEFORE = 2


@dataclass
class Table:
    """A table that is read: its headers, its rows once, and what was passed over on the way.

    ``passed``: lines by why they are no rows: "title" before the headers, "header" where these stand again, "total".
    """

    headers: list[str]
    rows: Iterator[RawRow]
    passed: dict[str, list[int]] = field(default_factory=dict)


def find(path: Path, folder: Path, knows: Knows, wanted: Shape | None = None) -> Found:
    """What a file is and how it is read at first; ``wanted``: with these choices of its member or part instead.

    Raises Refused where it is no table.
    """
    members: list[str] = []
    member = ""
    if detecting.is_zip(path):
        members = packed.members(path)
        member = wanted.member if wanted and wanted.member else members[0]
    plain = _plain(path, folder, member)
    kind = detecting.kind(plain)
    shape = replace(detecting.shape(plain, kind), member=member)
    parts: list[str] = []
    if kind not in (Kind.TEXT, Kind.LINES):
        parts = _apart(_parts, plain, kind)
        asked = wanted.part if wanted else ""
        shape = replace(shape, part=asked if asked in parts else parts[0])
    return Found(with_header(path, folder, shape, knows), tuple(parts), tuple(members))


def with_header(path: Path, folder: Path, shape: Shape, knows: Knows) -> Shape:
    """The same with the line on which its headers stand, looked for anew."""
    if shape.kind not in (Kind.TEXT, Kind.SHEET):
        return replace(shape, header=1)
    return replace(
        shape, header=detecting.header_line(list(islice(raw(path, folder, shape), detecting.LOOKED_AT)), knows)
    )


def table(path: Path, folder: Path, shape: Shape) -> Table:
    """The table in a file. Raises Refused, now or while its rows are read, where it can't be read on."""
    rows = raw(path, folder, shape)
    if not shape.header:
        first = next(rows, None)
        width = len(first.cells) if first else 0
        found = Table([""] * width, iter(()))
        found.rows = _rows(_again(first, rows), found)
        return found
    found = Table([], iter(()))
    for row in rows:
        if row.line >= shape.header or shape.kind not in (Kind.TEXT, Kind.SHEET):
            found.headers = [cell.strip() for cell in row.cells]
            break
        found.passed.setdefault("title", []).append(row.line)
    found.rows = _rows(rows, found)
    return found


def _again(first: RawRow | None, rows: Iterator[RawRow]) -> Iterator[RawRow]:
    if first:
        yield first
    yield from rows


def _rows(rows: Iterator[RawRow], found: Table) -> Iterator[RawRow]:
    """The rows, but those that say the headers again, and the line of totals at the end."""
    heads = [cell.casefold() for cell in found.headers]
    repeats = any(heads)
    held: RawRow | None = None  # what may be a line of totals: told once it is known whether more comes
    for row in rows:
        if held:
            yield held
            held = None
        first = row.cells[0].strip().casefold()
        if repeats and first == heads[0] and [cell.strip().casefold() for cell in row.cells] == heads:
            found.passed.setdefault("header", []).append(row.line)
        elif (not first or first.rstrip(":") in _TOTALS) and _may_be_total(row):
            held = row
        else:
            yield row
    if held:
        found.passed["total"] = [held.line]


def _may_be_total(row: RawRow) -> bool:
    words = [cell.strip().rstrip(":").casefold() for cell in row.cells if cell.strip()]
    return len(words) > 1 and words[0] in _TOTALS and any(sign.isdigit() for word in words[1:] for sign in word)


def raw(path: Path, folder: Path, shape: Shape) -> Iterator[RawRow]:
    """All rows with the headers among them; of what has none of its own the first gives the columns."""
    plain = stands_in(path, folder, shape)
    return text.rows(plain, shape) if shape.kind is Kind.TEXT else _unfolded(plain)


def stands_in(path: Path, folder: Path, shape: Shape) -> Path:
    """The file in which its rows stand as delimited text, unpacked and unfolded. Raises Refused."""
    plain = _plain(path, folder, shape.member)
    return plain if shape.kind is Kind.TEXT else _unfold(plain, folder, shape)


# --- unpacked and unfolded -----------------------------------------------------------------------------------


def _plain(path: Path, folder: Path, member: str) -> Path:
    """The file that is not packed."""
    if not member and not detecting.is_gzip(path):
        return path
    plain = folder / f"unpacked-{_key(path.name, member)}"
    if not plain.exists():
        packed.unpack(path, member, plain)
    return plain


def _unfold(plain: Path, folder: Path, shape: Shape) -> Path:
    to = folder / f"unfolded-{_key(plain.name, shape.kind, shape.part)}.csv"
    if not to.exists():
        _apart(_write_unfolded, plain, shape.kind, shape.part, to)
    return to


def _key(*said: str) -> str:
    return hashlib.sha256("\0".join(said).encode("utf-8", "replace")).hexdigest()[:40]


def _apart(work: Callable[..., "list[str]"] | Callable[..., None], *given: object) -> "list[str]":
    """Done in a process of its own. Raises Refused where that took too much."""
    try:
        return apart.do(work, *given, seconds=LONGEST) or []
    except apart.GaveUp as error:
        said = "This file takes more memory or time than it may. Save the table as CSV, or in several files."
        raise Refused.because("file.too_much", said, "file") from error


def _parts(plain: Path, kind: Kind) -> list[str]:
    return sheets.parts(plain) if kind is Kind.SHEET else nested.parts(plain, kind)


def _write_unfolded(plain: Path, kind: Kind, part: str, to: Path) -> None:
    """The rows as delimited text of ours, each after its place and its trouble; the first has the headers."""
    with storage.aside(to) as raw_file:
        file = io.TextIOWrapper(raw_file, "utf-8", errors="replace", newline="")
        writer = csv.writer(file)
        if kind is Kind.SHEET:
            writer.writerows([row.line, row.trouble, *row.cells] for row in sheets.rows(plain, part))
        else:
            _write_flat(writer, plain, kind, part)
        file.flush()
        file.detach()


def _write_flat(writer, plain: Path, kind: Kind, part: str) -> None:  # type: ignore[no-untyped-def]  # csv gives its type no name
    columns: dict[str, int] = {}
    for _, _, one in nested.rows(plain, kind, part):
        for name in one:
            columns.setdefault(name, len(columns))
        if len(columns) > nested.MOST_COLUMNS:
            said = f"This table has more than {nested.MOST_COLUMNS:,} columns. Take out of the file what is no table."
            raise Refused.because("file.columns", said, "file")
    if not columns:
        raise Refused.because("file.no_rows", "No row with a value was found in this file.", "file")
    writer.writerow([0, "", *columns])
    names = list(columns)
    for place, trouble, one in nested.rows(plain, kind, part):
        writer.writerow([place, trouble, *(one.get(name, "") for name in names)])


def _unfolded(path: Path) -> Iterator[RawRow]:
    with path.open(encoding="utf-8", newline="") as file:
        for cells in csv.reader(file):
            yield RawRow(int(cells[0]), cells[_BEFORE:], cells[1])
