"""Large sheets of an XLSX, read row by row: slower than all at once, in memory that stays the same."""

import warnings
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import openpyxl

#: A workbook with a sheet of fewer bytes, unpacked, is read at once: in twice as much memory.
MOST_AT_ONCE = 120_000_000
_SHEETS = "xl/worksheets/"
#: How a cell is marked in which a formula went wrong.
_ERROR = "e"


def is_large(path: Path) -> bool:
    """Whether it is a workbook of which a sheet takes much room."""
    try:
        with zipfile.ZipFile(path) as packed:
            sizes = [one.file_size for one in packed.infolist() if one.filename.startswith(_SHEETS)]
    except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError):
        return False
    return max(sizes, default=0) > MOST_AT_ONCE


def rows(path: Path, part: str) -> Iterator[list[Any]]:
    """The values of each row of a sheet, those between rows too; the longer rows are, the more has one. None where
    there is nothing, and where a formula went wrong. Raises KeyError where there is no such sheet, and what is wrong
    with the file as ValueError, zlib.error, zipfile.BadZipFile or SyntaxError."""
    with warnings.catch_warnings(action="ignore"):  # of what a sheet holds beside values
        book = openpyxl.load_workbook(path, read_only=True, data_only=True, keep_links=False)
    try:
        sheet = book[part]
        sheet.reset_dimensions()  # what it says of its size need not hold
        for cells in sheet.iter_rows():
            yield [None if cell.data_type == _ERROR else cell.value for cell in cells]
    finally:
        book.close()
