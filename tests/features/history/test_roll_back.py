"""A roll back does what its dry run says, field by field."""

from dataclasses import replace
from decimal import Decimal

from hypothesis import given, settings
from hypothesis import strategies as st

from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.features.history import rolling_back
from graupel.features.history import service as history
from graupel.features.products import many, saving
from graupel.features.products import service as products
from tests.making import add_german, make_product

FIELDS = {
    "name": ["One", "Two", "Three"],
    "price": [Decimal("1.00"), Decimal("2.00"), None],
    "mpn": ["", "A-1", "A-2"],
    "short_text": ["", "Soft.", "Warm and soft."],
    "cost": [None, Decimal("0.50"), Decimal("0.60")],
}


def save(ctx, product_id, **fields):
    """Save some fields; returns the id of the change set, None where nothing differed."""
    before = newest(ctx)
    values = products.read(ctx, SYSTEM, product_id).values
    saving.save(ctx, SYSTEM, product_id, replace(values, **fields), None)
    return newest(ctx) if newest(ctx) != before else None


def newest(ctx):
    return history.list_change_sets(ctx, SYSTEM).change_sets[0]["id"]


def roll_back(ctx, number):
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, number))


def state(ctx, product_id):
    values = products.read(ctx, SYSTEM, product_id).values
    return {name: getattr(values, name) for name in FIELDS}


def product(ctx, number=0):
    return make_product(ctx, f"R-{number}", name="One", price=Decimal("1.00"), category=None, status="draft")


def test_a_field_that_was_changed_since_stays_and_the_others_of_its_record_go_back(ctx):
    product_id = product(ctx)
    first = save(ctx, product_id, name="Two", mpn="A-1")
    save(ctx, product_id, mpn="A-2")
    plan = rolling_back.plan(ctx, SYSTEM, first)
    assert (plan.back, plan.part, plan.stay) == (1, 1, 0)
    roll_back(ctx, first)
    found = state(ctx, product_id)
    assert (found["name"], found["mpn"]) == ("One", "A-2")


def test_a_record_whose_every_field_was_changed_since_stays_and_is_said_to(ctx):
    product_id = product(ctx)
    first = save(ctx, product_id, name="Two")
    save(ctx, product_id, name="Three")
    plan = rolling_back.plan(ctx, SYSTEM, first)
    assert (plan.back, plan.part, plan.stay) == (0, 0, 1)


changes = st.lists(
    st.dictionaries(st.sampled_from(sorted(FIELDS)), st.integers(0, 2), min_size=1, max_size=3), min_size=1, max_size=5
)


@settings(max_examples=25)
@given(changes, st.data())
def test_rolling_back_in_any_order_does_what_was_announced_and_in_reverse_gives_the_beginning(ctx, steps, data):
    number = len(many.list_after(ctx, SYSTEM, after=0, limit=500))
    product_id = product(ctx, number)
    beginning = state(ctx, product_id)
    sets = []
    for step in steps:
        typed = {name: FIELDS[name][choice] for name, choice in step.items()}
        if made := save(ctx, product_id, **typed):
            sets.append(made)
    odd = data.draw(st.sampled_from(sets)) if sets and data.draw(st.booleans()) else None
    if odd:
        plan, before = rolling_back.plan(ctx, SYSTEM, odd), state(ctx, product_id)
        if plan.back:
            roll_back(ctx, odd)
            done = history.read(ctx, SYSTEM, newest(ctx))
            assert done.change_set["records"] == plan.back
            assert (state(ctx, product_id) != before) == bool(plan.back)
            roll_back(ctx, newest(ctx))
            assert state(ctx, product_id) == before
    for made in reversed([one for one in sets if one != odd]):
        if rolling_back.plan(ctx, SYSTEM, made).back:
            roll_back(ctx, made)
    if odd is None:
        assert state(ctx, product_id) == beginning


def translated(ctx, product_id):
    return ctx.db.run(
        lambda tx: tx.value("SELECT COUNT(*) FROM own_value WHERE kind = 'product' AND record_id = %s", [product_id])
    )


def test_a_translation_stays_without_its_product_and_stands_in_the_way_of_no_roll_back(ctx):
    add_german(ctx)
    wool = make_product(ctx, "A-1", status=Status.DRAFT)
    translating = save(ctx, wool, own={".de.name": "Wolle"})
    saving.delete(ctx, SYSTEM, wool)
    deleting = newest(ctx)
    assert translated(ctx, wool) == 1
    roll_back(ctx, translating)
    assert translated(ctx, wool) == 0
    roll_back(ctx, newest(ctx))
    assert translated(ctx, wool) == 1, "though its product is still away"
    roll_back(ctx, deleting)
    assert products.read(ctx, SYSTEM, wool).values.own == {".de.name": "Wolle"}
    away = ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, newest(ctx)))
    assert (away.stay, away.part) == (0, 0), "it was translated before it came back, so nothing was done to it since"


def test_a_product_that_was_translated_since_it_was_made_stays(ctx):
    add_german(ctx)
    wool = make_product(ctx, "A-1", status=Status.DRAFT)
    made = newest(ctx)
    save(ctx, wool, own={".de.name": "Wolle"})
    kept = ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, made))
    assert kept.stay > 0
    assert products.read(ctx, SYSTEM, wool).values.own == {".de.name": "Wolle"}
