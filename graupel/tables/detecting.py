"""What kind of file something is, told by what is in it and never by its name; and on which line its headers stand."""

import json
import re
import zipfile
from collections.abc import Callable, Sequence
from itertools import islice
from pathlib import Path

from graupel.core.errors import Refused
from graupel.tables import text
from graupel.tables.shapes import Kind, RawRow, Shape

HEAD_BYTES = 64_000
#: Headers stand on one of the first so many lines.
LOOKED_AT = 25
_PACKED, _OLD_SHEET, _GZIP = b"PK\x03\x04", b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1", b"\x1f\x8b"
#: How other files begin, and what they are called.
_OTHERS = {
    b"%PDF": "a PDF",
    b"\x89PNG": "a picture",
    b"\xff\xd8\xff": "a picture",
    b"GIF8": "a picture",
    b"Rar!": "a RAR archive",
    b"7z\xbc\xaf": "a 7z archive",
    b"SQLite format 3": "a database",
}
_NUMBER = re.compile(r"[-+€$£ ]*[0-9][0-9.,]*[ %€$£]*")


def is_zip(path: Path) -> bool:
    """Whether it is a zip that is no spreadsheet."""
    return _head(path).startswith(_PACKED) and not _is_sheet(path)


def is_gzip(path: Path) -> bool:
    """Whether it is packed by gzip."""
    return _head(path).startswith(_GZIP)


def kind(path: Path) -> Kind:
    """What a file is that is not packed. Raises Refused where it is no table."""
    head = _head(path)
    if not head.strip():
        raise Refused.because(
            "file.empty", "This file is empty. Choose one with a line of headers and rows below.", "file"
        )
    for begins, name in _OTHERS.items():
        if head.startswith(begins):
            raise Refused.because("file.not_table", f"This is {name}, not a table. Save the table as CSV.", "file")
    if head.startswith(_OLD_SHEET) or head.startswith(_PACKED):
        return Kind.SHEET
    start = head.removeprefix(b"\xef\xbb\xbf").lstrip()
    if start.startswith(b"<") or start.startswith((b"\xff\xfe<\0", b"\xfe\xff\0<")):
        return _markup(start)
    if start.startswith((b"{", b"[")):
        return _kind_of_json(start)
    return Kind.TEXT


def _head(path: Path) -> bytes:
    with path.open("rb") as file:
        return file.read(HEAD_BYTES)


def _is_sheet(path: Path) -> bool:
    try:
        with zipfile.ZipFile(path) as packed:
            names = set(islice(packed.namelist(), 5_000))
            if "[Content_Types].xml" in names and any(name.startswith("xl/") for name in names):
                return True
            return "mimetype" in names and b"opendocument.spreadsheet" in packed.read("mimetype")[:80]
    except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError, RuntimeError):
        return False


def _markup(start: bytes) -> Kind:
    if re.match(rb"<(!doctype html|html|head|body)\b", start.lower()):
        said = "This is a web page, not a table. Ask for the file that it leads to, and choose that."
        raise Refused.because("file.web_page", said, "file")
    return Kind.XML


def _kind_of_json(start: bytes) -> Kind:
    """An object on each line is JSON Lines; anything else is JSON. A row of text may begin so too: then it is text."""
    first, _, rest = start.partition(b"\n")
    try:
        whole = json.loads(first)
    except (ValueError, RecursionError):
        whole = None
    if isinstance(whole, dict) and (rest.lstrip().startswith(b"{") or not (rest.strip() or _has_rows(whole))):
        return Kind.LINES
    return Kind.JSON if re.match(rb"""[\[{]\s*(["{\[\]}]|$)""", start) else Kind.TEXT


def _has_rows(value: object) -> bool:
    """Whether an object holds a list of objects: then these are the rows, and it is none itself."""
    if isinstance(value, dict):
        return any(_has_rows(one) for one in value.values())
    return isinstance(value, list) and any(isinstance(one, dict) for one in value)


# --- headers -------------------------------------------------------------------------------------------------


def header_line(rows: Sequence[RawRow], knows: Callable[[Sequence[str]], int]) -> int:
    """The line on which the headers stand; 0 where there are none.

    ``rows``: the first ones; ``knows``: of how many cells of a row it is known what they head. Lines of a title stand
    before the headers at times, and data where there are none.
    """
    if not rows:
        return 0
    known = [(knows(row.cells), -place) for place, row in enumerate(rows)]
    most, place = max(known)
    if most >= 2 or (most and -place == 0):
        return rows[-place].line
    width = max(len([cell for cell in row.cells if cell.strip()]) for row in rows)
    first = next(row for row in rows if len([cell for cell in row.cells if cell.strip()]) >= max(1, width // 2))
    return 0 if any(_NUMBER.fullmatch(cell.strip()) for cell in first.cells) else first.line


def shape(path: Path, found: Kind) -> Shape:
    """How a file of a kind is read at first, but for its part and its headers."""
    return text.detect(path) if found is Kind.TEXT else Shape(found)
