"""Large sheets of an ODS (OpenDocument 1.3, part 3), read row by row, in memory that stays the same."""

import re
import zipfile
from collections.abc import Iterator
from datetime import date, datetime, time
from pathlib import Path
from typing import IO, Any

from lxml import etree

#: In a file of this name stands all of a document.
CONTENT = "content.xml"
_OFFICE, _TABLE, _TEXT, _STYLE = (
    f"{{urn:oasis:names:tc:opendocument:xmlns:{name}:1.0}}" for name in ("office", "table", "text", "style")
)
_SHEET, _ROW, _CELLS = f"{_TABLE}table", f"{_TABLE}table-row", {f"{_TABLE}table-cell", f"{_TABLE}covered-table-cell"}
_KIND, _SAID = f"{_OFFICE}value-type", f"{_OFFICE}string-value"
_VALUES = {name: f"{_OFFICE}{name}-value" for name in ("boolean", "date", "time")}
_NUMBER, _NUMBERS = f"{_OFFICE}value", {"float", "currency", "percentage"}
_REPEATED = {name: f"{_TABLE}number-{name}-repeated" for name in ("rows", "columns")}
_PARAGRAPH, _NOTE = f"{_TEXT}p", f"{_OFFICE}annotation"
_SPACES, _SIGNS = f"{_TEXT}s", {f"{_TEXT}tab": "\t", f"{_TEXT}line-break": "\n"}
#: Spreadsheets keep to this; what is said to be repeated beyond is no content.
_MOST_ROWS, _MOST_COLUMNS = 1_048_576, 16_384
#: A time of a day (19.387); longer spans stay as they are written.
_TIME = re.compile(r"PT(\d{1,2})H(\d{1,2})M(\d{1,2})(?:[.,]\d+)?S")


def is_locked(path: Path) -> bool:
    """Whether what it holds can be read with a password alone (part 2, 3.4)."""
    with zipfile.ZipFile(path) as packed:
        return b"encryption-data" in packed.read("META-INF/manifest.xml")


def parts(path: Path) -> list[tuple[str, bool]]:
    """The names of the sheets in their order, and whether each can be seen. Raises what rows raises."""
    hidden, found = set(), []
    with zipfile.ZipFile(path) as packed, packed.open(CONTENT) as content:
        style = f"{_STYLE}table-properties"
        for event, one in _parsed(content, style, _SHEET, _ROW):
            if event == "start" and one.tag == _SHEET:
                found.append((one.get(f"{_TABLE}name", ""), one.get(f"{_TABLE}style-name") not in hidden))
            elif event == "end" and one.tag == style and one.get(f"{_TABLE}display") == "false":
                hidden.add(one.getparent().get(f"{_STYLE}name"))
            elif event == "end" and one.tag == _ROW:
                _let_go(one)
    return found


def rows(path: Path, part: str) -> Iterator[tuple[int, list[Any]]]:
    """The values of each row of a sheet that is not blank, with its number from 1 on. Raises KeyError where there is no
    such sheet, and what is wrong with the file as LookupError, ValueError, OSError, zlib.error, zipfile.BadZipFile or
    SyntaxError."""
    with zipfile.ZipFile(path) as packed, packed.open(CONTENT) as content:
        yield from _rows(content, part)


def _rows(content: IO[bytes], part: str) -> Iterator[tuple[int, list[Any]]]:
    is_there = is_meant = False
    number = 0
    for event, one in _parsed(content, _SHEET, _ROW):
        if one.tag == _SHEET:
            is_meant = event == "start" and one.get(f"{_TABLE}name") == part
            is_there |= is_meant
        elif event == "end":
            times = _times(one, "rows", _MOST_ROWS)
            if is_meant and (values := _values(one)):
                if number + times > _MOST_ROWS:
                    raise ValueError(f"row {number + times}")
                yield from ((number + nth, values) for nth in range(1, times + 1))
            number += times if is_meant else 0
            _let_go(one)
    if not is_there:
        raise KeyError(part)


def _parsed(content: IO[bytes], *tags: str) -> Iterator[tuple[str, Any]]:
    safe = {"resolve_entities": False, "no_network": True, "huge_tree": True}
    yield from etree.iterparse(content, events=("start", "end"), tag=tags, **safe)


def _let_go(row: Any) -> None:
    row.clear()
    while row.getprevious() is not None:  # or all rows would be held, each without its cells
        del row.getparent()[0]


def _times(one: Any, what: str, most: int) -> int:
    """How often a row or cell stands there."""
    said = one.get(_REPEATED[what])
    return min(max(int(said), 1), most) if said else 1


def _values(row: Any) -> list[Any]:
    """What the cells of a row hold, without blank ones at its end."""
    found: list[Any] = []
    blank = 0
    for cell in row:
        if cell.tag not in _CELLS:
            continue
        value = _value(cell)
        times = _times(cell, "columns", _MOST_COLUMNS)
        if value is None or value == "":
            blank += times
            continue
        if len(found) + blank + times > _MOST_COLUMNS:
            raise ValueError(f"column {len(found) + blank + times}")
        found += [None] * blank + [value] * times
        blank = 0
    return found


def _value(cell: Any) -> Any:
    """What it holds (19.385, office:value-type)."""
    kind = cell.get(_KIND)
    if kind is None:
        return None
    if kind in _NUMBERS:
        return float(cell.get(_NUMBER, "nan"))
    if kind not in _VALUES:
        said = cell.get(_SAID)
        return said if said is not None else "\n".join(_written(one) for one in cell if one.tag == _PARAGRAPH)
    said = cell.get(_VALUES[kind], "")
    if kind == "boolean":
        return said == "true"
    return _moment(said) if kind == "date" else _time(said)


def _moment(said: str) -> date | datetime:
    return datetime.fromisoformat(said) if "T" in said else date.fromisoformat(said)


def _time(said: str) -> time | str:
    found = _TIME.fullmatch(said)
    return time(int(found[1]), int(found[2]), int(found[3])) if found and int(found[1]) < 24 else said


def _written(inside: Any) -> str:
    """The words of a paragraph, whose blanks, tabs and breaks may be elements (6.1)."""
    if not len(inside):
        return inside.text or ""
    said = [inside.text or ""]
    for one in inside:
        if one.tag == _SPACES:
            said.append(" " * min(int(one.get(f"{_TEXT}c", 1)), 1_000))
        elif one.tag != _NOTE:
            said.append(_SIGNS.get(one.tag) or _written(one))
        said.append(one.tail or "")
    return "".join(said)
