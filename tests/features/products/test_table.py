"""The products table: search, facets, sorting, pages."""

import html
import re
import threading
from concurrent.futures import ThreadPoolExecutor, wait
from dataclasses import replace
from decimal import Decimal
from urllib.parse import parse_qs

import pytest

from graupel.caching import Keepers, KeptCounts
from graupel.core import bitmaps, words
from graupel.core.attributes import AttributeKind, Fact
from graupel.core.doubles import fold
from graupel.core.products import Status
from graupel.core.roles import SYSTEM, Role
from graupel.core.tables import GROUPED_SORTS, SORTS, Cursor, TableState
from graupel.db import DatabaseUnavailable, Tx
from graupel.features.categories import service as categories
from graupel.features.products import facet_index, facet_keeper, facet_snapshot, many, saving, table_store
from graupel.features.products import service as products
from graupel.features.products import table as products_table
from graupel.features.products.facet_keeper import FacetKeeper, read_all
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.attributes import Definition
from tests.making import bring_in, make_product
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser"]


def table(ctx, q="", sort="-changed", **chosen):
    return products_table.read(ctx, SYSTEM, TableState(q=q, chosen=chosen, sort=sort))


def facet(found, label):
    """A facet's values as (label, count, chosen)."""
    return [(v.label, v.count, v.chosen) for one in found.facets if one.label == label for v in one.values]


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
    ("typed", "skus"),
    [
        ("fellside", {"FEL-HEA", "FEL-JUN"}),
        ("heath fells", {"FEL-HEA"}),
        ("hea", {"FEL-HEA", "HEA-1"}),
        ("fel-j", {"FEL-JUN"}),
        ("4-ply", {"NDL-4"}),
        ("the", {"HEA-1"}),
        ("4", {"NDL-4"}),
        ("n", {"NDL-4"}),
        ("ar", {"FEL-HEA", "FEL-JUN"}),
        ("Fellsíde", {"FEL-HEA", "FEL-JUN"}),
        ("old_", {"OLD_1"}),
        ("fel_hea", set()),
        ("zebra", set()),
        ('+*"', set()),
        ("🧶", set()),
        ("%", set()),
    ],
)
def test_search_finds_beginnings_of_words_in_names_and_of_skus(ctx, goods, typed, skus):
    assert {row["sku"] for row in table(ctx, q=typed).rows} == skus


def test_a_search_finds_what_looking_at_every_name_finds(ctx, monkeypatch):
    """Also where most words are told apart no more, and after names changed."""
    monkeypatch.setattr(words, "MOST_TOLD", 2)
    monkeypatch.setattr(words, "FREQUENT", 3)
    names = [
        "Child’s hat “First Frost”", "Childs hat", "Hat with 4-ply wool", "Hatmaker's block 40", "Hatching 401",
        "Hattie",
        "Größe 4", "Grosse Nadel", "Crème brûlée aran", "Creme 400", "Aran & Co", "1000 stitches", "10001 stitches",
        "10002 stitches", "10003 stitches, hat",
    ]  # fmt: skip
    ids = [make_product(ctx, f"ZZ-{number:02d}", name=name) for number, name in enumerate(names)]
    named = dict(zip(ids, names, strict=True))
    saving.save(ctx, SYSTEM, ids[5], replace(products.read(ctx, SYSTEM, ids[5]).values, name="Plain"), None)
    named[ids[5]] = "Plain"
    for typed in ("hat", "hat 4", "4", "child", "hatch", "GRÖSSE", "creme", "1000", "10003", "hat 10003", "plain"):
        fits = {key for key, name in named.items() if words.all_begin(words.words_of(typed), name)}
        assert {row["id"] for row in table(ctx, q=typed).rows} == fits, typed


