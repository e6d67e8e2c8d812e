"""What is asked by sets as for one; sales that begin and end by the clock; what follows them; taken back."""

import random
import threading
from contextlib import suppress
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from decimal import Decimal

import pytest

from graupel import areas
from graupel.core import price_changes
from graupel.core.conditions import Condition
from graupel.core.errors import NotAllowed, Refused
from graupel.core.products import Status
from graupel.core.roles import SYSTEM, Actor, Role
from graupel.core.sales import Reach
from graupel.core.tables import TableState
from graupel.features.assortments import service as assortments
from graupel.features.bulk import service as bulk
from graupel.features.categories import service as categories
from graupel.features.destinations import service as destinations
from graupel.features.destinations import terms as terms_of
from graupel.features.history import service as history
from graupel.features.listings import standing
from graupel.features.pricing import margins, past, promotions, selling
from graupel.features.pricing.schemas import Margin
from graupel.features.pricing.selling import Goods
from graupel.features.products import asking, many, resolving, saving, summary, table
from graupel.features.products import service as products
from graupel.features.terms import store as terms_store
from graupel.features.variants import setting
from tests.making import add_outlet, bring_in, make_product, roll_back_newest, work_off
from tests.needles import by_label, colour, needles, size

__all__ = ["colour", "needles", "size"]

D = Decimal
DAY = timedelta(days=1)


@pytest.fixture
def yarn(ctx) -> int:
    return make_product(ctx, "FEL-1", price=D("9.80"), cost=D("4.00"))


def on(*ids) -> Goods:
    return Goods(Reach.PRODUCT, ids)


def local(ctx, moment: datetime) -> str:
    return f"{moment.astimezone(selling.zone_of(ctx)):%Y-%m-%dT%H:%M}"


def now(ctx) -> datetime:
    return ctx.db.run(ctx.now)


def sale(ctx, goods, amount, begins=-1, ends=None, **raw) -> int:
    """A sale from some days from now on."""
    raw |= {"amount": amount, "begins": local(ctx, now(ctx) + begins * DAY)}
    return selling.plan(ctx, SYSTEM, raw | ({"ends": local(ctx, now(ctx) + ends * DAY)} if ends else {}), goods)


def lens_of(ctx, code=""):
    return destinations.read_all(ctx).lens(code)


def asked(ctx, product_id, code="", at=None):
    product = products.read(ctx, SYSTEM, product_id)
    return [
        found.quote(one, at=at).asked
        for found in [asking.read(ctx, product, lens_of(ctx, code))]
        for one in product.for_sale
    ]


def by_sets(ctx, code="", at=None):
    """Of all variants: what is asked, by id."""
    moment = at.astimezone(UTC).replace(tzinfo=None) if at else None
    return ctx.db.run(
        lambda tx: {
            row["variant_id"]: row["asked"]
            for row in resolving.variants(tx, lens_of(ctx, code), ("asked",), "en", at=moment).rows
        }
    )


def by_one(ctx, code="", at=None):
    found = {}
    for listed in many.list_after(ctx, SYSTEM, after=0, limit=100):
        product = products.read(ctx, SYSTEM, listed.id)
        ask = asking.read(ctx, product, lens_of(ctx, code))
        found |= {one.id: quote and quote.asked for one in product.for_sale for quote in [ask.quote(one, at=at)]}
    return found


def without_sales(ctx, code, *, at_once):
    """What is asked beside sales and quantity prices, by id; of products that are read one by one, or at once."""
    ids = [one.id for one in many.list_after(ctx, SYSTEM, after=0, limit=100)]
    lens = lens_of(ctx, code)

    def work(tx):
        several = many.load_priced(ctx, tx, ids) if at_once else {key: products.load(ctx, tx, key) for key in ids}
        found = (asking.regular(ctx, tx, product, lens, ctx.now(tx)) for product in several.values())
        return {one.id: each.quote(one) for each in found for one in each.product.for_sale}

    return ctx.db.run(work)


def listed(ctx, **chosen):
    return [row["id"] for row in table.read(ctx, SYSTEM, TableState(**chosen)).rows]


# --- by sets as for one --------------------------------------------------------------------------------------


