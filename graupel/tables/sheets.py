"""Spreadsheets (XLSX, XLS, ODS): their sheets, and the rows of one as text. Values are read, and nothing is run."""

import zipfile
import zlib
from collections.abc import Iterable, Iterator, Sequence
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from pathlib import Path
from types import ModuleType
from typing import Any

from defusedxml import DefusedXmlException
from python_calamine import (
    CalamineError,
    CalamineWorkbook,
    PasswordError,
    SheetTypeEnum,
    SheetVisibleEnum,
    WorksheetNotFound,
)

from graupel.core.errors import Refused
from graupel.tables import large_ods, large_xlsx
from graupel.tables.shapes import RawRow

#: Whole numbers beyond this have lost digits in a spreadsheet.
_EXACT = 10**15
#: A workbook with a sheet of fewer bytes, unpacked, is read at once: in twice as much memory.
MOST_AT_ONCE = 120_000_000
#: What can be wrong with a file that is read row by row.
_WRONG = (LookupError, ValueError, OSError, zlib.error, zipfile.BadZipFile, SyntaxError, DefusedXmlException)


def parts(path: Path) -> list[str]:
    """The sheets that can be seen, in their order; of a file in which all are hidden, all. Raises Refused."""
    sheets = _parts_of_large(path) if _large(path) is large_ods else _parts(path)
    found = [name for name, is_seen in sheets if is_seen] or [name for name, _ in sheets]
    if not found:
        raise Refused.because("sheet.none", "There is no sheet with cells in this file.", "file")
    return found


def rows(path: Path, part: str) -> Iterator[RawRow]:
    """The rows of a sheet that are not blank, with their numbers in it. Raises Refused."""
    reader = _large(path)
    found = _one_by_one(path, part, reader) if reader else enumerate(_at_once(path, part), 1)
    for number, values in found:
        cells = [_text(value) for value in values]
        if any(cells):
            yield RawRow(number, cells)


def _large(path: Path) -> ModuleType | None:
    """What reads it, where a sheet of it takes much room."""
    try:
        with zipfile.ZipFile(path) as packed:
            large = [one.filename for one in packed.infolist() if one.file_size > MOST_AT_ONCE]
    except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError):
        return None
    if large_ods.CONTENT in large:
        return large_ods
    return large_xlsx if any(name.startswith(large_xlsx.SHEETS) for name in large) else None


def _parts(path: Path) -> list[tuple[str, bool]]:
    """The sheets, and whether each can be seen."""
    sheets = [one for one in _book(path).sheets_metadata if one.typ == SheetTypeEnum.WorkSheet]
    return [(one.name, one.visible == SheetVisibleEnum.Visible) for one in sheets]


def _parts_of_large(path: Path) -> list[tuple[str, bool]]:
    """The same of a large ODS, of which a workbook would read all."""
    try:
        if large_ods.is_locked(path):
            raise _locked()
        return large_ods.parts(path)
    except _WRONG as error:
        raise _broken(error) from error


def _at_once(path: Path, part: str) -> Iterable[Sequence[Any]]:
    """The values of each row, those that are blank too."""
    try:
        sheet = _book(path).get_sheet_by_name(part)
    except WorksheetNotFound:
        raise _unknown(part) from None
    except CalamineError as error:
        raise _broken(error) from error
    rows: Iterable[Sequence[Any]] = sheet.iter_rows()
    return rows


def _one_by_one(path: Path, part: str, reader: ModuleType) -> Iterator[tuple[int, Sequence[Any]]]:
    """The values of each row of a large sheet, with its number."""
    if reader is large_xlsx and part not in parts(path):
        raise _unknown(part)
    width = 0
    try:
        for number, values in reader.rows(path, part):
            width = max(width, len(values))
            yield number, [*values, *[None] * (width - len(values))]
    except _WRONG as error:
        raise (_unknown(part) if isinstance(error, KeyError) and error.args == (part,) else _broken(error)) from error


def _unknown(part: str) -> Refused:
    return Refused.because("sheet.unknown", f"There is no sheet “{part[:60]}” in this file.", "part")


def _book(path: Path) -> CalamineWorkbook:
    try:
        return CalamineWorkbook.from_path(str(path))
    except PasswordError:
        raise _locked() from None
    except (CalamineError, OSError) as error:
        raise _broken(error) from error


def _locked() -> Refused:
    said = "This spreadsheet is locked with a password. Save it without one, and choose that file."
    return Refused.because("sheet.locked", said, "file")


def _broken(error: Exception) -> Refused:
    said = f"This spreadsheet can't be read ({str(error)[:120]}). Open it, save it anew, and choose that file."
    return Refused.because("sheet.broken", said, "file")


def _text(value: Any) -> str:
    """A cell as text: numbers with a point and without noise, days as 2026-12-24, yes and no."""
    match value:
        case None | "":
            return ""
        case str():
            return value.strip("\r\n")
        case bool():
            return "yes" if value else "no"
        case float():
            return f"{value:.0f}" if value.is_integer() and abs(value) < _EXACT else _plain(value)
        case datetime():
            return value.date().isoformat() if value.time() == time() else value.isoformat(" ", "minutes")
        case date() | time() | timedelta():
            return str(value)
    return str(value)


def _plain(value: float) -> str:
    """The shortest text that is this number, but for noise at its sixteenth digit; never as a power of ten."""
    digits = repr(round(value, 10)) if abs(value) < 1e5 else repr(value)
    if "e" in digits or "n" in digits:  # 1e-07, inf, nan
        return format(Decimal(digits), "f") if value == value and abs(value) < 1e300 else ""
    return digits
