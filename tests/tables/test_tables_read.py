"""Tables as others write them: every kind of file gives the same headers and rows, and what is broken says so."""

import csv
import gzip
import io
import json
import re
import zipfile
from contextlib import suppress
from datetime import date
from decimal import Decimal

import pytest
import xlsxwriter
from hypothesis import given, settings
from hypothesis import strategies as st

from graupel.core import guessing
from graupel.core.errors import Refused
from graupel.tables import nested, packed, reading, sheets
from graupel.tables.shapes import LONGEST_CELL, Kind, Shape
from graupel.tables.spreadsheets import ODS_TYPE

HEADERS = ["sku", "name", "price"]
ROWS = [["FEL-1", "Größe “38–40”", "9.8"], ["FEL-2", "Two\nlines, and a comma", "1250"]]


def text(delimiter=",", encoding="utf-8", quote='"', rows=ROWS, headers=HEADERS) -> bytes:
    out = io.StringIO()
    csv.writer(out, delimiter=delimiter, quotechar=quote).writerows([headers, *rows])
    return out.getvalue().encode(encoding)


def doubled(delimiter: str) -> bytes:
    return text("\x1f").replace(b"\x1f", delimiter.encode())


def sheet(rows=None, *, hidden=False, name="Goods") -> bytes:
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out, {"in_memory": True})
    if hidden:
        book.add_worksheet("Notes").write(0, 0, "Nothing for others")
        book.worksheets()[0].hide()
    page = book.add_worksheet(name)
    for line, row in enumerate(rows or [HEADERS, ["FEL-1", ROWS[0][1], 9.8], ["FEL-2", ROWS[1][1], 1250]]):
        page.write_row(line, 0, row)
    if hidden:
        page.activate()
        page.set_first_sheet()
    book.close()
    return out.getvalue()


def ods(rows) -> bytes:
    cells = "".join(
        "<table:table-row>"
        + "".join(
            '<table:table-cell office:value-type="string">'
            + "".join(f"<text:p>{line}</text:p>" for line in cell.split("\n"))
            + "</table:table-cell>"
            for cell in row
        )
        + "</table:table-row>"
        for row in rows
    )
    names = "".join(
        f' xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"' for name in ("office", "table", "text")
    )
    content = (
        f'<office:document-content{names} office:version="1.3"><office:body><office:spreadsheet>'
        f'<table:table table:name="Goods">{cells}</table:table></office:spreadsheet></office:body>'
        "</office:document-content>"
    )
    kind = "application/vnd.oasis.opendocument.spreadsheet"
    manifest = (
        '<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0">'
        f'<manifest:file-entry manifest:full-path="/" manifest:media-type="{kind}"/></manifest:manifest>'
    )
    files = {"mimetype": kind, "META-INF/manifest.xml": manifest, "content.xml": content}
    return zipped({name: text.encode() for name, text in files.items()})


