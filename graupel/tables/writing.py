"""Tables written in the formats that are read here, row by row, so that memory stays flat.

What is written is read again as it was: cells that a spreadsheet would run are made harmless in delimited text, and are
plain text in spreadsheets.
"""

import csv
import io
import json
import re
from collections.abc import Callable, Mapping, Sequence
from enum import StrEnum
from itertools import chain
from pathlib import Path
from typing import IO, Any
from xml.sax.saxutils import escape

from graupel import storage
from graupel.core import bars
from graupel.core.cells import RISKY, harmless
from graupel.tables import spreadsheets
from graupel.tables.going_out import Column, Rows, Written
from graupel.tables.spreadsheets import marked


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
    Out.ODS: spreadsheets.ODS_TYPE,
    Out.LINES: "application/jsonl",
    Out.XML: "application/xml",
    Out.LINKED: "application/ld+json",
}


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
        said = "".join(f"<{key}>{escape(marked(cell))}</{key}>" for key, cell in zip(keys, row, strict=True) if cell)
        file.write(f"<{one}>{said}</{one}>\n".encode())
    file.write(f"</{whole}>\n".encode())


def _linked(file: IO[bytes], columns: Sequence[Column], rows: Rows, done: Written) -> None:
    """A graph of schema.org's Product, one a variant."""
    file.write(b'{"@context": "https://schema.org", "@graph": [')
    for between, row in zip(chain([b"\n"], iter(lambda: b",\n", b"")), rows, strict=False):
        product: dict[str, Any] = {"@type": "Product"}
        for column, cell in zip(columns, row, strict=True):
            if cell:
                _put(product, column, cell)
        file.write(between + json.dumps(product, ensure_ascii=False).encode())
    file.write(b"\n]}\n")


#: Where schema.org has values that it has no word for, each with its name.
_PROPERTIES = "additionalProperty"


def _put(product: dict[str, Any], column: Column, cell: str) -> None:
    if not column.linked:
        said = {"@type": "PropertyValue", "name": column.header, "value": cell}
        product.setdefault(_PROPERTIES, []).append(said)
        return
    at = product
    for name in column.linked[:-1]:
        at = at.setdefault(name, dict(column.beside or {}))
    at[column.linked[-1]] = bars.parted(cell) if column.several else cell


_WRITERS: Mapping[Out, Callable[[IO[bytes], Sequence[Column], Rows, Written], None]] = {
    Out.CSV: _csv,
    Out.XLSX: spreadsheets.xlsx,
    Out.ODS: spreadsheets.ods,
    Out.LINES: _lines,
    Out.LINKED: _linked,
}
