"""A product as it was: whatever happened since, field by field and as buyers saw it; and put back from there."""

from dataclasses import replace
from datetime import UTC, timedelta
from decimal import Decimal

import pytest

from graupel.core.attributes import Fact
from graupel.core.errors import NotAllowed, Refused
from graupel.core.products import Status
from graupel.core.resolve import DEFAULT_LENS
from graupel.core.roles import SYSTEM, Actor, Role
from graupel.features.destinations import service as destinations
from graupel.features.destinations import terms as terms_of
from graupel.features.history import rolling_back
from graupel.features.history import service as history
from graupel.features.history.pieces import Piece
from graupel.features.products import asking, past, saving
from graupel.features.products import service as products
from graupel.features.variants import making, setting, taking
from graupel.features.vocabulary import joining
from graupel.features.vocabulary import service as vocabulary
from tests.features.pricing.test_asked import on, sale
from tests.making import add_german, bring_in, make_product
from tests.needles import by_label, colour, needles, size, wish

__all__ = ["colour", "needles", "size"]

D = Decimal


def moment(ctx):
    """A moment after all that was done before, and before all that is done later."""

    def now(tx):
        return tx.value("SELECT UTC_TIMESTAMP(3)")

    begun = ctx.db.run(now)
    while (at := ctx.db.run(now)) == begun:
        pass
    while ctx.db.run(now) == at:
        pass
    return at.replace(tzinfo=UTC)


def save(ctx, product_id, **fields):
    values = products.read(ctx, SYSTEM, product_id).values
    saving.save(ctx, SYSTEM, product_id, replace(values, **fields), None)


def brand_of(ctx, name):
    return ctx.db.run(lambda tx: tx.value("SELECT id FROM brand WHERE name = %s", [name]))


def take_away(ctx, product_id, label):
    ids = [by_label(ctx, product_id)[label].id]
    signature = taking.plan_taking(ctx, SYSTEM, product_id, ids=ids).signature
    taking.take_away(ctx, SYSTEM, product_id, signature, ids=ids)


def seen(ctx, product_id, tx):
    """All that is known of a product, and what it costs; but when and how often it changed."""
    found = products.load(ctx, tx, product_id)
    variants = tuple(replace(one, version=0, stock=None, reserved=D(0)) for one in found.variants)
    values = replace(found.values, stock=None)
    asked = {key: quote.asked for key, quote in asking.of(ctx, tx, found, DEFAULT_LENS).quotes.items()}
    words = found.vocabulary
    named = words and ({one.name for one in words.types.values()}, {one.name for one in words.attributes.values()})
    return replace(found, values=values, variants=variants, version=0, changed_at=None, vocabulary=None), asked, named


def as_of(ctx, product_id, at):
    """The same as it was at a moment."""
    found = ctx.db.run(lambda tx: past.of(tx, ctx, product_id, [at]))
    return past.then(ctx, found, [product_id], at, lambda then, tx: seen(then, product_id, tx))[0]


def test_whatever_happened_since_a_product_is_seen_as_it_was_after_every_act(ctx, colour, size):
    add_german(ctx)
    yarn = make_product(ctx, "FEL-1", price=D("9.80"), brand="Carrow", tags=("summer", "new"), picture_side=60)
    acts = [
        lambda: save(ctx, yarn, name="Fellside wool", price=D("8.90"), brand="Fell", tags=("winter",)),
        lambda: save(ctx, yarn, own={".de.name": "Fellside-Garn"}, status=Status.DRAFT, category_id=None),
        lambda: save(ctx, yarn, facts={colour.id: Fact(choices=(colour.choices[0].id,))}),
        lambda: vocabulary.rename(ctx, SYSTEM, "brand", brand_of(ctx, "Fell"), "Fells"),
        lambda: making.make(ctx, SYSTEM, yarn, wish((size, ["3 mm", "4 mm"]))),
        lambda: setting.set_each(ctx, SYSTEM, yarn, "price", {by_label(ctx, yarn)["4 mm"].id: D("11.20")}),
        lambda: save(ctx, yarn, own={}, pictures=(), weight_g=120, price=D("10.00")),
        lambda: sale(ctx, on(yarn), "1.00"),
        lambda: take_away(ctx, yarn, "3 mm"),
        lambda: terms_of.save(ctx, SYSTEM, "", {"ending": ".90", "ending_way": "up"}),
    ]
    held = []
    for act in acts:
        at = moment(ctx)
        held.append((at, ctx.db.run(lambda tx: seen(ctx, yarn, tx))))
        act()
    now = ctx.db.run(lambda tx: seen(ctx, yarn, tx))
    for place, (at, was) in enumerate(held):
        assert as_of(ctx, yarn, at) == was, place
    assert as_of(ctx, yarn, moment(ctx)) == now == ctx.db.run(lambda tx: seen(ctx, yarn, tx)), (
        "and nothing stayed of it"
    )


def picks(ctx, product_id, at, *labels):
    """The pieces that the page of a moment offers for these fields."""
    found = past.read(ctx, SYSTEM, product_id, at, None, lens(ctx))
    texts = {one.label: one.piece for row in found.rows for one in row.fields}
    texts |= {row.kind: row.piece for row in found.rows if row.piece}
    return [Piece.read(texts[label]) for label in labels]


def lens(ctx):
    return destinations.see(ctx, "")


