"""Slips in many rows of a file, mended by the rule of their column."""

import pytest

from graupel.core.columns import Matching, Rule
from graupel.core.errors import Refused
from graupel.core.identifiers import parse_gtin, with_zeros
from graupel.core.imports import RowReader
from graupel.core.slips import has_slashes, looks_eaten, mended, mends


def read(rules, *cells):
    reader = RowReader(Matching.of(rules), "EUR")
    rows = [reader.read(["S-1", cell], number) for number, cell in enumerate(cells)]
    return rows, reader.left_out


@pytest.mark.parametrize(
    ("field", "cell", "code", "how", "value"),
    [
        ("weight_g", "0,5", "weight.no_unit", "unit:kg", 500),
        ("stock", "1.000", "stock.ambiguous", "decimal:,", 1000),
        ("stock", "1.000", "stock.ambiguous", "decimal:.", 1),
        ("gtin", "12345670", None, None, "12345670"),
        ("gtin", "012345678905", None, None, "012345678905"),
        ("gtin", "41000000034", "gtin.zeros", "zeros", "041000000034"),
        ("back_on", "3/4/2026", "day.ambiguous", "days:dmy", "2026-04-03"),
    ],
)
def test_a_mend_that_is_offered_lets_the_cell_be_read(field, cell, code, how, value):
    rules = [Rule("sku", 0), Rule(field, 1)]
    (row,), _ = read(rules, cell)
    if code:
        assert [problem.code for problem in row.problems] == [code]
        assert how in [one.how for one in mends(field, code, is_of_cell=True)]
        rules = mended(rules, field, code, how)
        (row,), _ = read(rules, cell)
    assert row.problems == ()
    assert str(row.values[field]) == str(value)


def test_cells_that_can_not_be_read_are_left_out_counted_and_refused_again():
    rules = [Rule("sku", 0), Rule("gtin", 1)]
    cells = ("9.52E+12", "9521234567899", "9.52E+12", "x")
    assert [bool(row.problems) for row in read(rules, *cells)[0]] == [True, False, True, True]
    less = mended(rules, "gtin", "gtin.eaten", "leave")
    rows, counted = read(less, *cells)
    assert [bool(row.problems) for row in rows] == [False, False, False, True]
    assert ["gtin" in row.values for row in rows] == [False, True, False, False]
    assert counted == {("gtin", "gtin.eaten"): 2}
    assert mended(less, "gtin", "gtin.eaten", "back") == rules
    assert [Rule.of(one.as_dict()) for one in less] == less


def test_only_what_is_offered_is_done():
    assert mends("brand", "brand.several", is_of_cell=False) == ()
    assert [one.how for one in mends("pictures", "pictures.unknown", is_of_cell=False)] == ["leave"]
    rules = [Rule("sku", 0), Rule("gtin", 1)]
    for field, code, how in (
        ("sku", "sku.characters", "leave"),
        ("gtin", "gtin.eaten", "column:7"),
        ("gtin", "gtin.eaten", "unit:kg"),
        ("brand", "x", "leave"),
    ):
        assert mended(rules, field, code, how) == rules


def test_paths_with_slashes_and_signs_around_them():
    rules = mended([Rule("sku", 0), Rule("category", 1)], "category", "category.slash", "levels:/")
    rows, _ = read(rules, "/Yarn/Aran", "Yarn / Aran /", "Yarn")
    assert [row.values["category"] for row in rows] == ["Yarn > Aran", "Yarn > Aran", "Yarn"]
    rows, _ = read([Rule("sku", 0), Rule("category", 1)], "> Yarn > Aran", "Yarn > Aran >")
    assert [row.values["category"] for row in rows] == ["Yarn > Aran"] * 2
    assert has_slashes("/Yarn/Aran")
    assert not has_slashes("Yarn > 1/2 hanks")


def test_codes_that_a_spreadsheet_ate():
    assert all(map(looks_eaten, ("1.20E+05", "7,31E+12", "3-Apr", "12.Dez".replace("Dez", "Dec"))))
    assert not any(map(looks_eaten, ("A-1", "00123", "3-APPLE"[:2], "E5", "FEL-1E5")))
    rows = [RowReader(Matching.of([Rule("sku", 0)]), "EUR").read(["1.20E+05"], 1)]
    assert rows[0].odd == ("eaten",)
    assert with_zeros("41000000034") == "041000000034"
    assert with_zeros("000") == "000"
    assert with_zeros("12345") == "12345"
    with pytest.raises(Refused, match="only with zeros before it: 041000000034"):
        parse_gtin("41000000034")
