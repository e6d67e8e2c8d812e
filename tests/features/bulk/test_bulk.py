"""One value for many products: looked at, done whole, rolled back."""

import html
from dataclasses import replace
from decimal import Decimal

import pytest

from graupel.core import endings, price_changes
from graupel.core.attributes import AttributeKind, Fact
from graupel.core.errors import NotAllowed, Refused
from graupel.core.product_types import Need
from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.features.bulk import service
from graupel.features.choices import reading, uses
from graupel.features.choices import service as choices
from graupel.features.destinations import terms
from graupel.features.history import rolling_back
from graupel.features.history import service as history
from graupel.features.products import checking, many, saving
from graupel.features.products import service as products
from graupel.features.variants import making, setting
from graupel.features.variants.making import Wish
from graupel.features.vocabulary import attributes, types
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.attributes import Definition
from graupel.features.vocabulary.types import Member
from tests.making import catalogue, make_product, outcome, roll_back_newest, work_off
from tests.needles import by_label, colour, needles, size
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser", "colour", "needles", "size"]


def do(ctx, field, value, **which):
    bulk_id = service.request_plan(ctx, SYSTEM, field, value, **which)
    plan = service.read(ctx, SYSTEM, bulk_id)
    job = service.request_apply(ctx, SYSTEM, bulk_id)
    work_off(ctx)
    return plan, outcome(ctx, job)


def values(ctx, product_id):
    return products.read(ctx, SYSTEM, product_id).values


@pytest.mark.parametrize(
    ("field", "value", "shown"),
    [
        ("status", "archived", Status.ARCHIVED),
        ("category", "Yarn > New > Place", "Yarn > New > Place"),
        ("brand", "Carrow Mill", "Carrow Mill"),
        ("brand", "", ""),
        ("tag_on", "summer", ("summer",)),
        ("tag_off", "winter", ()),
    ],
)
def test_a_value_is_shown_first_then_given_to_all_that_lack_it_and_taken_back_whole(ctx, field, value, shown):
    ids = [make_product(ctx, f"P-{n}", brand="Old", tags=("winter",)) for n in range(3)]
    other = make_product(ctx, "OTHER", brand="Old", tags=("winter",))
    before = catalogue(ctx)
    had = [values(ctx, one) for one in ids]
    plan, (state, _) = do(ctx, field, value, ids=ids)
    assert (plan.changing, len(plan.rows), state) == (3, 3, "done")

    def held(one):
        product = products.read(ctx, SYSTEM, one)
        if field == "category":
            return product.category_path
        return getattr(product.values, "tags" if field.startswith("tag") else field)

    expected = (*shown, "winter") if field == "tag_on" else shown
    assert [held(one) for one in ids] == [expected] * 3
    assert values(ctx, other) == values(ctx, other)
    again = service.read(ctx, SYSTEM, service.request_plan(ctx, SYSTEM, field, value, ids=ids))
    assert again.counts == {"unchanged": 3}
    number = history.list_change_sets(ctx, SYSTEM).change_sets[0]["id"]
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, number))
    assert [values(ctx, one) for one in ids] == had
    assert catalogue(ctx) == before


@pytest.mark.parametrize("text", ["+5 %", "-33.3 %\nended", "-2.00", "+0.35\nended", "9.90", "ended", "-99"])
def test_prices_change_by_sets_as_one_by_one_and_go_back_to_the_last_cent(ctx, needles, text):
    terms.save(ctx, SYSTEM, "", {"ending": ".95", "ending_way": "nearest"})
    own = by_label(ctx, needles)["Oat, 3 mm"]
    setting.set_values(ctx, SYSTEM, needles, [own.id], "price", Decimal("7.35"))
    ids = [needles, *(make_product(ctx, f"P-{n}", price=Decimal(n) + Decimal("0.45")) for n in range(4))]
    ids.append(make_product(ctx, "NONE", price=None, status=Status.DRAFT))
    before = {one: typed_prices(ctx, one) for one in ids}
    change, ending = price_changes.parse(text, "EUR"), endings.parse(".95")

    def then(price, *, its_own):
        if change.by is price_changes.By.PRICE:
            return price if its_own else change.amount
        return None if price is None else change.apply(price, ending)

    expected = {}
    for one, (of_product, of_variants) in before.items():
        varies = one == needles
        expected[one] = (
            then(of_product, its_own=False) if varies else of_product,
            [then(price, its_own=varies) for price in of_variants],
        )
    plan, (state, _) = do(ctx, "price", text, ids=ids)
    assert state == "done"
    assert {one: typed_prices(ctx, one) for one in ids} == expected
    assert plan.changing == sum(before[one] != expected[one] for one in ids)
    roll_back_newest(ctx)
    assert {one: typed_prices(ctx, one) for one in ids} == before