def zipped(files: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed_file:
        for name, content in files.items():
            packed_file.writestr(name, content)
    return out.getvalue()


def records() -> list[dict]:
    return [
        {"sku": "FEL-1", "name": ROWS[0][1], "price": 9.8},
        {"sku": "FEL-2", "name": ROWS[1][1], "price": 1250},
    ]


XML = (
    "<?xml version='1.0'?><shop><made>today</made><goods>"
    + "".join(f"<good><sku>{sku}</sku><name>{name}</name><price>{price}</price></good>" for sku, name, price in ROWS)
    + "</goods></shop>"
)


def find(tmp_path, content: bytes, wanted: Shape | None = None):
    path = tmp_path / "file"
    path.write_bytes(content)
    found = reading.find(path, tmp_path, guessing.known_headers, wanted)
    return found, reading.table(path, tmp_path, found.shape)


def read(tmp_path, content: bytes):
    """Headers and cells."""
    _, table = find(tmp_path, content)
    return table.headers, [row.cells for row in table.rows]


@pytest.mark.parametrize(
    "content",
    {
        "commas": text(),
        "semicolons in Western Europe": text(";", "cp1252"),
        "tabs in UTF-16": text("\t", "utf-16"),
        "bars in UTF-16 without a mark": text("|", "utf-16-le"),
        "two signs": doubled("||"),
        "three signs": doubled(";;;"),
        "with a mark": b"\xef\xbb\xbf" + text(),
        "a spreadsheet": sheet(),
        "with a hidden sheet before it": sheet(hidden=True),
        "an open spreadsheet": ods([HEADERS, *ROWS]),
        "JSON": json.dumps(records()).encode(),
        "JSON under a key": json.dumps({"made": "today", "goods": {"list": records()}}).encode(),
        "JSON Lines": "\n".join(map(json.dumps, records())).encode(),
        "XML": XML.encode(),
        "XML in Latin 1": XML.replace("“", "").replace("”", "").replace("–", "-").replace("<?xml version='1.0'?>",
            "<?xml version='1.0' encoding='iso-8859-1'?>").encode("iso-8859-1"),
        "gzip": gzip.compress(text(";")),
        "zip": zipped({"readme.md": b"x" * 9999, "goods/table.csv": text(), "p/1.jpg": b"\xff\xd8" * 99}),
        "a spreadsheet in a zip": zipped({"goods.xlsx": sheet()}),
    }.items(),
    ids=lambda one: one[0],
)  # fmt: skip
def test_every_kind_of_file_gives_the_same_rows(tmp_path, content):
    headers, rows = read(tmp_path, content[1])
    assert headers == HEADERS
    plain = [[cell.replace("“", "").replace("”", "").replace("–", "-") for cell in row] for row in rows]
    assert plain == [["FEL-1", "Größe 38-40", "9.8"], ["FEL-2", "Two\nlines, and a comma", "1250"]]


CELLS = st.text(st.characters(codec="utf-8", exclude_categories=("Cs", "Cc")), max_size=12)


@settings(max_examples=60)
@given(
    st.lists(st.lists(CELLS, min_size=3, max_size=3), min_size=1, max_size=6),
    st.sampled_from([",", ";", "\t", "|", "||", "~*"]),
)
def test_a_table_of_any_cells_is_read_as_it_was_written(tmp_path_factory, rows, delimiter):
    kept = [row for row in rows if any(cell.strip() for cell in row)]
    path = tmp_path_factory.mktemp("t") / "file"
    path.write_bytes(text("\x1f", rows=[[f"k{n}", *row] for n, row in enumerate(kept)], headers=["sku", *HEADERS])
        .replace(b"\x1f", delimiter.encode()))  # fmt: skip
    # Written by hand no quotation marks stand around these; a bar beside two bars can be any of them.
    if any(not {*delimiter, "\x1f"}.isdisjoint(cell) for row in kept for cell in row):
        return
    found = [row.cells[1:] for row in reading.table(path, path.parent, Shape(delimiter=delimiter)).rows]
    assert [[cell.lstrip("'") for cell in row] for row in found] == [[cell.lstrip("'") for cell in row] for row in kept]


def test_values_of_a_spreadsheet_are_read_without_noise(tmp_path):
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out, {"in_memory": True})
    page = book.add_worksheet()
    page.write_row(0, 0, ["sku", "price", "gtin", "day", "moment", "yes", "made"])
    page.write_row(1, 0, ["007", 0.1 + 0.2, 9520000000011.0])
    page.write_datetime(1, 3, date(2026, 12, 24), book.add_format({"num_format": "yyyy-mm-dd"}))
    page.write_number(1, 4, 46380.75, book.add_format({"num_format": "yyyy-mm-dd hh:mm"}))
    page.write_boolean(1, 5, True)
    page.write_formula(1, 6, "=1+1", None, 2)
    book.close()
    _, rows = read(tmp_path, out.getvalue())
    assert rows == [["007", "0.3", "9520000000011", "2026-12-24", "2026-12-24 18:00", "yes", "2"]]