@pytest.mark.parametrize("seed", range(6))
def test_what_is_asked_by_sets_is_what_is_asked_for_one_to_the_last_cent(ctx, needles, seed):
    dice = random.Random(seed)
    places = {"": "EUR", f"s{add_outlet(ctx)}": "EUR", f"s{add_outlet(ctx, name='Bern', currency='CHF')}": "CHF"}
    _, outlet, bern = places
    rates = [{"rate": "0.9437"}, {}]
    terms_of.save(ctx, SYSTEM, "", {"ending": dice.choice(["", ".90"]), "ending_way": dice.choice(["up", "nearest"])})
    for code, more in ((outlet, {}), (bern, dice.choice(rates))):
        raw = {"percent": dice.choice(["0", "-15", "7.5"]), "amount": dice.choice(["0", "-1.10", "2"])}
        ending = {"ending": dice.choice(["", ".x4", "whole", "9.90"]), "ending_way": dice.choice(["down", "nearest"])}
        terms_of.save(ctx, SYSTEM, code, raw | ending | more)
    variants = by_label(ctx, needles)
    for label in ("Oat, 3 mm", "Rust, 4 mm"):
        setting.set_values(ctx, SYSTEM, needles, [variants[label].id], "price", D("7.35"))
        where = lens_of(ctx, dice.choice([outlet, bern]))
        setting.set_values(ctx, SYSTEM, needles, [variants[label].id], "price", D("5.05"), where)
    yarns = [
        make_product(
            ctx,
            f"Y-{n}",
            price=dice.choice([D("9.80"), D("0.00"), D("12.34")]),
            own={f"{code}..price": dice.choice(["8.88", "3.00"]) for code in (outlet, bern) if dice.random() < 0.4},
        )
        for n in range(4)
    ]
    choices = [choice.id for axis in products.read(ctx, SYSTEM, needles).axes for choice in axis.choices]
    goods = [
        Goods(Reach.ALL), on(*yarns[:3]), on(needles), on(yarns[3], needles),
        *(Goods(Reach.CHOICE, [needles], [choice]) for choice in choices),
        *(Goods(Reach.VARIANT, [needles], [one.id]) for one in list(variants.values())[:3]),
    ]  # fmt: skip
    for _ in range(16):
        amount = dice.choice(["15 %", "33.33 %", "-1.00", "-20", "5.55", "11.00"])
        begins = dice.choice([-3, -2, -1, 1])
        raw = {"destination": dice.choice(list(places)), "ends_so": dice.choice(["yes", ""]), "joined": ""}
        with suppress(Refused):  # equals
            sale(ctx, dice.choice(goods), amount, begins, dice.choice([None, begins + 1, begins + 3]), **raw)
    assert ctx.db.run(lambda tx: tx.value("SELECT COUNT(*) FROM sale")) > 8
    for code in places:
        for moment in (None, now(ctx) - 36 * timedelta(hours=1), now(ctx) + 30 * timedelta(hours=1)):
            assert by_sets(ctx, code, moment) == by_one(ctx, code, moment), (code, moment)
        assert without_sales(ctx, code, at_once=True) == without_sales(ctx, code, at_once=False)
    prices = by_one(ctx)
    summaries = ctx.db.run(lambda tx: tx.all("SELECT product_id, price_low, price_high FROM product_summary"))
    for row in summaries:
        mine = [prices[one.id] for one in products.read(ctx, SYSTEM, row["product_id"]).for_sale]
        assert (row["price_low"], row["price_high"]) == (min(mine), max(mine)), "a range is that of its variants now"


def test_a_sale_touches_goods_when_it_begins_and_not_when_it_is_planned(ctx, yarn, needles):
    def touched(act) -> set[int]:
        act()
        newest = ctx.db.run(lambda tx: tx.value("SELECT MAX(id) FROM change_set"))
        return set(ctx.db.run(lambda tx: summary.touched_ids(tx, newest)))

    made: list[int] = []

    def plan(goods, begins):
        return touched(lambda: made.append(sale(ctx, goods, "5 %", begins, begins + 2)))

    oat = Goods(Reach.VARIANT, [needles], [by_label(ctx, needles)["Oat, 3 mm"].id])
    assert [plan(goods, 2) for goods in (on(yarn), Goods(Reach.ALL), oat)] == [set(), set(), set()]
    assert plan(on(needles), -1) == {needles}
    assert touched(lambda: selling.move(ctx, SYSTEM, made[0], now(ctx) - DAY, now(ctx) + DAY)) == {yarn}
    assert asked(ctx, yarn) == [D("9.31")] == [*by_sets(ctx).values()][:1]
    assert touched(lambda: selling.end_now(ctx, SYSTEM, made[0])) == {yarn}
    assert touched(lambda: selling.remove(ctx, SYSTEM, made[1])) == set()