def typed_prices(ctx, product_id):
    """The price that a product that varies has itself, and those of its variants."""
    product = products.read(ctx, SYSTEM, product_id)
    return product.values.price if product.varies else None, [one.price for one in product.variants]


@pytest.mark.parametrize("text", ["", "5 %", "-100 %", "+x", "-12345678901", "9.905"])
def test_a_change_of_prices_that_can_be_meant_otherwise_is_refused(ctx, text):
    with pytest.raises(Refused):
        service.request_plan(ctx, SYSTEM, "price", text, ids=[make_product(ctx, "P-1")])


def test_all_that_match_means_what_the_address_of_the_table_shows(ctx):
    for n in range(4):
        make_product(ctx, f"P-{n}", name="Fellside" if n % 2 else "Needle", status=Status.DRAFT)
    plan, _ = do(ctx, "tag_on", "summer", query="q=fellside&status=draft")
    assert plan.changing == 2
    tagged = [p.values.name for p in many.list_after(ctx, SYSTEM, after=0, limit=9) if values(ctx, p.id).tags]
    assert tagged == ["Fellside", "Fellside"]


def test_what_can_not_go_live_in_sets_is_what_can_not_go_live_one_by_one(ctx):
    """The set-based check against the rule of each product."""
    level = attributes.make(ctx, SYSTEM, Definition("Level", AttributeKind.ONE_CHOICE, choices=["Easy", "Hard"])).id
    pages = attributes.make(ctx, SYSTEM, Definition("Pages", AttributeKind.NUMBER, unit="count:")).id
    colour = attributes.make(ctx, SYSTEM, Definition("Colour", AttributeKind.COLOUR, choices=["Oat", "Rust"])).id
    words = vocabulary.read(ctx).attributes
    easy, hard = (choice.id for choice in words[level].choices)
    kind = vocabulary.make(ctx, SYSTEM, "type", "Pattern").id
    members = [
        Member(level, need=Need.ALWAYS),
        Member(pages, need=Need.WHEN, when_choice_id=hard),
        Member(colour, need=Need.ALWAYS),
    ]
    types.save(ctx, SYSTEM, kind, "Pattern", "", members)
    oat = words[colour].choices[0].id
    made = []
    for number, given in enumerate(
        [
            {},
            {"price": None},
            {"category": None},
            {"type_id": kind},
            {"type_id": kind, "facts": {level: Fact(choices=(easy,)), colour: Fact(choices=(oat,))}},
            {"type_id": kind, "facts": {level: Fact(choices=(hard,)), colour: Fact(choices=(oat,))}},
        ]
    ):
        made.append(make_product(ctx, f"P-{number}", status=Status.DRAFT, **given))
    for number, own_prices in ((6, True), (7, False)):
        facts = {level: Fact(choices=(easy,))}
        product_id = make_product(ctx, f"V-{number}", status=Status.DRAFT, price=None, type_id=kind, facts=facts)
        making.make(ctx, SYSTEM, product_id, Wish(((colour, (oat, oat + 1)),), {colour: oat}))
        if own_prices:
            ids = [variant.id for variant in products.read(ctx, SYSTEM, product_id).variants]
            setting.set_values(ctx, SYSTEM, product_id, ids, "price", Decimal("2.00"))
        made.append(product_id)
    bulk_id = service.request_plan(ctx, SYSTEM, "status", "live", ids=made)
    rows = ctx.db.run(lambda tx: tx.all("SELECT product_id, action FROM bulk_row WHERE bulk_id = %s", [bulk_id]))
    for row in rows:
        live = replace(values(ctx, row["product_id"]), status=Status.LIVE)
        problems = checking.check(ctx, live, row["product_id"])
        assert (row["action"] == "refused") == bool(problems), (row, problems)
    plan = service.read(ctx, SYSTEM, bulk_id)
    assert (plan.counts["changed"], plan.counts["refused"]) == (3, 5)
    assert plan.reasons == {"no category": 1, "a variant without a price": 2, "a fact that its type needs": 2}


