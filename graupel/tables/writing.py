"""Tables written in the formats that are read here, row by row, so that memory stays flat.

What is written is read again as it was: cells that a spreadsheet would run are made harmless in delimited text, and are
plain text in spreadsheets.
"""

import csv
import io
import json
import re
import zipfile
from collections.abc import Callable, Iterable, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass
from enum import StrEnum
from itertools import chain
from pathlib import Path
from typing import IO, Any
from xml.sax.saxutils import escape

import xlsxwriter

from graupel import storage
from graupel.core.cells import RISKY, harmless
from graupel.core.errors import Refused

#: A sheet has no more rows, and a cell of one no more signs (ECMA-376, and what spreadsheets keep to).
MOST_SHEET_ROWS, LONGEST_SHEET_CELL = 1_048_576, 32_767


class Out(StrEnum):
    """In which format a table goes out; the value is the file's ending."""

    CSV = "csv"
    XLSX = "xlsx"
    ODS = "ods"
    LINES = "jsonl"
    XML = "xml"
    LINKED = "jsonld"


#: What people call them.
OUTS: Mapping[Out, str] = {
    Out.CSV: "CSV",
    Out.XLSX: "XLSX spreadsheet",
    Out.ODS: "ODS spreadsheet",
    Out.LINES: "JSON Lines",
    Out.XML: "XML",
    Out.LINKED: "JSON-LD, schema.org",
}
MEDIA_TYPES: Mapping[Out, str] = {
    Out.CSV: "text/csv; charset=utf-8",
    Out.XLSX: "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    Out.ODS: "application/vnd.oasis.opendocument.spreadsheet",
    Out.LINES: "application/jsonl",
    Out.XML: "application/xml",
    Out.LINKED: "application/ld+json",
}


@dataclass(frozen=True)
class Column:
    """A column that goes out: its header, whether a spreadsheet can reckon with it, and in JSON-LD the path to its
    value, with what stands beside it there."""

    header: str
    is_number: bool = False
    linked: tuple[str, ...] = ()
    beside: Mapping[str, str] | None = None


@dataclass
class Written:
    """How many rows were written, and how many values were left out because no cell of a spreadsheet holds them."""

    rows: int = 0
    cut: int = 0


Rows = Iterable[Sequence[str]]


def write(
    path: Path, out: Out, columns: Sequence[Column], rows: Rows, called: tuple[str, str] = ("goods", "variant")
) -> Written:
    """Write a table; it stands at its path whole or not at all. ``called``: all of it and a row, in XML. Raises
    Refused, NoRoom."""
    done = Written()
    with storage.aside(path) as file:
        if out is Out.XML:
            _xml(file, columns, _counted(rows, done), called)
        else:
            _WRITERS[out](file, columns, _counted(rows, done), done)
    return done


def _counted(rows: Rows, done: Written) -> Rows:
    for row in rows:
        done.rows += 1
        yield row


def _csv(file: IO[bytes], columns: Sequence[Column], rows: Rows, done: Written) -> None:
    text = io.TextIOWrapper(file, "utf-8", newline="")
    writer = csv.writer(text)
    writer.writerow([column.header for column in columns])
    writer.writerows([harmless(cell) if cell[:1] in RISKY else cell for cell in row] for row in rows)
    text.flush()
    text.detach()


# --- spreadsheets --------------------------------------------------------------------------------------------


def _fitting(cell: str, done: Written) -> str:
    """A cell that a spreadsheet can hold; one that is too long is left out and counted, never cut."""
    if len(cell) <= LONGEST_SHEET_CELL:
        return cell
    done.cut += 1
    return ""


def _in_a_sheet(rows: Rows, done: Written) -> Rows:
    for row in rows:
        if done.rows >= MOST_SHEET_ROWS:
            said = f"A sheet has at most {MOST_SHEET_ROWS:,} rows. Take it out as CSV or JSON Lines, or fewer goods."
            raise Refused.because("sheet.rows", said)
        yield [_fitting(cell, done) for cell in row]


