"""Cells of the table edited in place."""

from decimal import Decimal

import pytest

from graupel.core.attributes import AttributeKind
from graupel.core.errors import NotAllowed, Refused
from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.features.products import service as products
from graupel.features.variants import cells, making
from graupel.features.variants.cells import Cell
from graupel.features.variants.making import Wish
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary.attributes import Definition
from tests.making import catalogue, make_product


@pytest.fixture
def goods(ctx):
    """A product that does not vary, and one with two variants."""
    colour = attributes.make(ctx, SYSTEM, Definition("Colour", AttributeKind.COLOUR, choices=["Oat", "Rust"])).id
    oat, rust = (choice.id for choice in attributes.read(ctx, SYSTEM, colour).attribute.choices)
    one, other = make_product(ctx, "ONE"), make_product(ctx, "TWO")
    making.make(ctx, SYSTEM, other, Wish(((colour, (oat, rust)),), {colour: oat}))
    return one, other, [variant.id for variant in products.read(ctx, SYSTEM, other).variants]


def values(ctx, product_id):
    return products.read(ctx, SYSTEM, product_id).values


def test_a_pasted_column_changes_products_and_variants_in_one_change_set(ctx, goods):
    one, other, (first, second) = goods
    cells.save(
        ctx,
        SYSTEM,
        [
            Cell("p", one, "price", "12,50", "9.80"),
            Cell("p", other, "price", "10", "9.80"),
            Cell("v", first, "price", "11", ""),
            Cell("v", second, "stock", "7", ""),
            Cell("p", one, "name", " New  name ", "Fellside aran ONE"),
            Cell("p", one, "status", "Draft", "live"),
            Cell("v", second, "archived", "archived", "for sale"),
        ],
    )
    assert (values(ctx, one).name, values(ctx, one).price, values(ctx, one).status) == (
        "New name",
        Decimal("12.50"),
        Status.DRAFT,
    )
    variants = products.read(ctx, SYSTEM, other).variants
    assert [(v.price, v.stock, v.archived) for v in variants] == [(Decimal("11.00"), None, False), (None, 7, True)]
    assert values(ctx, other).price == Decimal("10.00")


@pytest.mark.parametrize(
    ("field", "text", "was", "says"),
    [
        ("price", "twelve", "9.80", "not a price"),
        ("price", "12", "1.00", "Somebody changed this to 9.80"),
        ("price", "", "9.80", "A price is needed"),
        ("status", "sold", "live", "draft, live or archived"),
        ("name", "x" * 500, "Fellside aran ONE", "500"),
        ("stock", "many", "", "no number of pieces"),
    ],
)
def test_one_cell_that_can_not_be_taken_keeps_all_from_being_written_and_is_named(ctx, goods, field, text, was, says):
    one, other, _ = goods
    before = catalogue(ctx)
    with pytest.raises(Refused) as refusal:
        cells.save(ctx, SYSTEM, [Cell("p", other, "price", "1", "9.80"), Cell("p", one, field, text, was)])
    (problem,) = refusal.value.problems
    assert says in problem.message
    assert problem.field == f"p{one}:{field}"
    assert catalogue(ctx) == before


def test_product_and_variants_are_judged_by_what_they_become_together(ctx, goods):
    _, other, (first, second) = goods
    cells.save(ctx, SYSTEM, [Cell("v", first, "price", "11", ""), Cell("v", second, "price", "12", "")])
    # The product's price may go, for each variant has its own; not where one loses its own in the same paste.
    with pytest.raises(Refused, match="price"):
        cells.save(ctx, SYSTEM, [Cell("p", other, "price", "", "9.80"), Cell("v", first, "price", "", "11.00")])
    assert (values(ctx, other).price, products.read(ctx, SYSTEM, other).unpriced) == (Decimal("9.80"), 0)
    cells.save(ctx, SYSTEM, [Cell("p", other, "price", "", "9.80"), Cell("v", first, "price", "13", "11.00")])
    assert values(ctx, other).price is None
    with pytest.raises(Refused, match="price"):
        cells.save(ctx, SYSTEM, [Cell("v", first, "price", "", "13.00")])


def test_the_last_variant_for_sale_stays_and_stock_belongs_to_variants(ctx, goods):
    _, other, ids = goods
    with pytest.raises(Refused, match="At least one variant must stay"):
        cells.save(ctx, SYSTEM, [Cell("v", one, "archived", "archived", "for sale") for one in ids])
    with pytest.raises(Refused, match="its stock belongs to its variants"):
        cells.save(ctx, SYSTEM, [Cell("p", other, "stock", "5", "")])
    with pytest.raises(Refused, match="not there any more"):
        cells.save(ctx, SYSTEM, [Cell("v", 999_999, "stock", "5", "")])


def test_a_viewer_edits_no_cell(ctx, goods, viewer):
    with pytest.raises(NotAllowed):
        cells.save(ctx, viewer, [Cell("p", goods[0], "price", "1", "9.80")])