def test_fields_and_whole_records_are_put_back_and_that_can_be_rolled_back(ctx, colour):
    yarn = make_product(ctx, "FEL-1", price=D("9.80"), facts={colour.id: Fact(choices=(colour.choices[0].id,))})
    at = moment(ctx)
    save(ctx, yarn, name="Other", price=D("12.00"), mpn="X", facts={}, tags=("new",))
    before = products.read(ctx, SYSTEM, yarn).values
    past.put_back(ctx, SYSTEM, yarn, at, picks(ctx, yarn, at, "Price", "Fact", "Tag put on"))
    values = products.read(ctx, SYSTEM, yarn).values
    assert (values.name, values.mpn, values.price) == ("Other", "X", D("9.80"))
    assert values.facts == {colour.id: Fact(choices=(colour.choices[0].id,))}
    assert values.tags == ()
    summary = "SELECT price_low FROM product_summary WHERE product_id = %s"
    assert ctx.db.run(lambda tx: tx.value(summary, [yarn])) == D("9.80"), "what follows it followed"
    newest = history.list_change_sets(ctx, SYSTEM).change_sets[0]
    assert newest["title"].startswith("Other: put back as it was on")
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, newest["id"]))
    assert products.read(ctx, SYSTEM, yarn).values == before


def test_what_somebody_changed_since_the_page_was_made_is_not_overwritten(ctx):
    yarn = make_product(ctx, "FEL-1", mpn="A")
    at = moment(ctx)
    save(ctx, yarn, mpn="B", name="Other")
    wanted = picks(ctx, yarn, at, "Part number", "Name")
    save(ctx, yarn, mpn="C")
    with pytest.raises(Refused, match="1 value that you chose was changed by somebody meanwhile"):
        past.put_back(ctx, SYSTEM, yarn, at, wanted)
    assert products.read(ctx, SYSTEM, yarn).values.name == "Other", "all of it, or nothing"
    past.put_back(ctx, SYSTEM, yarn, at, picks(ctx, yarn, at, "Part number"))
    assert products.read(ctx, SYSTEM, yarn).values.mpn == "A"


def test_what_is_needed_and_gone_or_given_away_is_said(ctx, colour):
    yarn = make_product(ctx, "FEL-1", price=D("9.80"), brand="Carrow")
    at = moment(ctx)
    save(ctx, yarn, sku="FEL-2", brand="")
    joining.join(ctx, SYSTEM, "brand", brand_of(ctx, "Carrow"), None)
    with pytest.raises(Refused, match="was deleted since"):
        past.put_back(ctx, SYSTEM, yarn, at, picks(ctx, yarn, at, "Brand"))
    with pytest.raises(NotAllowed):
        past.put_back(ctx, Actor(None, "Viewer", Role.VIEWER), yarn, at, [])
    with pytest.raises(Refused, match="Nothing was chosen"):
        past.put_back(ctx, SYSTEM, yarn, at, [])
    with pytest.raises(Refused, match="still to come"):
        past.put_back(ctx, SYSTEM, yarn, at + timedelta(days=1), [])


def test_a_variant_that_is_gone_comes_back_but_not_where_the_product_differs_by_something_else(ctx, colour, size):
    socks = make_product(ctx, "SOX", status="draft")
    making.make(ctx, SYSTEM, socks, wish((colour, ["Heather", "Oat"]), (size, ["3 mm", "4 mm"])))
    at = moment(ctx)
    take_away(ctx, socks, "Oat, 3 mm")
    found = past.read(ctx, SYSTEM, socks, at, None, lens(ctx))
    whole = [row for row in found.rows if row.kind == "Variant" and row.piece]
    assert [row.what for row in whole] == ["removed"], "one that is gone comes back"
    past.put_back(ctx, SYSTEM, socks, at, [Piece.read(row.piece) for row in whole])
    assert set(by_label(ctx, socks)) == {"Heather, 3 mm", "Heather, 4 mm", "Oat, 3 mm", "Oat, 4 mm"}
    early = moment(ctx)
    dropping = taking.plan_dropping(ctx, SYSTEM, socks, size.id, size.choices[0].id)
    taking.drop_axis(ctx, SYSTEM, socks, size.id, size.choices[0].id, dropping.signature)
    rows = past.read(ctx, SYSTEM, socks, early, None, lens(ctx)).rows
    assert {row.kind for row in rows} == {"Differs by", "Variant"}
    assert not any(row.piece for row in rows)
    assert not any(one.piece for row in rows for one in row.fields)
    yarn = make_product(ctx, "FEL-1")
    assert past.read(ctx, SYSTEM, yarn, early, None, lens(ctx)).then.why == "It was not there yet."
    assert not past.read(ctx, SYSTEM, yarn, early, None, lens(ctx)).is_restorable


def test_two_moments_are_compared_and_a_file_that_made_the_goods_is_known(ctx):
    early = moment(ctx)
    bring_in(ctx, "sku,name,price\nFEL-1,Fellside,9.80\n")
    yarn = ctx.db.run(lambda tx: tx.value("SELECT MAX(id) FROM product"))
    made = moment(ctx)
    save(ctx, yarn, name="Fell")
    first = moment(ctx)
    save(ctx, yarn, name="Fells", price=D("8.00"))
    assert past.read(ctx, SYSTEM, yarn, early, made, lens(ctx)).then.look is None
    found = past.read(ctx, SYSTEM, yarn, made, first, lens(ctx))
    assert [(one.label, one.then, one.other) for row in found.rows for one in row.fields] == [
        ("Name", "Fellside", "Fell")
    ]
    assert not found.is_restorable, "only from now"
    assert (found.then.look.values.name, found.other.look.values.name) == ("Fellside", "Fell")
    assert [act["title"].partition(":")[0] for _, act in found.acts][:2] == ["Product changed"] * 2
    assert products.read(ctx, SYSTEM, yarn).values.name == "Fells"