def _xlsx(file: IO[bytes], columns: Sequence[Column], rows: Rows, done: Written) -> None:
    options = {"constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    with closing(xlsxwriter.Workbook(file, options)) as book:
        sheet = book.add_worksheet("Goods")
        sheet.freeze_panes(1, 1)
        bold = book.add_format({"bold": True})
        for place, column in enumerate(columns):
            sheet.write_string(0, place, column.header, bold)
        for line, row in enumerate(_in_a_sheet(rows, done), 1):
            for place, (column, cell) in enumerate(zip(columns, row, strict=True)):
                if cell and column.is_number:
                    sheet.write_number(line, place, float(cell))
                elif cell:
                    sheet.write_string(line, place, cell)


_NAMES = ("office", "table", "text")
_ODF = "".join(f' xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"' for name in _NAMES)
_MANIFEST = f"""<?xml version="1.0" encoding="UTF-8"?>
<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0" manifest:version="1.3">
<manifest:file-entry manifest:full-path="/" manifest:version="1.3" manifest:media-type="{MEDIA_TYPES[Out.ODS]}"/>
<manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/></manifest:manifest>"""


def _ods(file: IO[bytes], columns: Sequence[Column], rows: Rows, done: Written) -> None:
    """OpenDocument 1.3, part 3: a package with its type first and unpacked, a manifest, and the content."""
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr(zipfile.ZipInfo("mimetype"), MEDIA_TYPES[Out.ODS])
        packed.writestr("META-INF/manifest.xml", _MANIFEST)
        with packed.open("content.xml", "w", force_zip64=True) as content:
            content.write(f'<office:document-content{_ODF} office:version="1.3"><office:body>'.encode())
            content.write(b'<office:spreadsheet><table:table table:name="Goods">')
            plain = [Column(column.header) for column in columns]
            content.write(_ods_row(plain, [column.header for column in columns]))
            for row in _in_a_sheet(rows, done):
                content.write(_ods_row(columns, row))
            content.write(b"</table:table></office:spreadsheet></office:body></office:document-content>")


def _ods_row(columns: Sequence[Column], row: Sequence[str]) -> bytes:
    cells = "".join(_ods_cell(column, cell) for column, cell in zip(columns, row, strict=True))
    return f"<table:table-row>{cells}</table:table-row>".encode()


def _ods_cell(column: Column, cell: str) -> str:
    if not cell:
        return "<table:table-cell/>"
    lines = "".join(f"<text:p>{_spaced(line)}</text:p>" for line in _marked(cell).split("\n"))
    said = f'office:value-type="float" office:value="{cell}"' if column.is_number else 'office:value-type="string"'
    return f"<table:table-cell {said}>{lines}</table:table-cell>"


def _spaced(line: str) -> str:
    """Blanks in a row stand as elements of their own (part 3, 6.1.3), or they would become one."""
    found = escape(line)
    return found.replace("  ", ' <text:s text:c="1"/>')


def _marked(text: str) -> str:
    """A text that XML can hold."""
    return _NO_XML.sub("", text.replace("\r\n", "\n").replace("\r", "\n"))


#: What XML 1.0 has no place for.
_NO_XML = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]")


# --- JSON and XML --------------------------------------------------------------------------------------------


def _keys(columns: Sequence[Column]) -> list[str]:
    """The headers as names in JSON and XML, each once."""
    found: list[str] = []
    for column in columns:
        plain = re.sub(r"[^\w]+", "_", column.header).strip("_") or "column"
        name = f"_{plain}" if plain[0].isdigit() else plain
        found.append(name if name not in found else f"{name}_{len(found) + 1}")
    return found


def _lines(file: IO[bytes], columns: Sequence[Column], rows: Rows, done: Written) -> None:
    keys = _keys(columns)
    for row in rows:
        said = {key: cell for key, cell in zip(keys, row, strict=True) if cell}
        file.write(json.dumps(said, ensure_ascii=False).encode() + b"\n")


def _xml(file: IO[bytes], columns: Sequence[Column], rows: Rows, called: tuple[str, str]) -> None:
    keys, (whole, one) = _keys(columns), called
    file.write(f'<?xml version="1.0" encoding="UTF-8"?>\n<{whole}>\n'.encode())
    for row in rows:
        said = "".join(f"<{key}>{escape(_marked(cell))}</{key}>" for key, cell in zip(keys, row, strict=True) if cell)
        file.write(f"<{one}>{said}</{one}>\n".encode())
    file.write(f"</{whole}>\n".encode())


def _linked(file: IO[bytes], columns: Sequence[Column], rows: Rows, done: Written) -> None:
    """A graph of schema.org's Product, one a variant; columns that have no word there are left out."""
    known = [(place, column) for place, column in enumerate(columns) if column.linked]
    file.write(b'{"@context": "https://schema.org", "@graph": [')
    for between, row in zip(chain([b"\n"], iter(lambda: b",\n", b"")), rows, strict=False):
        product: dict[str, Any] = {"@type": "Product"}
        for place, column in known:
            if row[place]:
                _put(product, column, row[place])
        file.write(between + json.dumps(product, ensure_ascii=False).encode())
    file.write(b"\n]}\n")


#: Where schema.org has values that it has no word for, each with its name.
PROPERTIES = ("additionalProperty",)


def _put(product: dict[str, Any], column: Column, cell: str) -> None:
    if column.linked == PROPERTIES:
        said = {"@type": "PropertyValue", "name": column.header, "value": cell}
        product.setdefault(PROPERTIES[0], []).append(said)
        return
    at = product
    for name in column.linked[:-1]:
        at = at.setdefault(name, dict(column.beside or {}))
    at[column.linked[-1]] = cell


_WRITERS: Mapping[Out, Callable[[IO[bytes], Sequence[Column], Rows, Written], None]] = {
    Out.CSV: _csv,
    Out.XLSX: _xlsx,
    Out.ODS: _ods,
    Out.LINES: _lines,
    Out.LINKED: _linked,
}