def odd_book(path):
    """What may stand in a sheet: gaps, kinds of number, formulas and one that went wrong, merged and rich text."""
    with xlsxwriter.Workbook(path) as book:
        page, beside = book.add_worksheet("Goods"), book.add_worksheet("Beside")
        beside.write(0, 0, "x")
        page.write_row(2, 1, ["sku", 1e-7, 1e16, 0.1 + 0.2, True, "  kept ", "a\nb", "_x0041_ <&>", "007", "", "#N/A"])
        for place, shown in enumerate(
            ("yyyy-mm-dd", "dd.mm.yyyy hh:mm", "[h]:mm", "0.00%", '"€" #,##0.00', "[Red]0.0")
        ):
            page.write_number(3, place, 46380.75, book.add_format({"num_format": shown}))
        page.write_number(3, 9, 0.5, book.add_format({"num_format": "hh:mm"}))
        for place, value in enumerate((2, "1x", True, "#DIV/0!")):
            page.write_formula(4, place, "=A1", None, value)
        page.merge_range(6, 0, 6, 2, "merged")
        page.write_rich_string(9, 0, "plain ", book.add_format({"bold": True}), "bold", " more")
        page.write_url(10, 0, "https://pictures.example/a.jpg", string="a picture")


def rows_read(path, part):
    """The lines of a sheet with their cells, without blank ones at the end."""
    cells = [(row.line, list(row.cells)) for row in sheets.rows(path, part)]
    return [(line, row[: max(place for place, cell in enumerate(row, 1) if cell)]) for line, row in cells]


def spoil(path, beginning, spoilt):
    """The same package, with what stands in the files that begin so spoilt."""
    broken = path.with_name(f"broken{path.suffix}")
    with zipfile.ZipFile(path) as whole, zipfile.ZipFile(broken, "w") as to:
        for one in whole.namelist():
            content = whole.read(one)
            to.writestr(one, spoilt(content) if one.startswith(beginning) else content)
    return broken


