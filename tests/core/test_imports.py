"""Columns, rows, and what a row would do."""

from decimal import Decimal

import pytest

from graupel.core.categories import parse_category_path
from graupel.core.columns import Matching, Rule
from graupel.core.errors import Refused
from graupel.core.guessing import guess
from graupel.core.imports import Action, FileRow, RowReader, plan_row


@pytest.mark.parametrize(
    ("headers", "found"),
    [
        (
            ["SKU", "Name", "Price", "Weight", "Category", "Description"],
            {"sku": 0, "name": 1, "price": 2, "weight_g": 3, "category": 4, "description": 5},
        ),
        (["Bezeichnung", "Artikelnummer", "Preis"], {"name": 0, "sku": 1, "price": 2}),
        (
            ["product_name", "item no.", "Weight (g)", "Price EUR", "margin", "Made in"],
            {"name": 0, "sku": 1, "weight_g": 2, "price": 3, "origin_country": 5},
        ),
        (["Titel", "colour"], {"name": 0}),
        (["name", "title", ""], {"name": 0}),
    ],
)
def test_columns_are_guessed_by_the_headers_of_the_trade(headers, found):
    assert {one.field: one.column for one in guess(headers)} == found


def plain(**columns):
    return Matching.of(Rule(name, column) for name, column in columns.items())


def test_a_row_says_only_what_its_filled_cells_say():
    cells = ["FEL-1", "", "12,50", " 1.2 kg"]
    row = RowReader(plain(sku=0, name=1, price=2, weight_g=3, category=9), "EUR").read(cells, 4)
    assert row == FileRow(4, "FEL-1", {"price": Decimal("12.50"), "weight_g": 1200})


def test_every_unreadable_cell_of_a_row_is_named_with_its_line():
    row = RowReader(plain(sku=0, name=1, price=2), "EUR").read(["FEL-🧶", "x", "dear"], 7)
    assert [(p.row, p.field) for p in row.problems] == [(7, "sku"), (7, "price")]
    assert plan_row(row, None, live=False).action is Action.REFUSED


def test_what_a_row_does_depends_on_what_is_there():
    row = FileRow(2, "A", {"price": Decimal("5.00")})
    current = {"name": "Wool", "price": Decimal("4.00"), "weight_g": None, "category": None, "description": ""}
    changed = plan_row(row, current, live=False)
    assert (changed.action, changed.before, changed.after) == (Action.CHANGED, {"price": "4.00"}, {"price": "5.00"})
    assert plan_row(row, {**current, "price": Decimal("5.00")}, live=False).action is Action.UNCHANGED
    assert plan_row(row, None, live=False).problems[0].code == "name.missing"
    assert {p.field for p in plan_row(FileRow(2, "A", {"name": "N"}), None, live=True).problems} == {
        "price",
        "category",
    }


def test_a_category_path_is_folded_and_one_with_holes_refused():
    assert parse_category_path(" Yarn>  Aran ") == "Yarn > Aran"
    with pytest.raises(Refused, match="empty category name"):
        parse_category_path("Yarn > > Aran")