def test_a_product_that_changed_since_the_dry_run_is_left_out_named_and_offered_again(ctx, browser):
    ids = [make_product(ctx, f"P-{n}", name=f"Skein {n}") for n in range(3)]
    gone = make_product(ctx, "P-9", status=Status.DRAFT)
    bulk_id = service.request_plan(ctx, SYSTEM, "brand", "New", ids=[*ids, gone])
    saving.save(ctx, SYSTEM, ids[0], replace(values(ctx, ids[0]), short_text="Changed"), None)
    saving.delete(ctx, SYSTEM, gone)
    job = service.request_apply(ctx, SYSTEM, bulk_id)
    work_off(ctx)
    state, said = outcome(ctx, job)
    assert (state, said.partition("2 products that were changed")[2]) == (
        "done",
        " since the dry run stayed as they are.",
    )
    assert [values(ctx, one).brand for one in ids] == ["", "New", "New"]
    page = browser.get(f"/products/bulk/{bulk_id}").text
    assert "2 products were changed after the dry run" in page
    assert ("Skein 0" in page, "Skein 1" in page) == (True, False)
    again = browser.write(f"/products/bulk/{bulk_id}/again").headers["hx-redirect"]
    number = int(again.rpartition("/")[2])
    assert service.read(ctx, SYSTEM, number).counts == {"changed": 1, "unchanged": 1}
    service.request_apply(ctx, SYSTEM, number)
    work_off(ctx)
    assert values(ctx, ids[0]).brand == "New"


def test_a_dry_run_names_what_it_would_make_and_what_that_is_much_like(ctx, browser):
    vocabulary.make(ctx, SYSTEM, "tag", "Present")
    make_product(ctx, "P-0", category="Yarn > Laces")
    made = make_product(ctx, "P-1")
    bulk_id = service.request_plan(ctx, SYSTEM, "tag_on", "Presents , winter", ids=[made])
    makes = service.read(ctx, SYSTEM, bulk_id).makes
    assert [(one.kind, one.name, [two.other for two in one.near]) for one in makes] == [
        ("tag", "Presents", ["Present"]),
        ("tag", "winter", []),
    ]
    page = browser.get(f"/products/bulk/{bulk_id}").text
    assert "Makes the tag <b>Presents</b>, and the tag <b>winter</b>" in page
    assert "Take Present<" in page
    answer = browser.write(f"/products/bulk/{bulk_id}/again", data={"value": ["Present", "winter"]})
    again = service.read(ctx, SYSTEM, int(answer.headers["hx-redirect"].rpartition("/")[2]))
    assert (again.bulk["value"], [one.name for one in again.makes]) == ("Present\nwinter", ["winter"])
    place = service.request_plan(ctx, SYSTEM, "place", "Yarn > Lacess > Thick", ids=[made])
    new = service.read(ctx, SYSTEM, place).makes
    assert [one.name for one in new] == ["Yarn > Lacess", "Yarn > Lacess > Thick"]
    assert [one.other for one in new[0].near] == ["Yarn > Laces > Thick"]


def test_a_word_that_was_renamed_since_the_dry_run_is_not_made_again(ctx):
    made, tag = make_product(ctx, "P-1"), vocabulary.make(ctx, SYSTEM, "tag", "Wintry").id
    bulk_id = service.request_plan(ctx, SYSTEM, "tag_on", "Wintry", ids=[made])
    vocabulary.rename(ctx, SYSTEM, "tag", tag, "Winter")
    job = service.request_apply(ctx, SYSTEM, bulk_id)
    work_off(ctx)
    state, said = outcome(ctx, job)
    assert (state, "“Wintry” was renamed or deleted" in said) == ("failed", True)
    assert (list(vocabulary.read(ctx).tags.values()), values(ctx, made).tags) == (["Winter"], ())


def test_several_tags_are_put_on_and_taken_off_and_roll_back_to_what_each_product_had(ctx):
    had = {"P-0": (), "P-1": ("gift",), "P-2": ("gift", "winter")}
    ids = [make_product(ctx, sku, tags=tags) for sku, tags in had.items()]
    plan, _ = do(ctx, "tag_on", "gift\nwinter", ids=ids)
    assert plan.counts == {"changed": 2, "unchanged": 1}
    assert [values(ctx, one).tags for one in ids] == [("gift", "winter")] * 3
    roll_back_newest(ctx)
    assert [values(ctx, one).tags for one in ids] == list(had.values())
    do(ctx, "tag_off", "gift\nwinter", ids=ids)
    assert [values(ctx, one).tags for one in ids] == [()] * 3


