"""What the cells of the products table show and how they are edited, through lenses, of products and of variants."""

from decimal import Decimal

import pytest

from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.core.tables import COLUMNS, TableState
from graupel.features.destinations import service as destinations
from graupel.features.products import service as products
from graupel.features.products import table, table_cells
from graupel.features.variants import setting
from graupel.features.variants.table_cells import VariantRow
from graupel.features.vocabulary import service as vocabulary
from tests.making import add_german, add_outlet, counted, make_product
from tests.needles import by_label, colour, needles, size

__all__ = ["colour", "needles", "size"]


def drawn(ctx, product_id, lens=""):
    """The product's row with all columns, and its cells by column."""
    seen = destinations.see(ctx, lens)
    found = next(row for row in table.read(ctx, SYSTEM, TableState(), seen).rows if row["id"] == product_id)
    row = table_cells.row(found, list(COLUMNS), seen, "en")
    return row, dict(zip(COLUMNS, row.cells, strict=True))


def drawn_variant(ctx, product_id, variant_id, lens=""):
    """A variant's cells by column."""
    seen = destinations.see(ctx, lens)
    product = products.read(ctx, SYSTEM, product_id)
    through = products.through(product, seen.lens, vocabulary.seen(ctx, seen.lens, product_id))
    pairs = {one.id: (one, shown) for one, shown in zip(product.variants, through.variants, strict=True)}
    one, shown = pairs[variant_id]
    cells = VariantRow(one, product, shown, through, "", seen).cells(list(COLUMNS))
    return dict(zip(COLUMNS, cells, strict=True))


@pytest.fixture
def yarn(ctx) -> int:
    return make_product(
        ctx, "FEL-1", price=Decimal("1234.50"), list_price=Decimal("1500.00"), cost=Decimal("7.25"), stock=1200,
        weight_g=1250, brand="Carrow Mill", tags=("summer", "wool"), origin_country="IE", status=Status.LIVE,
    )  # fmt: skip


def test_every_column_shows_its_value_in_words_and_numbers(ctx, yarn):
    row, cells = drawn(ctx, yarn)
    assert {column: cell.text for column, cell in cells.items() if column not in ("changed", "made")} == {
        "code": "FEL-1", "type": "", "brand": "Carrow Mill", "category": "Aran", "status": "Live", "price": "1234.50",
        "list_price": "1500.00", "cost": "7.25", "stock": "1,200", "variants": "1", "weight": "1.25 kg", "tags": "",
        "origin_country": "Ireland",
    }  # fmt: skip
    assert cells["tags"].chips == ("summer", "wool")
    assert cells["category"].note == "Yarn > Aran"
    assert cells["status"].stone == "full"
    assert cells["changed"].text == "just now"
    assert (row.variants, row.shown_in) == ("", "")


def test_what_can_be_typed_into_a_cell_is_what_stands_in_its_field(ctx, yarn):
    _, cells = drawn(ctx, yarn)
    assert {column: (cell.edits, cell.typed) for column, cell in cells.items() if cell.edits} == {
        "status": (f"p{yarn}:status", "live"),
        "price": (f"p{yarn}:price", "1234.50"),
        "list_price": (f"p{yarn}:list_price", "1500.00"),
        "stock": (f"p{yarn}:stock", "1200"),
    }


def test_nothing_is_shown_where_there_is_nothing(ctx):
    bare = make_product(ctx, "BARE", price=None, category=None, weight_g=None, status=Status.DRAFT)
    _, cells = drawn(ctx, bare)
    assert {cells[column].text for column in ("price", "list_price", "cost", "stock", "weight", "category")} == {""}
    assert (cells["stock"].typed, cells["price"].typed) == ("", "")
    assert (cells["status"].text, cells["status"].stone) == ("Draft", "ring")


def test_a_product_that_varies_shows_a_range_and_its_stock_is_edited_in_its_variants(ctx, needles):
    one = by_label(ctx, needles)["Heather, 3 mm"].id
    setting.set_values(ctx, SYSTEM, needles, [one], "price", Decimal("3.00"))
    setting.set_values(ctx, SYSTEM, needles, [one], "stock", counted(7))
    row, cells = drawn(ctx, needles)
    assert cells["price"].text.startswith("3.00 – ")
    assert (cells["stock"].text, cells["stock"].edits) == ("7", "")
    assert row.variants == "6"


def test_a_lens_shows_numbers_its_way_and_offers_what_is_written_there(ctx, yarn):
    add_german(ctx)
    row, cells = drawn(ctx, yarn, "de")
    assert (cells["price"].text, cells["weight"].text, cells["stock"].text) == ("1.234,50", "1,25 kg", "1.200")
    assert (row.shown_in, row.typed_name) == ("English", ""), "the German name is missing"
    outlet = f"s{add_outlet(ctx)}"
    _, cells = drawn(ctx, yarn, outlet)
    assert cells["price"].typed == "", "nothing is written for the outlet alone"
    assert cells["price"].text


def test_a_variants_cells_say_what_is_its_own_and_what_it_takes_from_its_product(ctx, needles):
    one = by_label(ctx, needles)["Heather, 3 mm"].id
    plain = drawn_variant(ctx, needles, one)
    assert (plain["price"].typed, plain["price"].note) == ("", "from the product")
    assert "inherited" in plain["price"].classes
    setting.set_values(ctx, SYSTEM, needles, [one], "price", Decimal("3.00"))
    setting.set_values(ctx, SYSTEM, needles, [one], "archived", True)
    own = drawn_variant(ctx, needles, one)
    assert (own["price"].text, own["price"].typed, own["price"].note) == ("3.00", "3.00", "")
    assert (own["status"].text, own["status"].typed) == ("Archived", "archived")
    assert own["tags"].text == own["changed"].text == "", "only products have these"
    outlet = f"s{add_outlet(ctx)}"
    there = drawn_variant(ctx, needles, one, outlet)
    assert (there["price"].text, there["price"].typed, there["price"].note) == ("3,00", "", "as everywhere")


def test_headings_say_what_they_sort_by_and_which_way():
    headings = table_cells.headings(["price", "brand", "stock"], TableState.read({"sort": ["-price"]}), "EUR")
    assert [(one.label, one.arrow, bool(one.sort)) for one in headings] == [
        ("Price EUR", "↓", True),
        ("Brand", "", True),
        ("Stock", "", True),
    ]
    assert [one.classes for one in headings] == ["num", "muted cat optional", "num optional"]