def test_facets_count_within_the_search_and_the_other_facet(ctx, goods):
    found = table(ctx, q="fellside", status=("live",))
    assert facet(found, "Status") == [
        ("Live", 1, True),
        ("Draft", 1, False),
        ("Archived", 0, False),
    ]
    assert facet(found, "Category") == [("Yarn > Aran", 1, False)]
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
    listed = 20 if sort.endswith("list_price") else 0
    rows = products_table.read(ctx, SYSTEM, TableState(sort="name")).rows[:listed]
    lists = {row["id"]: Decimal(20 + row["id"] % 3) for row in rows}
    for one, amount in lists.items():
        saving.save(ctx, SYSTEM, one, replace(products.read(ctx, SYSTEM, one).values, list_price=amount), None)
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
    key = sort.lstrip("-")
    columns = {"changed": "changed_at", "price": "price_low"}
    sorted_by = {"list_price": lambda row: lists.get(row["id"]), "cost": lambda row: None}
    value_of = sorted_by.get(key) or (lambda row: row[columns.get(key, key)])
    values = [(value_of(row) is not None, value_of(row) or 0, row["id"]) for row in seen]
    assert values == sorted(values, reverse=sort.startswith("-"))
    for earlier in (pages[1], pages[0]):
        found = products_table.read(ctx, SYSTEM, TableState.read(parse_qs(found.earlier)))
        assert [row["id"] for row in found.rows] == earlier
    assert found.earlier is None


def test_goods_are_sorted_by_words_that_many_have(ctx):
    """Each in the group that its column shows, of several tags under the first; page after page, and back."""
    made = [("Yarn > Lace", "Zinc", ("b", "a")), ("Yarn > Aran", "Élan", ("b",)), ("Kits", "", ())]
    kinds = [vocabulary.make(ctx, SYSTEM, "type", name).id for name in ("Ribbon", "Button")]
    for number in range(60):
        category, brand, tags = made[number % 3]
        status = Status.DRAFT if number % 2 else Status.LIVE
        given = {"brand": brand, "tags": tags, "type_id": [*kinds, None][number % 3], "status": status}
        make_product(ctx, f"P-{number:02}", category=category, **given)

    def shown(row, key):
        value = row[key]
        value = min(value, default="") if key == "tags" else value
        return list(map(str, Status)).index(value) if key == "status" else fold(value)

    for sort in (*GROUPED_SORTS, *(f"-{key}" for key in GROUPED_SORTS)):
        first = table(ctx, sort=sort)
        later = products_table.read(ctx, SYSTEM, TableState.read(parse_qs(first.later)))
        back = products_table.read(ctx, SYSTEM, TableState.read(parse_qs(later.earlier)))
        seen = [*first.rows, *later.rows]
        order = [(shown(row, sort.lstrip("-")), row["id"]) for row in seen]
        assert order == sorted(order, reverse=sort.startswith("-"))
        assert len({row["id"] for row in seen}) == 60
        assert [row["id"] for row in back.rows] == [row["id"] for row in first.rows]


def test_where_much_fits_a_page_is_read_along_an_index_without_sorting(ctx, monkeypatch):
    """The database's own plans, so that it stays so when the catalogue grows."""
    lines = "".join(f"P-{n:04d},Fellside {n % 90},{n % 50 + 1},Yarn > Shelf {n % 9}\n" for n in range(2000))
    bring_in(ctx, "sku,name,price,category\n" + lines, live=True)
    ctx.db.run(lambda tx: tx.all("ANALYZE TABLE product, product_text, variant, product_summary"))
    plans = []

    def explain(tx, sql, params=None):
        plans.append(original(tx, f"EXPLAIN {sql}", params))
        return original(tx, sql, params)

    original = Tx.all
    monkeypatch.setattr(Tx, "all", explain)
    for key in SORTS:
        for descending in (True, False):
            for cursor in (None, Cursor("P" if key in ("name", "sku") else "2.00", 5)):
                at = None if key in ("changed", "stock") else cursor
                ctx.db.run(lambda tx, k=key, d=descending, at=at: table_store.walk(tx, k, at, "en", 51, descending=d))
    monkeypatch.undo()
    assert len(plans) == 4 * len(SORTS)
    for plan in plans:
        assert plan[-1]["key"] is not None, plan
        assert not any("filesort" in row["Extra"] or "temporary" in row["Extra"] for row in plan), plan