@pytest.fixture
def in_yen(ctx):
    """A catalogue in a currency without decimals; the next empty installation is in euro again."""
    areas.register("en", "JPY")
    return replace(ctx, settings=ctx.settings.model_copy(update={"currency": "JPY"}))


def test_a_catalogue_without_decimals_has_whole_prices_everywhere(in_yen):
    ctx, outlet = in_yen, f"s{add_outlet(in_yen, currency='EUR')}"
    terms_of.save(ctx, SYSTEM, outlet, {"rate": "0.0061", "percent": "0", "amount": "0", "ending": ""})
    yarn, dear = make_product(ctx, "FEL-1", price=D(985)), make_product(ctx, "FEL-2", price=D(2345))
    sale(ctx, on(yarn, dear), "33 %")
    assert (asked(ctx, yarn), asked(ctx, dear)) == ([D(660)], [D(1571)])
    assert by_sets(ctx) == by_one(ctx)
    assert asked(ctx, yarn, outlet) == [D("4.03")], "33 % of the whole price, then the rate"
    assert by_sets(ctx, outlet) == by_one(ctx, outlet)
    lows = ctx.db.run(lambda tx: tx.all("SELECT price_low FROM product_summary ORDER BY product_id"))
    assert [row["price_low"] for row in lows] == [D(660), D(1571)]
    assert margins.work_out(ctx, Margin(cost="700", margin="33 %"))["price"] == "1045.00"
    dry = bulk.request_plan(ctx, SYSTEM, "price", "+3 %", ids=[yarn, dear])
    ctx.db.run(lambda tx: bulk.apply(ctx, tx, SYSTEM, dry))
    typed = [products.read(ctx, SYSTEM, one).values.price for one in (yarn, dear)]
    assert typed == [price_changes.parse("+3 %", "JPY").apply(D(one), None) for one in (985, 2345)] == [1015, 2415]


# --- time ----------------------------------------------------------------------------------------------------


def test_a_sale_begins_and_ends_by_itself_and_filters_categories_and_history_follow(ctx, yarn):
    cheap = categories.make(ctx, SYSTEM, "Below nine").id
    assortments.save_conditions(ctx, SYSTEM, "category", cheap, [Condition("price", "below", None, "9.00")])
    number = sale(ctx, on(yarn), "7.90", 2, 4)
    work_off(ctx)
    assert asked(ctx, yarn) == [D("9.80")]
    assert listed(ctx, sort="price") == [yarn]
    version = products.read(ctx, SYSTEM, yarn).version
    for days, price, within in ((3, D("7.90"), [yarn]), (5, D("9.80"), [])):
        later = replace(ctx, ahead=days * DAY)
        work_off(later)
        assert asked(later, yarn) == [price] == [*by_sets(later).values()]
        assert assortments.placed(later, SYSTEM, cheap).ids == within
        row = table.read(later, SYSTEM, TableState()).rows[0]
        assert row["price_low"] == price
    said = [one["title"] for one in history.list_change_sets(ctx, SYSTEM).change_sets[:2]]
    assert said == ["Sale ended: Fellside aran FEL-1", "Sale began: Fellside aran FEL-1"]
    assert products.read(ctx, SYSTEM, yarn).version == version, "nobody who has the page open is in anyone's way"
    assert selling.with_goods  # the sale stays in the record
    assert ctx.db.run(lambda tx: selling.with_goods(tx, number)).targets == {(yarn, 0)}


