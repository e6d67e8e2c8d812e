"""Large sheets of an XLSX (ECMA-376, part 1), read row by row, in memory that stays the same.

What surrounds the rows is read by openpyxl; the rows are read here, in a quarter of the time.
"""

import re
import warnings
from collections.abc import Iterator
from pathlib import Path
from typing import IO, Any

from lxml import etree

#: Its sheets are files whose names begin so.
SHEETS = "xl/worksheets/"
_MAIN = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"
_ROW, _VALUE, _INLINE, _TEXT, _RUN = (f"{_MAIN}{name}" for name in ("row", "v", "is", "t", "r"))
#: A sheet has no more (ECMA-376 sets no limit, spreadsheets keep to this).
_MOST_ROWS, _MOST_COLUMNS = 1_048_576, 16_384
#: A sign that XML can't hold, by its number (22.9.2.19, ST_Xstring).
_NUMBERED = re.compile("_x([0-9A-Fa-f]{4})_")


def rows(path: Path, part: str) -> Iterator[tuple[int, list[Any]]]:
    """The values of each row of a sheet, with its number from 1 on; the longer rows are, the more has one. None where
    there is nothing, and where a formula went wrong. Raises KeyError where there is no such sheet, and what is wrong
    with the file as LookupError, ValueError, zlib.error, zipfile.BadZipFile or SyntaxError."""
    # Only here, because it costs every process a third of a second and 16 MB, and hardly any file needs it.
    from openpyxl.reader.excel import ExcelReader
    from openpyxl.styles.stylesheet import apply_stylesheet

    with warnings.catch_warnings(action="ignore"):  # of what a workbook holds beside values
        frame = ExcelReader(path, read_only=True, data_only=True, keep_links=False)
        # All of its reading but that of the sheets, which would go through each to its end.
        frame.read_manifest()
        frame.read_strings()
        frame.read_workbook()
        apply_stylesheet(frame.archive, frame.wb)
    where = {sheet.name: relation.target for sheet, relation in frame.parser.find_sheets()}
    cells = _Cells(frame.shared_strings, frame.wb._date_formats, frame.wb._timedelta_formats, frame.wb.epoch)
    with frame.archive, frame.archive.open(where[part]) as content:
        yield from _rows(content, cells)


def _rows(content: IO[bytes], cells: "_Cells") -> Iterator[tuple[int, list[Any]]]:
    number = 0
    parsed = etree.iterparse(content, tag=_ROW, resolve_entities=False, no_network=True, huge_tree=True)
    for _, row in parsed:
        at = int(row.get("r", number + 1))
        if at > _MOST_ROWS:
            raise ValueError(f"row {at}")
        yield at, cells.of_row(row)
        number = max(at, number)
        row.clear()
        while row.getprevious() is not None:  # or all rows would be held, each without its cells
            del row.getparent()[0]


class _Cells:
    """Makes values of the cells of a workbook; those of ``dates`` and ``spans`` are styles whose numbers are such."""

    def __init__(self, texts: list[str], dates: set[int], spans: set[int], epoch: Any) -> None:
        from openpyxl.utils import datetime

        self._texts, self._dates, self._spans, self._epoch, self._times = texts, dates, spans, epoch, datetime

    def of_row(self, row: Any) -> list[Any]:
        """The values of one row, each in its column."""
        found: list[Any] = []
        for cell in row:
            place = cell.get("r")
            column = _column(place) if place else len(found)
            if len(found) < column <= _MOST_COLUMNS:
                found += [None] * (column - len(found))
            found.append(self._value(cell))
        return found

    def _value(self, cell: Any) -> Any:
        kind = cell.get("t", "n")
        inside = {one.tag: one for one in cell}
        if kind == "inlineStr":
            return _written(inside[_INLINE]) if _INLINE in inside else None
        said = inside[_VALUE].text if _VALUE in inside else None
        if said is None or kind == "e":
            return None
        if kind == "n":
            return self._number(said, cell.get("s"))
        if kind == "s":
            return self._texts[int(said)]
        if kind == "b":
            return said.strip() not in ("0", "false")
        return self._times.from_ISO8601(said) if kind == "d" else _plain(said)

    def _number(self, said: str, style: str | None) -> Any:
        value = float(said)
        if style is None or int(style) not in self._dates:
            return value
        try:
            return self._times.from_excel(value, self._epoch, timedelta=int(style) in self._spans)
        except (OverflowError, ValueError):
            return None


def _column(place: str) -> int:
    """The number of a column, from 0, by a cell's name such as BC12."""
    number = 0
    for sign in place.rstrip("0123456789"):
        number = number * 26 + ord(sign.upper()) - 64
    return number - 1


def _written(inline: Any) -> str:
    """A text that stands in its cell, whole or in runs."""
    if len(inline) == 1 and inline[0].tag == _TEXT:
        return _plain(inline[0].text or "")
    return _plain("".join(one.findtext(_TEXT, "") for one in inline if one.tag == _RUN))


def _plain(text: str) -> str:
    """A text with the signs that are written by their numbers."""
    return _NUMBERED.sub(lambda found: chr(int(found[1], 16)), text) if "_x" in text else text