def test_walking_an_index_and_sorting_what_fits_give_the_same_pages(ctx, monkeypatch):
    """Also where walking is given up on the way, and where those that fit lie at the very end."""
    lines = "".join(f"P-{n:03d},Fellside {n % 7},{n % 5 + 1 if n % 4 else ''},Shelf {n // 77}\n" for n in range(230))
    bring_in(ctx, "sku,name,price,category\n" + lines)
    first_shelf = next(iter(categories.read_tree(ctx))).id
    walked, given_up = [], 0
    walk = table_store.walk
    monkeypatch.setattr(table_store, "walk", lambda *args, **named: walked.append(1) or walk(*args, **named))
    for sort in [*SORTS, *(f"-{key}" for key in SORTS)]:
        ways, walks = [], []
        for costs, at_once, uneven in ((0, 100, 4), (10**6, 20, 10**9), (3, 20, 10**9), (3, 30, 10**9), (3, 20, 4)):
            monkeypatch.setattr(products_table, "UNEVEN", uneven)
            monkeypatch.setattr(products_table, "SORTING_COSTS", costs)
            monkeypatch.setattr(products_table, "MOST_WALKED", at_once)
            walked.clear()
            fresh = replace(ctx, counts=KeptCounts())
            first = table(fresh, sort=sort, category=(first_shelf,))
            second = products_table.read(fresh, SYSTEM, TableState.read(parse_qs(first.later)))
            ways.append([row["id"] for page in (first, second) for row in page.rows])
            walks.append(len(walked))
        assert len(ways[0]) == 77
        assert all(way == ways[0] for way in ways)
        assert walks[0] == 0 < walks[3] < walks[1]
        assert walks[4] <= walks[2]
        given_up += walks[4] < walks[2]
    assert given_up, "where those that fit lie at the end of an order"


@pytest.mark.parametrize("large", [facet_keeper.LARGE, 0])
def test_the_facets_kept_in_memory_are_those_of_the_catalogue_after_any_change(ctx, goods, monkeypatch, large):
    """Taking in what changed gives the same as reading everything anew, and the same as looking at each product; also
    where each act counts as a large one, which is taken in beside."""
    monkeypatch.setattr(facet_keeper, "LARGE", large)
    monkeypatch.setattr(facet_keeper, "BESIDE", 2)
    keeper = ctx.keepers.get(FacetKeeper)
    table(ctx)
    readings = keeper.readings
    ids = [product.id for product in many.list_after(ctx, SYSTEM, after=0, limit=9)]
    values = products.read(ctx, SYSTEM, ids[0]).values
    saving.save(
        ctx, SYSTEM, ids[0], replace(values, brand="Carrow Mill", tags=("summer",), stock=3, name="Renamed"), None
    )
    saving.save(ctx, SYSTEM, ids[1], replace(products.read(ctx, SYSTEM, ids[1]).values, tags=("summer",)), None)
    saving.delete(ctx, SYSTEM, ids[2])
    make_product(ctx, "NEW-1", price=Decimal("120.00"))
    kept_counts(ctx)
    found = table(ctx)
    assert keeper.readings == readings
    assert facet(found, "Tag") == [("summer", 2, False)]
    assert facet(found, "Brand") == [("Carrow Mill", 1, False)]
    assert facet(found, "Stock") == [("below its threshold", 1, False), ("not counted", 4, False)]
    assert ("100 to 200", 1, False) in facet(found, "Price")
    assert kept_counts(ctx) == read_anew(ctx)
    tag = next(iter(vocabulary.read(ctx).tags))
    assert {row["id"] for row in table(ctx, tag=(tag,)).rows} == set(ids[:2])
    assert table(ctx, tag=(tag,), stock=("low",)).total == 1


def said(index, words):
    """What facets and words say of all products."""
    return index.counts({}), {tuple(key): ids for key, ids in bitmaps.unpack(words.pack())}


def kept_counts(ctx):
    def work(tx):
        with facet_index.held_both(ctx, tx) as kept:
            return said(*kept)

    return ctx.db.run(work)


def read_anew(ctx):
    return ctx.db.run(lambda tx: said(*read_all(tx, "en")))