def test_a_worker_that_was_late_catches_up_and_a_sale_that_is_moved_wakes_it_sooner(ctx, yarn):
    work_off(ctx)
    number = sale(ctx, on(yarn), "7.90", 20, 30)
    selling.move(ctx, SYSTEM, number, now(ctx) + DAY, now(ctx) + 3 * DAY)
    job = ctx.db.run(lambda tx: tx.one("SELECT run_after FROM job WHERE kind = 'time.sales' AND state = 'waiting'"))
    assert job["run_after"].replace(tzinfo=UTC) < now(ctx) + 2 * DAY
    late = replace(ctx, ahead=10 * DAY)
    work_off(late)
    rows = ctx.db.run(lambda tx: tx.all("SELECT what FROM sale_moment ORDER BY id"))
    assert [row["what"] for row in rows] == ["began", "ended"]


def test_a_sale_for_everything_reaches_what_comes_by_file_and_by_hand(ctx, yarn):
    sale(ctx, Goods(Reach.ALL), "50 %")
    bring_in(ctx, "sku,name,price\nNEW-1,Skein one,4.00\n")
    other = make_product(ctx, "NEW-2", price=D("6.00"))
    prices = ctx.db.run(lambda tx: tx.all("SELECT price_low FROM product_summary ORDER BY price_low"))
    assert [row["price_low"] for row in prices] == [D("2.00"), D("3.00"), D("4.90")]
    saving.save(ctx, SYSTEM, other, replace(products.read(ctx, SYSTEM, other).values, price=D("8.00")), None)
    assert asked(ctx, other) == [D("4.00")]


# --- planning, and taking back -------------------------------------------------------------------------------


def test_planning_is_taken_back_and_equals_are_refused_with_both_named(ctx, yarn, needles):
    first = sale(ctx, on(yarn, needles), "15 %", -1, 5, title="Winter")
    with pytest.raises(Refused, match="“Late” and “Winter”"):
        sale(ctx, on(yarn), "7.00", 1, title="Late")
    assert asked(ctx, yarn) == [D("8.33")], "nothing of the refused one stays"
    roll_back_newest(ctx)
    assert asked(ctx, yarn) == [D("9.80")]
    assert ctx.db.run(lambda tx: terms_store.sale(tx, first)) is None
    sale(ctx, on(yarn), "7.00", 1, title="Late")
    with pytest.raises(Refused, match="nothing says which"):
        roll_back_newest_of(ctx, "Rolled back")
    assert asked(ctx, yarn) == [D("9.80")]


def roll_back_newest_of(ctx, begins):
    from graupel.features.history import rolling_back

    found = next(one for one in history.list_change_sets(ctx, SYSTEM).change_sets if one["title"].startswith(begins))
    result = ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, found["id"]))
    assert result.by, result


def test_two_who_plan_the_same_at_once_get_one_sale(ctx, yarn):
    got, told = [], []

    def plan():
        try:
            got.append(sale(ctx, on(yarn), "7.00"))
        except Refused as refusal:
            told.append(refusal.problems[0].code)

    both = [threading.Thread(target=plan) for _ in range(2)]
    for one in both:
        one.start()
    for one in both:
        one.join()
    assert (len(got), told) == (1, ["sale.equal"])


def test_a_sale_that_is_on_is_changed_ended_but_not_deleted_and_viewers_do_neither(ctx, yarn):
    number = sale(ctx, on(yarn), "7.90")
    selling.save(ctx, SYSTEM, number, {"amount": "15 %", "ends_so": ""})
    assert asked(ctx, yarn) == [D("8.33")]
    with pytest.raises(Refused, match="End it instead"):
        selling.remove(ctx, SYSTEM, number)
    selling.end_now(ctx, SYSTEM, number)
    assert asked(ctx, yarn) == [D("9.80")]
    planned = sale(ctx, on(yarn), "7.90", 3)
    with pytest.raises(NotAllowed):
        selling.remove(ctx, Actor(None, "Ines", Role.VIEWER), planned)
    selling.remove(ctx, SYSTEM, planned)
    roll_back_newest(ctx)
    assert ctx.db.run(lambda tx: selling.with_goods(tx, planned)).targets == {(yarn, 0)}


def test_a_product_under_a_sale_goes_with_its_place_in_it(ctx, yarn):
    draft = make_product(ctx, "FEL-2", status=Status.DRAFT)
    number = sale(ctx, on(yarn, draft), "15 %")
    saving.delete(ctx, SYSTEM, draft)
    assert ctx.db.run(lambda tx: selling.with_goods(tx, number)).targets == {(yarn, 0)}
    roll_back_newest(ctx)
    assert asked(ctx, draft) == [D("8.33")]