def cut(xml):
    return xml[: len(xml) // 2]


def read_both_ways(path, monkeypatch, within, spoils):
    """The lines of each sheet, read at once and row by row, which is the same; spoilt ``within`` its package, it is
    refused."""
    small = {part: rows_read(path, part) for part in sheets.parts(path)}
    monkeypatch.setattr(sheets, "MOST_AT_ONCE", 0)
    assert {part: rows_read(path, part) for part in sheets.parts(path)} == small
    with pytest.raises(Refused, match="no sheet “Autumn”"):
        list(sheets.rows(path, "Autumn"))
    for spoilt in (cut, *spoils):
        with pytest.raises(Refused, match="can't be read"):
            list(sheets.rows(spoil(path, within, spoilt), "Goods"))
    return small


def test_a_large_sheet_is_read_row_by_row_as_a_small_one_is_at_once(tmp_path, monkeypatch):
    path = tmp_path / "goods.xlsx"
    odd_book(path)
    spoils = (
        lambda xml: xml.replace(b'r="3"', b'r="99999999"'),
        lambda xml: re.sub(rb't="s"><v>\d+', b't="s"><v>12345', xml),  # a text that there is not
    )
    found = read_both_ways(path, monkeypatch, "xl/worksheets/", spoils)
    assert [line for line, _ in found["Goods"]] == [3, 4, 5, 7, 10, 11]


def ods_row(*cells, **attributes):
    said = "".join(f' table:{name.replace("_", "-")}="{value}"' for name, value in attributes.items())
    return f"<table:table-row{said}>{''.join(cells)}</table:table-row>"


def ods_cell(*lines, kind="string", **attributes):
    said = "".join(f' {name.replace("__", ":").replace("_", "-")}="{value}"' for name, value in attributes.items())
    paragraphs = "".join(f"<text:p>{line}</text:p>" for line in lines)
    return f'<table:table-cell office:value-type="{kind}"{said}>{paragraphs}</table:table-cell>'


def odd_ods(path):
    """What may stand in an ODS: kinds of value, rows and cells that are repeated, groups, notes, a hidden sheet."""
    none, many = "<table:table-cell/>", '<table:table-cell table:number-columns-repeated="16384"/>'
    note = "<office:annotation><text:p>to be left</text:p></office:annotation>"
    numbers = [("float", "1e-7"), ("float", "0.30000000000000004"), ("currency", "5"), ("percentage", "0.5")]
    goods = [
        ods_row(many, number_rows_repeated=2),
        ods_row(none, ods_cell("sku"), *(
            ods_cell("shown", kind=kind, office__value=value) for kind, value in numbers
        ), ods_cell("TRUE", kind="boolean", office__boolean_value="true")),
        ods_row(*(ods_cell("24.12.", kind="date", office__date_value=day)
            for day in ("2026-12-24", "2026-12-24T18:00:00", "2026-12-24T18:00:00.5")),
            *(ods_cell("18:00", kind="time", office__time_value=span) for span in ("PT18H00M00S", "PT48H30M00S"))),
        ods_row(ods_cell("a", "b"), ods_cell('x<text:s/>y<text:s text:c="3"/>z'), ods_cell("  kept &amp; "),
            ods_cell("pl <text:span>sp<text:span>in</text:span></text:span> <text:a>link</text:a> end"),
            ods_cell("shown", office__string_value="said"), ods_cell("noted").replace("<text:p>", f"{note}<text:p>"),
            "<table:table-cell><text:p>untyped</text:p></table:table-cell>"),
        ods_row(ods_cell("3 x", table__number_columns_repeated=3), none, ods_cell("on"), many, number_rows_repeated=2),
        ods_row(none, number_rows_repeated=3),
        ods_row(ods_cell("merged", table__number_columns_spanned=2), "<table:covered-table-cell/>", ods_cell("#N/A")),
        f"<table:table-row-group>{ods_row(ods_cell('in a group'))}</table:table-row-group>",
        ods_row(many, number_rows_repeated=1_048_000),
    ]  # fmt: skip
    sheets_of = {
        "Goods": "".join(goods),
        "Kept": ods_row(ods_cell("x")),
        "Beside": ods_row(none) + ods_row(ods_cell("y")),
    }
    body = "".join(
        f'<table:table table:name="{name}" table:style-name="{name}"><table:table-column/>{rows}</table:table>'
        for name, rows in sheets_of.items()
    )
    styles = "".join(
        f'<style:style style:name="{name}"><style:table-properties table:display="{shown}"/></style:style>'
        for name, shown in (("Goods", "true"), ("Kept", "false"))
    )
    names = "".join(
        f' xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"'
        for name in ("office", "table", "text", "style")
    )
    head = f"<office:document-content{names}><office:automatic-styles>{styles}</office:automatic-styles>"
    with zipfile.ZipFile(path, "w") as packed:
        packed.writestr("mimetype", ODS_TYPE)
        packed.writestr("META-INF/manifest.xml", "<manifest/>")
        packed.writestr(
            "content.xml",
            f"{head}<office:body><office:spreadsheet>{body}</office:spreadsheet></office:body></office:document-content>",
        )


def test_a_large_ods_is_read_row_by_row_as_a_small_one_is_at_once(tmp_path, monkeypatch):
    path = tmp_path / "goods.ods"
    odd_ods(path)
    spoils = (
        lambda xml: xml.replace(b"1e-7", b"seven"),
        lambda xml: xml.replace(b"2026-12-24T18", b"2026-13-24T18"),
        lambda xml: xml.replace(b"<table:table-row><", b'<table:table-row table:number-rows-repeated="99999999"><', 1),
    )
    found = read_both_ways(path, monkeypatch, "content.xml", spoils)
    assert list(found) == ["Goods", "Beside"]
    assert found["Goods"][0] == (3, ["", "sku", "0.0000001", "0.3", "5", "0.5", "yes"])
    assert [line for line, _ in found["Goods"]] == [3, 4, 5, 6, 7, 11, 12]
    locked = spoil(path, "META-INF", lambda _: b"<manifest><encryption-data/></manifest>")
    with pytest.raises(Refused, match="locked with a password"):
        sheets.parts(locked)
    taken = spoil(path, "content.xml", lambda xml: xml.replace(b"x<text:s/>y", b"x<text:tab/>y<text:line-break/>z"))
    assert rows_read(taken, "Goods")[2][1][1].startswith("x\ty\nz")


def test_what_stands_before_among_and_after_the_rows_is_passed_over_and_told(tmp_path):
    content = b"Our autumn list\n\nsku;name;price\nA;One;5\n;;\nsku;name;price\nB;Two;6\n\n\nTotal:;;11\n"
    found, table = find(tmp_path, content)
    assert [row.line for row in table.rows] == [4, 7]
    assert (found.shape.header, table.passed) == (3, {"title": [1], "header": [6], "total": [10]})
    _, table = find(tmp_path, b"sku;name;price\nA;One;5\nTotal;a name;7\nB;Two;6\n")
    assert [row.cells[0] for row in table.rows] == ["A", "Total", "B"], "only the last line adds up"


def test_a_table_without_headers_is_known_by_its_first_row(tmp_path):
    found, table = find(tmp_path, b"A;One;5,00\nB;Two;6,00\n")
    assert (found.shape.header, table.headers, [row.cells[0] for row in table.rows]) == (0, ["", "", ""], ["A", "B"])


def test_of_several_sheets_members_and_paths_any_can_be_chosen(tmp_path):
    both = zipped({"a.csv": b"sku,name\nA,One\n" * 9, "b.csv": b"sku,name\nB,Two\n"})
    found, _ = find(tmp_path, both)
    assert found.members == ("a.csv", "b.csv")
    _, table = find(tmp_path, both, Shape(member="b.csv"))
    assert [row.cells for row in table.rows] == [["B", "Two"]]
    orders = {"goods": [{"sku": "A"}], "people": [{"name": "N", "mail": "m"}, {"name": "O", "mail": "o"}]}
    found, table = find(tmp_path, json.dumps(orders).encode())
    assert (found.parts, table.headers) == (("people.item", "goods.item"), ["name", "mail"])
    _, table = find(tmp_path, json.dumps(orders).encode(), Shape(part="goods.item"))
    assert [row.cells for row in table.rows] == [["A"]]


def test_what_stands_in_each_other_is_laid_flat():
    value = {"sku": "A", "offer": {"price": Decimal("9.80"), "sold": True}, "tags": ["wool", "soft"], "none": None,
             "sizes": [{"label": "S"}, {"label": "M"}]}  # fmt: skip
    assert nested.flattened(value) == {
        "sku": "A", "offer.price": "9.80", "offer.sold": "yes", "tags": "wool, soft", "sizes.1.label": "S",
        "sizes.2.label": "M",
    }  # fmt: skip


def test_attributes_names_and_repeated_elements_of_xml(tmp_path):
    content = (
        b'<r xmlns:x="urn:x"><x:g id="1"><price currency="EUR">9.80</price><tag>wool</tag><tag>soft</tag>'
        b'<v sku="A"/><v sku="B"/></x:g><x:g id="2"><price currency="EUR">1</price></x:g></r>'
    )
    headers, rows = read(tmp_path, content)
    assert headers == ["@id", "price/@currency", "price", "tag", "v/1/@sku", "v/2/@sku"]
    assert rows == [["1", "EUR", "9.80", "wool, soft", "A", "B"], ["2", "EUR", "1", "", "", ""]]


BOMB = b'<!DOCTYPE a [<!ENTITY b "xxxxxxxxxx"><!ENTITY c "&b;&b;&b;&b;">]><a><g><n>&c;</n></g></a>'


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"", "This file is empty"),
        (b"%PDF-1.7 x", "This is a PDF"),
        (b"\x89PNG\r\n\x1a\n" + b"\0" * 50, "This is a picture"),
        (b"<!doctype html><html><body>Sign in</body></html>", "This is a web page"),
        (b"\x00\x01\x02\x03" * 900, "not a text file"),
        (sheet()[:2000], "can't be unpacked"),
        (b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + b"\0" * 600, "spreadsheet can't be read"),
        (zipped({"a/readme.md": b"x"}), "no table in this zip"),
        (gzip.compress(text() * 50)[:-20], "can't be unpacked"),
        (json.dumps(records()).encode()[:-9], "JSON can't be read.*cut off"),
        (XML.encode()[:-30], "XML can't be read on.*cut off"),
        (BOMB, "definitions of its own"),
        (b"[" * 200 + b"]" * 200, "more than 40 deep"),
        (json.dumps([{str(n): "x" for n in range(3_001)}]).encode(), "more than 3,000"),
        (json.dumps([{"sku": "A", "text": "x" * (LONGEST_CELL + 1)}]).encode(), "more than 1,000,000 signs"),
        (b"sku,text\nA," + b"x" * (LONGEST_CELL + 1), "In line 2 begins a cell"),
        (b'sku,name\nA,"open\nB,x\nC,y\n', "quotation mark"),
    ],
)
def test_what_is_no_table_or_broken_says_what_and_what_to_do(tmp_path, content, says):
    with pytest.raises(Refused, match=rf"(?s){says}"):
        read(tmp_path, content)