@pytest.fixture
def taking_in(monkeypatch):
    """Acts of more than twelve records are large; holds up what is read beside of them, until it is let go."""
    monkeypatch.setattr(facet_keeper, "LARGE", 12)
    goes_on, reads = threading.Event(), facet_keeper._read

    def held_up(tx, ids, lang):
        found = reads(tx, ids, lang)
        assert threading.current_thread().name != "facets" or goes_on.wait(30)
        return found

    monkeypatch.setattr(facet_keeper, "_read", held_up)
    yield goes_on
    goes_on.set()


def test_who_looks_at_goods_does_not_wait_for_a_large_act_and_who_acts_on_them_does(ctx, goods, taking_in, browser):
    before = table(ctx).total
    bring_in(ctx, "sku,name\n" + "".join(f"L-{number},Late {number}\n" for number in range(9)))
    assert (table(ctx).total, table(ctx).is_behind) == (before, True)
    for page in ("/products", "/shop", "/shop/search?q=late", "/today", "/categories", "/prices", "/find?q=late"):
        assert browser.get(page).status_code == 200, page
    assert table(ctx).is_behind, "none of them waited"
    own = make_product(ctx, "MINE", name="Mine")
    late = ctx.db.run(lambda tx: tx.value("SELECT product_id FROM variant WHERE sku = 'L-3'"))
    values = products.read(ctx, SYSTEM, late).values
    saving.save(ctx, SYSTEM, late, replace(values, name="Renamed"), None)
    found = table(ctx)
    assert {own, late} <= {row["id"] for row in found.rows}, "what people do one by one is there at once"
    assert (found.total, found.is_behind) == (before + 2, True)
    with ThreadPoolExecutor(1) as other:
        acting = other.submit(lambda: ctx.db.run(lambda tx: products_table.matching(ctx, tx, TableState.read({}))))
        assert not wait([acting], 0.2).done, "it waits until all of it is there"
        taking_in.set()
        assert len(acting.result(30)) == before + 10
    assert (table(ctx).total, table(ctx).is_behind) == (before + 10, False)
    assert kept_counts(ctx) == read_anew(ctx)
    assert [row["id"] for row in table(ctx, q="renamed").rows] == [late], "newer than what was read beside"


def test_where_a_large_act_can_t_be_taken_in_beside_all_is_read_anew(ctx, goods, monkeypatch):
    table(ctx)
    monkeypatch.setattr(facet_keeper, "LARGE", 0)
    reads, faults = facet_keeper._read, iter([True])

    def fails_once(tx, ids, lang):
        if threading.current_thread().name == "facets" and next(faults, False):
            raise DatabaseUnavailable("The database does not answer.")
        return reads(tx, ids, lang)

    monkeypatch.setattr(facet_keeper, "_read", fails_once)
    readings = ctx.keepers.get(FacetKeeper).readings
    make_product(ctx, "NEW-1")
    assert kept_counts(ctx) == read_anew(ctx)
    assert ctx.keepers.get(FacetKeeper).readings == readings + 1


def test_a_new_process_begins_with_the_facets_that_another_kept(ctx, goods, monkeypatch):
    """It reads what changed since; one that is torn, of other rules or of another catalogue counts for nothing."""
    monkeypatch.setattr(facet_index, "WORTH_KEEPING", 1)
    monkeypatch.setattr(facet_keeper, "WORTH_KEEPING", 1)
    monkeypatch.setattr(facet_keeper, "KEPT_AFTER", 3)

    def begin() -> int:
        """How often a new process reads everything until it knows the facets."""
        another = replace(ctx, keepers=Keepers())
        assert kept_counts(another) == read_anew(ctx)
        return another.keepers.get(FacetKeeper).readings

    assert facet_index.prepare(replace(ctx, keepers=Keepers())) == 5
    make_product(ctx, "NEW-1", price=Decimal("120.00"))
    saving.delete(ctx, SYSTEM, many.list_after(ctx, SYSTEM, after=0, limit=9)[2].id)
    assert begin() == 0
    file = ctx.settings.data_folder / facet_snapshot.FOLDER / facet_snapshot.NAME
    whole = file.read_bytes()
    make_product(ctx, "NEW-2")
    assert begin() == 0
    assert file.read_bytes() != whole, "kept anew after three change sets"
    for torn in (whole[:-9], whole[:40], b"", whole.replace(b'"rules": "', b'"rules": "x')):
        file.write_bytes(torn)
        assert begin() == 1
        assert begin() == 0
    ctx.db.run(
        lambda tx: tx.run("UPDATE change_set SET made_at = made_at + INTERVAL 1 SECOND ORDER BY id DESC LIMIT 1")
    )
    assert begin() == 1, "the same numbers, of another catalogue"
    nowhere = replace(ctx, settings=ctx.settings.model_copy(update={"data_folder": file}), keepers=Keepers())
    assert kept_counts(nowhere) == read_anew(ctx), "a folder that can't be written is no trouble"


