"""Delimited text: its encoding, delimiter and quotation marks, and its rows."""

import csv
from collections.abc import Iterable, Iterator
from pathlib import Path

from graupel.core import encodings
from graupel.core.cells import as_was
from graupel.core.errors import Refused
from graupel.tables.shapes import DELIMITERS, LONGEST_CELL, RawRow, Shape

SAMPLE_BYTES = 64_000
#: A delimiter has at most so many signs.
LONGEST_DELIMITER = 5
#: No text of goods has more lines.
MOST_LINES = 2_000
#: Stands for a delimiter of several signs while a line is taken apart; no text has it (ASCII's unit separator).
_ONE_SIGN = "\x1f"

csv.field_size_limit(LONGEST_CELL)


def detect(path: Path) -> Shape:
    """Encoding, delimiter and quotation marks, from the file's beginning. Raises Refused where it is no text."""
    with path.open("rb") as file:
        head = file.read(SAMPLE_BYTES)
    encoding = _encoding(head, path)
    sample = "\n".join(head.decode(encoding, errors="ignore").splitlines()[:60])
    delimiter = _delimiter(sample)
    return Shape(encoding=encoding, delimiter=delimiter, quote=_quote(sample, delimiter))


def _encoding(head: bytes, path: Path) -> str:
    """What it is written in. Raises Refused where it is no text."""
    encoding = encodings.detect(head, whole_is_utf8=_decodes(path, "utf-8"))
    said = head.decode(encoding, errors="ignore")
    control = sum(said.count(chr(sign)) for sign in range(32) if chr(sign) not in "\t\n\r\f")
    if control * 100 > len(said):  # a few among letters are slips, and refuse their rows alone
        raise Refused.because(
            "file.not_text", "This is not a text file. Save the table as CSV and choose that file.", "file"
        )
    return encoding


def _decodes(path: Path, encoding: str) -> bool:
    try:
        with path.open(encoding=encoding) as file:
            while file.read(1 << 20):
                pass
    except UnicodeDecodeError:
        return False
    return True


def _delimiter(sample: str) -> str:
    header = next((line for line in sample.splitlines() if any(mark in line for mark in DELIMITERS)), "")
    present = [mark for mark in DELIMITERS if mark in header]
    if len(present) == 1 and (doubled := _several(present[0], sample)):
        return doubled
    if len(present) <= 1:
        return present[0] if present else ","
    try:
        import clevercsv  # looks at every sign there is as it is imported, which no other process should wait for

        dialect = clevercsv.Sniffer().sniff(sample, delimiters="".join(present))
        found = dialect.delimiter if dialect else ""
    except clevercsv.Error:
        found = ""
    return found if found in present else max(present, key=header.count)


def _several(mark: str, sample: str) -> str:
    """A delimiter of two or three equal signs, where none of them ever stands alone; "" where it is one sign."""
    for times in (3, 2):
        run = mark * times
        lines = [line for line in sample.splitlines() if mark in line]
        if lines and all(run in line and mark not in line.replace(run, "") for line in lines):
            return run
    return ""


def _quote(sample: str, delimiter: str) -> str:
    """Apostrophes, where cells begin with them and none with quotation marks."""
    lines = sample.splitlines()
    begins = [cell.strip()[:1] for line in lines for cell in line.split(delimiter)]
    ends = [cell.strip()[-1:] for line in lines for cell in line.split(delimiter)]
    return "'" if '"' not in begins and begins.count("'") > len(lines) / 2 and ends.count("'") > len(lines) / 2 else '"'


def rows(path: Path, shape: Shape) -> Iterator[RawRow]:
    """All rows that are not blank. Raises Refused where the file can't be read on.

    A sign that the encoding has not is U+FFFD in its cell, for the one who looks at the row to say.
    """
    at, width = 1, 0
    several = len(shape.delimiter) > 1
    try:
        with path.open(encoding=shape.encoding, errors="replace", newline="") as file:
            lines: Iterable[str] = (line.replace(shape.delimiter, _ONE_SIGN) for line in file) if several else file
            reader = _reader(lines, _ONE_SIGN if several else shape.delimiter, shape.quote)
            for cells in reader:
                if any(map(str.strip, cells)):
                    if several:
                        cells = [cell.replace(_ONE_SIGN, shape.delimiter) for cell in cells]
                    width = width or len(cells)
                    if reader.line_num > at:
                        _refuse_swallowed(cells, at, width, shape.delimiter)
                    yield RawRow(at, [as_was(cell) if cell[:1] == "'" else cell for cell in cells])
                at = reader.line_num + 1
    except csv.Error as error:
        raise Refused.because("file.row", _unreadable(at, error), "file") from error
    except UnicodeError as error:
        raise Refused.because(
            "file.encoding", "This can't be read in that encoding. Choose another one, or save it as UTF-8.", "file"
        ) from error


def _reader(lines: Iterable[str], delimiter: str, quote: str):  # type: ignore[no-untyped-def]  # csv gives its type no name
    if not quote:
        return csv.reader(lines, delimiter=delimiter, quoting=csv.QUOTE_NONE)
    return csv.reader(lines, delimiter=delimiter, quotechar=quote)


def _unreadable(line: int, error: csv.Error) -> str:
    if "field larger" in str(error):
        return (
            f"In line {line} begins a cell of more than {LONGEST_CELL:,} signs. Shorten it, or close a quotation mark "
            "that is open there."
        )
    return f"Line {line} can't be read ({error}). A quotation mark may not be closed."


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