def test_what_swells_in_unpacking_is_stopped_and_nothing_of_it_stays(tmp_path, monkeypatch):
    monkeypatch.setattr(packed, "FROM_BYTES", 1_000_000)
    for content in (gzip.compress(b"a,b\n" * 2_000_000), zipped({"a.csv": b"a,b\n" * 2_000_000})):
        with pytest.raises(Refused, match="times what was sent"):
            read(tmp_path, content)
    assert [one.name for one in tmp_path.iterdir()] == ["file"]


def test_names_in_a_zip_lead_nowhere(tmp_path):
    headers, _ = read(tmp_path, zipped({"../../climbs.csv": text()}))
    assert headers == HEADERS
    assert not (tmp_path.parent / "climbs.csv").exists()


def test_a_broken_line_of_json_lines_is_told_and_the_others_are_read(tmp_path):
    content = b'{"sku": "A"}\n{"sku": \n\n[1]\n{"sku": "B"}\n'
    _, table = find(tmp_path, content)
    rows = list(table.rows)
    assert [(row.line, bool(row.trouble)) for row in rows] == [(1, False), (2, True), (4, True), (5, False)]


@pytest.mark.parametrize("kind", [Kind.TEXT, Kind.SHEET, Kind.JSON, Kind.LINES, Kind.XML])
def test_mutated_files_are_read_or_refused_and_nothing_else(tmp_path, kind):
    whole = {
        Kind.TEXT: text(),
        Kind.SHEET: sheet(),
        Kind.JSON: json.dumps(records()).encode(),
        Kind.LINES: "\n".join(map(json.dumps, records())).encode(),
        Kind.XML: XML.encode(),
    }[kind]
    for step in range(1, 40):
        at = len(whole) * step // 40
        for content in (whole[:at], whole[:at] + bytes([step * 6]) + whole[at + 1 :], whole[:at] + b"\0" + whole[at:]):
            for left in tmp_path.iterdir():
                left.unlink()
            with suppress(Refused):
                read(tmp_path, content)
