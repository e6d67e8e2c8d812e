"""One value for many products: looked at, done whole, rolled back."""

from dataclasses import replace
from decimal import Decimal

import pytest

from graupel.core.attributes import AttributeKind, Fact
from graupel.core.errors import NotAllowed, Refused
from graupel.core.product_types import Need
from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.features.bulk import service
from graupel.features.history import rolling_back
from graupel.features.history import service as history
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.variants import making, setting
from graupel.features.variants.making import Wish
from graupel.features.vocabulary import attributes, types
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.attributes import Definition
from graupel.features.vocabulary.types import Member
from tests.making import catalogue, make_product, outcome, work_off


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
    assert (plan.changing, len(plan.changed), state) == (3, 3, "done")

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


def test_all_that_match_means_what_the_address_of_the_table_shows(ctx):
    for n in range(4):
        make_product(ctx, f"P-{n}", name="Fellside" if n % 2 else "Needle", status=Status.DRAFT)
    plan, _ = do(ctx, "tag_on", "summer", query="q=fellside&status=draft")
    assert plan.changing == 2
    tagged = [p.values.name for p in products.list_after(ctx, SYSTEM, after=0, limit=9) if values(ctx, p.id).tags]
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
        problems = saving.check(ctx, live, row["product_id"])
        assert (row["action"] == "refused") == bool(problems), (row, problems)
    plan = service.read(ctx, SYSTEM, bulk_id)
    assert (plan.counts["changed"], plan.counts["refused"]) == (3, 5)
    assert plan.reasons == {"no category": 1, "a variant without a price": 2, "a fact that its type needs": 2}


def test_a_product_that_changed_since_the_dry_run_stops_all_of_it(ctx):
    ids = [make_product(ctx, f"P-{n}") for n in range(3)]
    bulk_id = service.request_plan(ctx, SYSTEM, "brand", "New", ids=ids)
    saving.save(ctx, SYSTEM, ids[0], replace(values(ctx, ids[0]), name="Changed"), None)
    job = service.request_apply(ctx, SYSTEM, bulk_id)
    work_off(ctx)
    state, said = outcome(ctx, job)
    assert state == "failed"
    assert "One product was changed since the dry run" in said
    assert {values(ctx, one).brand for one in ids} == {""}


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
