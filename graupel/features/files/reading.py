"""Delimited text as it comes: its encoding, its delimiter, its rows."""

import codecs
import csv
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import clevercsv
from charset_normalizer import from_bytes

from graupel.core.errors import Refused

SAMPLE_BYTES = 64_000
DELIMITERS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}
LONGEST_CELL = 1_000_000

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
    encoding = _encoding(head, path)
    if "\0" in head.decode(encoding, errors="ignore"):
        raise Refused.because(
            "file.not_text", "This is not a text file. Save the table as CSV and choose that file.", "file"
        )
    lines = head.decode(encoding, errors="ignore").splitlines()[:60]
    return TextShape(encoding, _delimiter("\n".join(lines)))


def _encoding(head: bytes, path: Path) -> str:
    for mark, name in (
        (codecs.BOM_UTF8, "utf-8-sig"),
        (codecs.BOM_UTF16_LE, "utf-16"),
        (codecs.BOM_UTF16_BE, "utf-16"),
    ):
        if head.startswith(mark):
            return name
    if _decodes(path, "utf-8"):
        return "utf-8"
    guess = from_bytes(head, cp_isolation=["cp1252", "iso-8859-15", "cp1250", "cp850", "mac_roman"]).best()
    return guess.encoding if guess else "cp1252"


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
    """All rows that are not blank, the headers first. Raises Refused where the file can't be read on."""
    at = 1
    try:
        with path.open(encoding=shape.encoding, newline="") as file:
            reader = csv.reader(file, delimiter=shape.delimiter)
            for cells in reader:
                if any(cell.strip() for cell in cells):
                    yield RawRow(at, cells)
                at = reader.line_num + 1
    except UnicodeDecodeError as error:
        raise Refused.because(
            "file.encoding",
            f"After line {at} stands something that is not {shape.encoding} text. "
            "Save the file as UTF-8 and choose it again.",
            "file",
        ) from error
    except csv.Error as error:
        raise Refused.because(
            "file.row", f"Line {at} can't be read ({error}). A quotation mark may not be closed.", "file"
        ) from error