def test_the_lowest_price_of_thirty_days_before_a_sale_comes_from_the_record(ctx, needles):
    outlet = f"s{add_outlet(ctx)}"
    one = by_label(ctx, needles)["Oat, 3 mm"]
    setting.set_values(ctx, SYSTEM, needles, [one.id], "price", D("5.00"))
    setting.set_values(ctx, SYSTEM, needles, [one.id], "price", D("9.00"))
    setting.set_values(ctx, SYSTEM, needles, [one.id], "price", D("4.44"), lens_of(ctx, outlet))
    setting.set_values(ctx, SYSTEM, needles, [one.id], "price", None, lens_of(ctx, outlet))

    def lowest(code, begins):
        product = products.read(ctx, SYSTEM, needles)
        variant = next(v for v in product.variants if v.id == one.id)
        return ctx.db.run(
            lambda tx: past.lowest_before(tx, asking.of(ctx, tx, product, lens_of(ctx, code)), variant, begins)
        )

    assert [lowest(code, now(ctx) + DAY) for code in ("", outlet)] == [D("5.00"), D("4.44")]
    assert lowest("", now(ctx) + 40 * DAY) == D("9.00"), "30 days, and not 40"
    for percent in ("-60", "10"):
        terms_of.save(ctx, SYSTEM, outlet, {"percent": percent})
    assert lowest(outlet, now(ctx) + DAY) == D("3.60"), "by the price rule of that time, 60 % below 9.00"
    assert lowest(outlet, now(ctx) + 40 * DAY) == D("9.90")
    assert lowest("", now(ctx) + DAY) == D("5.00")


def test_a_channel_is_sent_what_is_asked_and_again_when_its_rule_changes_or_a_sale_begins(ctx, yarn):
    row = ctx.db.run(
        lambda tx: tx.insert(
            """INSERT INTO channel (kind, name, address, secret, lang)
               VALUES ('ostlerby', 'Hall', 'http://x', '', 'en')"""
        )
    )
    listing = ctx.db.run(
        lambda tx: tx.insert(
            """INSERT INTO listing (channel_id, product_id, reference, state, stale)
               VALUES (%s, %s, 'r', 'on_sale', FALSE)""",
            [row, yarn],
        )
    )

    def stale() -> bool:
        return bool(ctx.db.run(lambda tx: tx.value("SELECT stale FROM listing WHERE id = %s", [listing])))

    def settle() -> None:
        ctx.db.run(lambda tx: tx.run("UPDATE listing SET stale = FALSE WHERE id = %s", [listing]))

    terms_of.save(ctx, SYSTEM, f"c{row}", {"percent": "10"})
    assert stale()
    settle()
    sale(ctx, on(yarn), "7.90", 2, 4)
    settle()
    later = replace(ctx, ahead=3 * DAY)
    work_off(later)
    assert stale()
    channel = ctx.db.run(lambda tx: tx.one("SELECT * FROM channel WHERE id = %s", [row]))
    shown = later.db.run(lambda tx: standing.through(later, tx, channel, products.load(later, tx, yarn)))
    assert [*shown.asked.values()] == [D("8.69")], "7.90 and a tenth"
    settle()
    ids = [promotions.save(ctx, SYSTEM, None, {"code": "WINTER", "name": "Winter", "kind": "reduced"})]
    (number,) = ctx.db.run(lambda tx: [row["id"] for row in tx.all("SELECT id FROM sale")])
    selling.save(ctx, SYSTEM, number, {"promotion": str(ids[0])})
    assert stale(), "it is told to which promotion the price belongs"
    settle()
    promotions.save(ctx, SYSTEM, ids[0], {"code": "WINTER-26", "name": "Winter", "kind": "clearance"})
    assert stale()

    def sent(tx):
        shown = standing.through(later, tx, channel, products.load(later, tx, yarn))
        return standing.payload(standing.of_channel(later, tx, channel, shown))[0]["offers"][0]["reduction"]

    told = later.db.run(sent)
    assert (told["was"], told["promotion"]) == (
        {"amount": "10.78", "currency": "EUR"},
        {"id": "WINTER-26", "kind": "clearance"},
    )