def test_the_products_of_a_dry_run_are_paged_and_searched(ctx, browser):
    ids = [make_product(ctx, f"P-{n}", name=f"Skein {n:02}") for n in range(service.SHOWN + 5)]
    bulk_id = service.request_plan(ctx, SYSTEM, "brand", "New", ids=ids)
    page = browser.get(f"/products/bulk/{bulk_id}").text
    assert ("Skein 49" in page, "Skein 50" in page) == (True, False)
    later = browser.get(html.unescape(page.split('rel="next" href="')[1].split('"')[0])).text
    assert ("Skein 49" in later, "Skein 54" in later) == (False, True)
    found = browser.get(f"/products/bulk/{bulk_id}?q=skein+5").text
    assert found.count(">Skein 5") == 5


def test_a_new_word_typed_into_the_bar_is_asked_about_where_one_is_much_like_it(ctx, browser):
    vocabulary.make(ctx, SYSTEM, "brand", "Carrow Mill")
    typed = {"field": "brand", "name": "Carow Mill"}
    assert browser.write("/products/bulk/word", data=typed).json()["near"][0]["text"] == "Carrow Mill"
    sure = browser.write("/products/bulk/word", data=typed | {"sure": "1"}).json()
    assert sure == {"value": "Carow Mill", "text": "Carow Mill"}
    assert list(vocabulary.read(ctx).brands.values()) == ["Carrow Mill"], "it is made with the edit, not before"


@pytest.mark.parametrize(
    ("field", "value", "says"),
    [
        ("status", "sold", "draft, live or archived"),
        ("colour", "red", "Choose what"),
        ("tag_on", " ", "needs a name"),
        ("category", "Yarn > > Aran", "empty category name"),
    ],
)
def test_what_can_not_be_given_is_refused_before_anything_is_looked_at(ctx, field, value, says):
    with pytest.raises(Refused, match=says):
        service.request_plan(ctx, SYSTEM, field, value, ids=[1])


def test_a_viewer_plans_and_does_nothing(ctx, viewer):
    product_id = make_product(ctx, "P-1")
    with pytest.raises(NotAllowed):
        service.request_plan(ctx, viewer, "brand", "New", ids=[product_id])
    bulk_id = service.request_plan(ctx, SYSTEM, "brand", "New", ids=[product_id])
    with pytest.raises(NotAllowed):
        service.request_apply(ctx, viewer, bulk_id)


def test_a_choice_is_asked_with_many_products_and_asked_no_more(ctx, browser):
    ids = [make_product(ctx, f"P-{n}") for n in range(3)]
    day = choices.save(ctx, SYSTEM, None, {"name": "Day", "kind": "day"}, [])
    wrap = choices.save(ctx, SYSTEM, None, {"name": "Gift wrap", "kind": "one"}, [{"label": "Paper"}])
    uses.ask(ctx, SYSTEM, ids[0], [day, wrap], "P-0")
    uses.ask(ctx, SYSTEM, ids[1], [day], "P-1")
    assert "Gift wrap" in browser.get("/products/bulk/value?field=choice_on").text
    plan, (state, _) = do(ctx, "choice_on", "Gift wrap", ids=ids)
    assert (plan.counts, state) == ({"changed": 2, "unchanged": 1}, "done")
    with_wrap = [["Day", "Gift wrap"], ["Day", "Gift wrap"], ["Gift wrap"]]
    assert [asked(ctx, one) for one in ids] == with_wrap
    roll_back_newest(ctx)
    assert [asked(ctx, one) for one in ids] == [["Day", "Gift wrap"], ["Day"], []]
    do(ctx, "choice_on", "Gift wrap", ids=ids)
    plan, (state, _) = do(ctx, "choice_off", "Day", ids=ids)
    assert (plan.counts, state) == ({"changed": 2, "unchanged": 1}, "done")
    assert [asked(ctx, one) for one in ids] == [["Gift wrap"]] * 3
    roll_back_newest(ctx)
    assert [asked(ctx, one) for one in ids] == with_wrap
    dry = service.request_plan(ctx, SYSTEM, "choice_on", "Day", ids=ids)
    raw = {"name": "Another day", "kind": "day"}
    choices.save(ctx, SYSTEM, day, raw, [])
    job = service.request_apply(ctx, SYSTEM, dry)
    work_off(ctx)
    state, said = outcome(ctx, job)
    assert (state, "There is no choice “Day”" in said) == ("failed", True), "it was renamed since the dry run"
    with pytest.raises(Refused, match="There is no choice “Bow”"):
        service.request_plan(ctx, SYSTEM, "choice_on", "Bow", ids=ids)


def asked(ctx, product_id):
    return [one.name for one in ctx.db.run(lambda tx: reading.of_product(tx, product_id))]
