"""The products table: search, facets, sorting, pages."""

from decimal import Decimal
from urllib.parse import parse_qs

import pytest

from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.core.tables import SORTS, TableState
from graupel.db import Tx
from graupel.features.products import store
from graupel.features.products import table as products_table
from tests.making import bring_in, make_product


def table(ctx, **state):
    return products_table.read(ctx, SYSTEM, TableState(**state))


@pytest.fixture
def goods(ctx):
    for sku, name, price, status, category in (
        ("FEL-HEA", "Fellside aran, Heather", "9.80", Status.LIVE, "Yarn > Aran"),
        ("FEL-JUN", "Fellside aran, Juniper", "9.80", Status.DRAFT, "Yarn > Aran"),
        ("NDL-4", "Needle for 4-ply", None, Status.DRAFT, "Needles"),
        ("HEA-1", "The button 100%", "0.50", Status.LIVE, "Buttons"),
        ("OLD_1", "Old ribbon", "2.00", Status.ARCHIVED, None),
    ):
        make_product(ctx, sku, name=name, price=Decimal(price) if price else None, status=status, category=category)


@pytest.mark.parametrize(
    ("words", "skus"),
    [
        ("fellside", {"FEL-HEA", "FEL-JUN"}),
        ("heath fells", {"FEL-HEA"}),
        ("hea", {"FEL-HEA", "HEA-1"}),
        ("fel-j", {"FEL-JUN"}),
        ("4-ply", {"NDL-4"}),
        ("the", {"HEA-1"}),
        ("old_", {"OLD_1"}),
        ("fel_hea", set()),
        ("zebra", set()),
        ('+*"', set()),
        ("🧶", set()),
        ("%", set()),
    ],
)
def test_search_finds_beginnings_of_words_in_names_and_of_skus(ctx, goods, words, skus):
    assert {row["sku"] for row in table(ctx, q=words).rows} == skus


def test_facets_count_within_the_search_and_the_other_facet(ctx, goods):
    found = table(ctx, q="fellside", status=("live",))
    assert [(f.label, f.count, f.chosen) for f in found.statuses] == [
        ("Live", 1, True),
        ("Draft", 1, False),
        ("Archived", 0, False),
    ]
    assert [(f.label, f.count) for f in found.categories] == [("Yarn > Aran", 1)]
    assert found.total == 1
    assert {row["sku"] for row in table(ctx, status=("draft", "archived")).rows} == {"FEL-JUN", "NDL-4", "OLD_1"}


def test_counts_follow_a_change_at_once(ctx, goods):
    assert table(ctx).total == 5
    make_product(ctx, "NEW-1")
    assert table(ctx).total == 6


@pytest.mark.parametrize("sort", [*SORTS, *(f"-{key}" for key in SORTS)])
def test_pages_lead_through_every_product_once_and_back_again(ctx, sort):
    lines = "\n".join(f"P-{i:03d},Wool {i % 7},{(i % 5) + 1 if i % 4 else ''}" for i in range(130))
    bring_in(ctx, "sku,name,price\n" + lines)
    seen, pages, at = [], [], TableState(sort=sort)
    while True:
        found = products_table.read(ctx, SYSTEM, at)
        pages.append([row["id"] for row in found.rows])
        seen += found.rows
        if found.later is None:
            break
        at = TableState.read(parse_qs(found.later))
    assert [len(page) for page in pages] == [50, 50, 30]
    assert len({row["id"] for row in seen}) == 130
    key = {"changed": "changed_at"}.get(sort.lstrip("-"), sort.lstrip("-"))
    values = [(row[key] is not None, row[key] if row[key] is not None else 0, row["id"]) for row in seen]
    assert values == sorted(values, reverse=sort.startswith("-"))
    for earlier in (pages[1], pages[0]):
        found = products_table.read(ctx, SYSTEM, TableState.read(parse_qs(found.earlier)))
        assert [row["id"] for row in found.rows] == earlier
    assert found.earlier is None


def test_where_much_fits_a_page_is_read_along_an_index_without_sorting(ctx, monkeypatch):
    """The database's own plans, so that it stays so when the catalogue grows."""
    lines = "".join(f"P-{n:04d},Fellside {n % 90},{n % 50 + 1},Yarn > Shelf {n % 9}\n" for n in range(2000))
    bring_in(ctx, "sku,name,price,category\n" + lines, live=True)
    ctx.db.run(lambda tx: tx.all("ANALYZE TABLE product, product_text, variant"))
    plans = []

    def explain(tx, sql, params=None):
        plans.append(original(tx, f"EXPLAIN {sql}", params))
        return original(tx, sql, params)

    original = Tx.all
    monkeypatch.setattr(Tx, "all", explain)
    for sort in [*SORTS, *(f"-{key}" for key in SORTS)]:
        for state in ({}, {"status": ("live",)}, {"q": "fells"}):
            ctx.db.run(lambda tx, s=TableState(sort=sort, **state): store.page_ids(tx, s, "en", fitting=100_000))
    monkeypatch.undo()
    assert len(plans) == 24
    for plan in plans:
        assert plan[0]["key"] is not None, plan
        assert not any("filesort" in row["Extra"] or "temporary" in row["Extra"] for row in plan), plan


def test_every_way_of_reading_a_page_gives_the_same_rows(ctx, goods):
    for state in (
        TableState(q="fells", sort="name"),
        TableState(status=("draft",), sort="-price"),
        TableState(q="the", sort="sku"),
    ):

        def read(tx, state=state):
            found = store.search_ids(tx, state.q, "en") if state.q else None
            ways = [store.page_ids(tx, state, "en", fitting) for fitting in (100_000, 1)]
            return [*ways, store.page_ids(tx, state, "en", 1, found)]

        first, *others = ctx.db.run(read)
        assert first
        assert others == [first, first]
