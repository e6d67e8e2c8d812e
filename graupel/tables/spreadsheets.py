"""Spreadsheets written row by row: XLSX (ECMA-376) and ODS (OpenDocument 1.3).

What surrounds the rows of an XLSX is made by XlsxWriter; the rows are written here, in a fifth of the time.
"""

import io
import re
import zipfile
from collections.abc import Callable, Sequence
from contextlib import closing
from typing import IO
from xml.sax.saxutils import escape

import xlsxwriter

from graupel.core.errors import Refused
from graupel.tables.going_out import Column, Rows, Written

#: A sheet has no more rows, and a cell of one no more signs (ECMA-376, and what spreadsheets keep to).
MOST_SHEET_ROWS, LONGEST_SHEET_CELL = 1_048_576, 32_767
ODS_TYPE = "application/vnd.oasis.opendocument.spreadsheet"
#: What can't stand in XML as it is, of which it has no place for the last ones at all.
_SPECIAL = re.compile("[&<>\r\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]")
_NO_XML = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]")
_MakesRow = Callable[[Sequence[str]], str]


def marked(text: str) -> str:
    """A text that XML can hold."""
    return _NO_XML.sub("", text.replace("\r\n", "\n").replace("\r", "\n"))


def _said(cell: str) -> str:
    """A cell as XML says it."""
    return escape(marked(cell)) if _SPECIAL.search(cell) else cell


def _in_a_sheet(rows: Rows, done: Written) -> Rows:
    """Rows that a sheet can hold; a cell that is too long is left out and counted, never cut. Raises Refused."""
    for row in rows:
        if done.rows >= MOST_SHEET_ROWS:
            said = f"A sheet has at most {MOST_SHEET_ROWS:,} rows. Take it out as CSV or JSON Lines, or fewer goods."
            raise Refused.because("sheet.rows", said)
        if max(map(len, row), default=0) > LONGEST_SHEET_CELL:
            done.cut += sum(len(cell) > LONGEST_SHEET_CELL for cell in row)
            row = [cell if len(cell) <= LONGEST_SHEET_CELL else "" for cell in row]
        yield row


def _stream(content: IO[bytes], rows: Rows, row_of: _MakesRow) -> None:
    for row in rows:
        content.write(row_of(row).encode())


# --- XLSX ----------------------------------------------------------------------------------------------------

_SHEET = "xl/worksheets/sheet1.xml"
_ROWS_END = b"</sheetData>"
#: What reads as a sign written by its number (ECMA-376, part 1, 22.9.2.19, ST_Xstring).
_NUMBERED = re.compile("_(?=x[0-9A-Fa-f]{4}_)")


def xlsx(file: IO[bytes], columns: Sequence[Column], rows: Rows, done: Written) -> None:
    """Write a workbook of one sheet."""
    frame = _frame(columns)
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as packed:
        for name in frame.namelist():
            if name != _SHEET:
                packed.writestr(name, frame.read(name))
        before, _, after = frame.read(_SHEET).partition(_ROWS_END)
        with packed.open(_SHEET, "w", force_zip64=True) as content:
            # It would say that the headers are all there is.
            content.write(re.sub(rb"<dimension [^>]*/>", b"", before))
            _stream(content, _in_a_sheet(rows, done), _xlsx_rows(columns))
            content.write(_ROWS_END + after)


def _frame(columns: Sequence[Column]) -> zipfile.ZipFile:
    """A workbook that has the headers alone."""
    made = io.BytesIO()
    options = {"in_memory": True, "constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    with closing(xlsxwriter.Workbook(made, options)) as book:
        sheet = book.add_worksheet("Goods")
        sheet.freeze_panes(1, 1)
        bold = book.add_format({"bold": True})
        for place, column in enumerate(columns):
            sheet.write_string(0, place, column.header, bold)
    return zipfile.ZipFile(made)


def _xlsx_rows(columns: Sequence[Column]) -> _MakesRow:
    number = 1
    places = [(xlsxwriter.utility.xl_col_to_name(place), column.is_number) for place, column in enumerate(columns)]

    def row_of(row: Sequence[str]) -> str:
        nonlocal number
        number += 1
        cells = [
            _xlsx_cell(f"{name}{number}", cell, is_number)
            for (name, is_number), cell in zip(places, row, strict=True)
            if cell
        ]
        return f'<row r="{number}">{"".join(cells)}</row>'

    return row_of


def _xlsx_cell(place: str, cell: str, is_number: bool) -> str:
    if is_number:
        return f'<c r="{place}"><v>{cell}</v></c>'
    said = _said(_NUMBERED.sub("_x005F_", cell) if "_x" in cell else cell)
    kept = ' xml:space="preserve"' if cell[0].isspace() or cell[-1].isspace() else ""
    return f'<c r="{place}" t="inlineStr"><is><t{kept}>{said}</t></is></c>'


# --- ODS -----------------------------------------------------------------------------------------------------

_NAMES = ("office", "table", "text")
_ODF = "".join(f' xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"' for name in _NAMES)
_MANIFEST = f"""<?xml version="1.0" encoding="UTF-8"?>
<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0" manifest:version="1.3">
<manifest:file-entry manifest:full-path="/" manifest:version="1.3" manifest:media-type="{ODS_TYPE}"/>
<manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/></manifest:manifest>"""


def ods(file: IO[bytes], columns: Sequence[Column], rows: Rows, done: Written) -> None:
    """OpenDocument 1.3, part 3: a package with its type first and unpacked, a manifest, and the content."""
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr(zipfile.ZipInfo("mimetype"), ODS_TYPE)
        packed.writestr("META-INF/manifest.xml", _MANIFEST)
        with packed.open("content.xml", "w", force_zip64=True) as content:
            content.write(f'<office:document-content{_ODF} office:version="1.3"><office:body>'.encode())
            content.write(b'<office:spreadsheet><table:table table:name="Goods">')
            _stream(content, [[column.header for column in columns]], _ods_rows([False] * len(columns)))
            _stream(content, _in_a_sheet(rows, done), _ods_rows([column.is_number for column in columns]))
            content.write(b"</table:table></office:spreadsheet></office:body></office:document-content>")


def _ods_rows(are_numbers: Sequence[bool]) -> _MakesRow:
    def row_of(row: Sequence[str]) -> str:
        cells = [
            _ods_cell(cell, is_number) if cell else "<table:table-cell/>"
            for cell, is_number in zip(row, are_numbers, strict=True)
        ]
        return f"<table:table-row>{''.join(cells)}</table:table-row>"

    return row_of


def _ods_cell(cell: str, is_number: bool) -> str:
    if is_number:
        said = f'office:value-type="float" office:value="{cell}"'
        return f"<table:table-cell {said}><text:p>{cell}</text:p></table:table-cell>"
    # Blanks in a row stand as elements of their own (part 3, 6.1.3), or they would become one.
    lines = _said(cell).replace("  ", ' <text:s text:c="1"/>').replace("\n", "</text:p><text:p>")
    return f'<table:table-cell office:value-type="string"><text:p>{lines}</text:p></table:table-cell>'
