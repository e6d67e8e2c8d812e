"""A sheet to fill in: its headers, what each column may hold, and lists to choose from."""

from collections.abc import Sequence
from contextlib import closing
from dataclasses import dataclass
from typing import IO

import xlsxwriter

#: So many rows below the headers have lists to choose from.
ROWS = 2_000
_VALUES = "Values"


@dataclass(frozen=True)
class SampleColumn:
    """A column to fill in. ``help``: a note at its header; ``needed``: its header is marked; ``values``: what may be
    chosen, ``only`` that or anything else too."""

    header: str
    help: str
    needed: bool = False
    values: Sequence[str] = ()
    only: bool = False


def write(file: IO[bytes], title: str, columns: Sequence[SampleColumn]) -> None:
    """Write the sheet as XLSX. What may be chosen stands on a second sheet, however long it is."""
    with closing(xlsxwriter.Workbook(file, {"strings_to_formulas": False, "strings_to_urls": False})) as book:
        sheet, values = book.add_worksheet(title[:31]), book.add_worksheet(_VALUES)
        sheet.freeze_panes(1, 1)
        plain, marked = book.add_format({"bold": True}), book.add_format({"bold": True, "bg_color": "#DDEAE7"})
        listed = 0
        for place, column in enumerate(columns):
            header = f"{column.header} *" if column.needed else column.header
            sheet.write_string(0, place, header, marked if column.needed else plain)
            sheet.write_comment(0, place, column.help, {"x_scale": 1.6})
            sheet.set_column(place, place, max(12, len(header) + 2))
            if column.values:
                _list(values, listed, column)
                sheet.data_validation(1, place, ROWS, place, _choice(column, listed))
                listed += 1


def _list(sheet: xlsxwriter.worksheet.Worksheet, place: int, column: SampleColumn) -> None:
    for line, text in enumerate([column.header, *column.values]):
        sheet.write_string(line, place, text)


def _choice(column: SampleColumn, place: int) -> dict[str, object]:
    """A drop-down; what may be anything else too warns of nothing."""
    name = xlsxwriter.utility.xl_col_to_name(place, col_abs=True)
    return {
        "validate": "list",
        "source": f"={_VALUES}!{name}$2:{name}${len(column.values) + 1}",
        "error_type": "stop" if column.only else "information",
        "show_error": column.only,
        "error_title": "Not in the list",
        "error_message": f"Choose one of the list, or see the sheet {_VALUES}.",
    }