def test_choices_of_one_attribute_widen_and_those_of_another_narrow(ctx):
    fibre = attributes.make(ctx, SYSTEM, Definition("Fibre", AttributeKind.ONE_CHOICE, choices=["Wool", "Linen"])).id
    feel = attributes.make(ctx, SYSTEM, Definition("Feel", AttributeKind.ONE_CHOICE, choices=["Soft", "Dry"])).id
    words = vocabulary.read(ctx).attributes
    ids = {choice.label: choice.id for key in (fibre, feel) for choice in words[key].choices}
    for sku, one, other in (("A", "Wool", "Soft"), ("B", "Linen", "Soft"), ("C", "Linen", "Dry")):
        make_product(ctx, sku, facts={fibre: Fact(choices=(ids[one],)), feel: Fact(choices=(ids[other],))})
    found = table(ctx, fact=(ids["Wool"], ids["Linen"], ids["Dry"]))
    assert [row["sku"] for row in found.rows] == ["C"]
    assert facet(found, "Fibre") == [("Wool", 0, True), ("Linen", 1, True)]
    assert facet(found, "Feel") == [("Soft", 2, False), ("Dry", 1, True)]


# --- a facet with all its values, and addresses that are shared ----------------------------------------------


def labels_of(page: str) -> list[str]:
    return re.findall(r'<span class="name">([^<]*)</span>', page)


def test_a_facet_opens_with_all_its_values_which_are_searched_and_ordered(browser, ctx):
    brands = [f"Mill {number:02}" for number in range(15)]
    for number, brand in enumerate(brands):
        for copy in range(1 + (number == 14)):
            make_product(ctx, f"B-{number}-{copy}", brand=brand, name="Wool")
    make_product(ctx, "OTHER", brand="Añil & Co", name="Cotton")
    page = html.unescape(browser.get("/products?q=wool").text)
    address = page.split('hx-get="/products/facet/brand')[1].split('"')[0]
    whole = f"/products/facet/brand{address}"
    assert labels_of(browser.get(whole).text) == ["Mill 14", *brands[:14]], "those of the search, most products first"
    assert labels_of(browser.get(f"{whole}&order=name").text) == brands
    assert labels_of(browser.get(f"{whole}&fq=mill+03").text) == ["Mill 03"]
    assert labels_of(browser.get("/products/facet/brand?fq=anil").text) == ["Añil &amp; Co"]
    assert "q=wool&amp;brand=" in browser.get(whole).text, "what is searched stays"
    assert browser.get("/products/facet/nothing").status_code == 404


def test_a_shared_address_carries_the_columns(browser, as_role, ctx):
    make_product(ctx, "W-1", brand="Carrow Mill")
    form = {"column": ["brand", "price"], "query": "q=w-1"}
    address = browser.write("/products/columns", form).headers["hx-redirect"]
    assert address == "/products?q=w-1&columns=brand.price"
    assert browser.get("/products", follow_redirects=False).headers["location"] == "/products?columns=brand.price"
    other = as_role(Role.VIEWER)
    assert ("Carrow Mill</td>" in other.get(address).text, ">Changed" in other.get(address).text) == (True, False)
    assert ">Changed" in other.get("/products").text, "looking at it changes nobody's own columns"
    shared = other.get("/products?q=w-1", follow_redirects=False).headers["location"]
    assert shared == "/products?q=w-1&columns=usual"
    assert ">Changed" in browser.get(shared).text, "the usual ones are carried too"
