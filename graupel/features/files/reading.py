"""Delimited text as it comes: its encoding, its delimiter, its rows."""

import csv
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import clevercsv

from graupel.core import encodings
from graupel.core.cells import as_was
from graupel.core.errors import Refused

SAMPLE_BYTES = 64_000
DELIMITERS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}
LONGEST_CELL = 1_000_000
#: No text of goods has more lines.
MOST_LINES = 2_000

csv.field_size_limit(LONGEST_CELL)


@dataclass(frozen=True)
class TextShape:
    """How a file is to be read."""

    encoding: str
    delimiter: str


def detect(path: Path) -> TextShape:
    """Encoding and delimiter, from the file's beginning. Raises Refused where it is no text."""
    with path.open("rb") as file:
        head = file.read(SAMPLE_BYTES)
    if not head.strip():
        raise Refused.because(
            "file.empty", "This file is empty. Choose one with a line of headers and rows below.", "file"
        )
    return TextShape(encoding := _encoding(head, path), _delimiter(_sample(head, encoding)))


def _encoding(head: bytes, path: Path) -> str:
    """What it is written in. Raises Refused where it is no text."""
    encoding = encodings.detect(head, whole_is_utf8=_decodes(path, "utf-8"))
    if "\0" in head.decode(encoding, errors="ignore"):
        raise Refused.because(
            "file.not_text", "This is not a text file. Save the table as CSV and choose that file.", "file"
        )
    return encoding


def _sample(head: bytes, encoding: str) -> str:
    return "\n".join(head.decode(encoding, errors="ignore").splitlines()[:60])


def _decodes(path: Path, encoding: str) -> bool:
    try:
        with path.open(encoding=encoding) as file:
            while file.read(1 << 20):
                pass
    except UnicodeDecodeError:
        return False
    return True


def _delimiter(sample: str) -> str:
    header = sample.partition("\n")[0]
    present = [mark for mark in DELIMITERS if mark in header]
    if len(present) <= 1:
        return present[0] if present else ","
    try:
        dialect = clevercsv.Sniffer().sniff(sample, delimiters="".join(present))
        found = dialect.delimiter if dialect else ""
    except clevercsv.Error:
        found = ""
    return found if found in present else max(present, key=header.count)


@dataclass(frozen=True)
class RawRow:
    """Cells of one row, and the line in the file on which it begins."""

    line: int
    cells: list[str]


def rows(path: Path, shape: TextShape) -> Iterator[RawRow]:
    """All rows that are not blank, the headers first. Raises Refused where the file can't be read on.

    A sign that the encoding has not is U+FFFD in its cell, for the one who looks at the row to say.
    """
    at, width = 1, 0
    try:
        with path.open(encoding=shape.encoding, errors="replace", newline="") as file:
            reader = csv.reader(file, delimiter=shape.delimiter)
            for cells in reader:
                if any(cell.strip() for cell in cells):
                    width = width or len(cells)
                    _refuse_swallowed(cells, at, width, shape.delimiter)
                    yield RawRow(at, [as_was(cell) for cell in cells])
                at = reader.line_num + 1
    except csv.Error as error:
        raise Refused.because(
            "file.row", f"Line {at} can't be read ({error}). A quotation mark may not be closed.", "file"
        ) from error
    except UnicodeError as error:
        raise Refused.because(
            "file.encoding",
            "This can't be read in that encoding. Choose another one, or save it as UTF-8.",
            "file",
        ) from error


def _refuse_swallowed(cells: list[str], line: int, width: int, delimiter: str) -> None:
    """A quotation mark that is not closed makes one cell of whole rows. Raises Refused."""
    for cell in cells:
        if "\n" not in cell and "\r" not in cell:
            continue
        lines = cell.splitlines()
        swallowed = sum(one.count(delimiter) >= width - 1 for one in lines[1:]) if width > 1 else 0
        if swallowed or len(lines) > MOST_LINES:
            raise Refused.because(
                "file.quote",
                f"In line {line} a quotation mark is opened that is closed only {len(lines) - 1} lines later, so that "
                "rows stand in one cell. Close it, or take it out.",
                "file",
            )
