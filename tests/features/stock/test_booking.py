"""Stock is booked: it adds up whatever several do at once, sells by one rule, and is never overwritten."""

import random
import threading
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import date, datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from graupel.core.availability import Standing
from graupel.core.errors import NotAllowed, Refused
from graupel.core.orders import Report, Told
from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.core.stock import How, Reason, Typed
from graupel.core.tables import TableState
from graupel.features.assortments import service as assortments
from graupel.features.destinations import service as destinations
from graupel.features.files import counted as file_counts
from graupel.features.files import exporting, planned_rows
from graupel.features.files import service as files
from graupel.features.history import rolling_back
from graupel.features.history import service as history
from graupel.features.orders import service as orders
from graupel.features.orders.service import Reported
from graupel.features.products import saving, selling, table
from graupel.features.products import service as products
from graupel.features.products.selling import Above
from graupel.features.stock import counting, days, places, service
from graupel.features.stock import store as stock_pages
from graupel.features.terms import stock_store, stocks
from graupel.features.variants import setting
from graupel.jobs import timekeeping
from tests.making import bring_in, counted, make_product, plan_file, roll_back_newest, work_off
from tests.needles import by_label, colour, needles, size

__all__ = ["colour", "needles", "size"]

D = Decimal


@pytest.fixture
def yarn(ctx) -> int:
    return make_product(ctx, "FEL-1", stock=10)


def only(ctx, product_id) -> int:
    return products.read(ctx, SYSTEM, product_id).variants[0].id


def there(ctx, variant_id) -> Decimal | None:
    return stocks.on_hand(ctx.db.run(lambda tx: stocks.held(tx, [variant_id])).get(variant_id))


def type_in(ctx, variant_id, text, shown="", location=None, reason=Reason.CORRECTED):
    return service.book(ctx, SYSTEM, variant_id, location, text, shown, reason)


def adds_up(ctx):
    """The sums of the record are what is there, at each location, in all, and of each product."""
    rows = ctx.db.run(
        lambda tx: tx.all(
            """SELECT k.id, k.on_hand,
                      (SELECT COALESCE(SUM(a.on_hand), 0) FROM stock_at a WHERE a.variant_id = k.id) AS at,
                      (SELECT COALESCE(SUM(e.amount), 0) FROM stock_entry e WHERE e.variant_id = k.id) AS entries
               FROM stock k"""
        )
    )
    assert all(row["on_hand"] == row["at"] == row["entries"] for row in rows), rows
    wrong = ctx.db.run(
        lambda tx: tx.all(
            """SELECT p.product_id FROM product_stock p WHERE NOT (p.on_hand <=>
                 (SELECT SUM(k.on_hand) FROM variant v JOIN stock k ON k.id = v.id AND k.counted
                  WHERE v.product_id = p.product_id AND NOT v.archived))"""
        )
    )
    assert not wrong


def test_it_is_typed_wherever_it_stands_and_moves_no_version(ctx, yarn):
    before = products.read(ctx, SYSTEM, yarn)
    variant = before.variants[0].id
    for text, now in (("+20", 30), ("-3", 27), ("=50", 50), ("40", 20)):
        assert type_in(ctx, variant, text, "70" if text == "40" else "")
        assert there(ctx, variant) == now
    assert not type_in(ctx, variant, "=20"), "nothing differs"
    assert products.read(ctx, SYSTEM, yarn).version == before.version
    entries = service.record(ctx, SYSTEM, yarn).entries
    assert [(one["amount"], one["reason"]) for one in entries] == [
        *((D(-30), "corrected"), (D(23), "corrected"), (D(-3), "corrected"), (D(20), "corrected"), (D(10), "counted"))
    ]
    assert list(service.record(ctx, SYSTEM, yarn).after.values()) == [20, 50, 27, 30, 10]
    adds_up(ctx)


def test_a_save_of_the_page_changes_stock_by_what_was_typed_whatever_was_sold_meanwhile(ctx, yarn):
    page = products.read(ctx, SYSTEM, yarn)
    type_in(ctx, only(ctx, yarn), "-4")
    typed = Typed(How.BY, D(5))
    saving.save(ctx, SYSTEM, yarn, replace(page.values, name="Fellside"), page.version, None, (), None, typed)
    assert there(ctx, only(ctx, yarn)) == 11
    saving.save(ctx, SYSTEM, yarn, replace(products.read(ctx, SYSTEM, yarn).values, name="Aran"), None)
    assert there(ctx, only(ctx, yarn)) == 11, "what was not typed is not touched"


def test_what_falls_below_its_threshold_is_noted_whatever_else_was_saved_with_it(ctx, yarn):
    product = products.read(ctx, SYSTEM, yarn)
    saving.save(ctx, SYSTEM, yarn, replace(product.values, name="Aran", stock=D(2)), None)
    assert [one.row["sku"] for one in service.read(ctx, SYSTEM, service.Asked("low")).lines] == ["FEL-1"]
    saving.save(ctx, SYSTEM, yarn, replace(products.read(ctx, SYSTEM, yarn).values, low_stock=D(1)), None)
    assert not service.read(ctx, SYSTEM, service.Asked("low")).lines


def test_a_roll_back_books_the_opposite_and_never_the_old_number(ctx, yarn):
    variant = only(ctx, yarn)
    type_in(ctx, variant, "+20")
    act = history.list_change_sets(ctx, SYSTEM).change_sets[0]["id"]
    type_in(ctx, variant, "-4")
    outcome = ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, act))
    assert (outcome.back, outcome.stay) == (1, 0)
    assert there(ctx, variant) == 6
    assert ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, act)).back == 0, "once"
    roll_back = history.list_change_sets(ctx, SYSTEM).change_sets[0]["id"]
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, roll_back))
    assert there(ctx, variant) == 26, "and it holds again where that is rolled back"
    adds_up(ctx)


def test_to_begin_and_end_counting_goes_back_whole(ctx, needles):
    variant = by_label(ctx, needles)["Rust, 4 mm"].id
    assert there(ctx, variant) is None
    setting.set_values(ctx, SYSTEM, needles, [variant], "stock", counted(8))
    assert there(ctx, variant) == 8
    roll_back_newest(ctx)
    assert there(ctx, variant) is None
    setting.set_values(ctx, SYSTEM, needles, [variant], "stock", counted(8))
    setting.set_values(ctx, SYSTEM, needles, [variant], "stock", Typed(How.NOT_COUNTED))
    assert there(ctx, variant) is None
    adds_up(ctx)
    roll_back_newest(ctx)
    assert there(ctx, variant) == 8
    adds_up(ctx)


def test_a_product_that_goes_and_comes_back_has_its_stock_again(ctx):
    draft = make_product(ctx, "DRF", stock=6, status=Status.DRAFT)
    variant = only(ctx, draft)
    saving.delete(ctx, SYSTEM, draft)
    roll_back_newest(ctx)
    assert there(ctx, variant) == 6
    adds_up(ctx)


def test_what_is_archived_is_not_in_the_sum_of_its_product(ctx, needles):
    ids = [one.id for one in products.read(ctx, SYSTEM, needles).variants]
    setting.set_values(ctx, SYSTEM, needles, ids, "stock", counted(5))
    setting.set_values(ctx, SYSTEM, needles, ids[:2], "archived", True)
    type_in(ctx, ids[0], "+3")
    type_in(ctx, ids[3], "+1")
    assert table.read(ctx, SYSTEM, TableState.read({})).rows[0]["stock"] == 21
    adds_up(ctx)


def test_an_order_that_took_nothing_gives_nothing_back(ctx):
    """It was paid while the goods were not counted; what was counted since stays as it was counted."""
    variant = only(ctx, make_product(ctx, "FEL-2"))
    orders.take(ctx, SYSTEM, Reported("", "o", "1", Report(Told.ORDERED, {"FEL-2": D(2)})))
    orders.take(ctx, SYSTEM, Reported("", "p", "1", Report(Told.PAID)))
    type_in(ctx, variant, "10")
    orders.take(ctx, SYSTEM, Reported("", "c", "1", Report(Told.CANCELLED)))
    assert there(ctx, variant) == 10
    adds_up(ctx)


# --- several at once -----------------------------------------------------------------------------------------


@pytest.mark.concurrency
def test_eight_who_write_at_once_make_it_add_up(ctx, needles, yarn):
    """Typing, counting, moving, orders and cancellations, archiving and a save of the page, all of the same goods."""
    stall = places.add(ctx, SYSTEM, "Market stall")
    ids = [one.id for one in products.read(ctx, SYSTEM, needles).variants]
    setting.set_values(ctx, SYSTEM, needles, ids, "stock", counted(50))
    skus = {one.id: one.sku for one in products.read(ctx, SYSTEM, needles).variants}
    added = []

    def write(who: int) -> None:
        dice = random.Random(who)
        for turn in range(12):
            variant = dice.choice(ids[:3])
            match dice.randrange(5):
                case 0 | 1:
                    type_in(ctx, variant, "+5", location=dice.choice([None, stall]))
                    added.append(5)
                case 2:
                    counting.move(ctx, SYSTEM, f"{skus[variant]} 2", 1, stall)
                case 3:
                    code = f"{who}-{turn}"
                    order = Report(Told.ORDERED, {skus[variant]: D(3)})
                    orders.take(ctx, SYSTEM, Reported("", f"{code}-o", code, order))
                    orders.take(ctx, SYSTEM, Reported("", f"{code}-p", code, Report(Told.PAID)))
                    orders.take(ctx, SYSTEM, Reported("", f"{code}-c", code, Report(Told.CANCELLED)))
                case 4:
                    setting.set_values(ctx, SYSTEM, needles, [ids[5]], "archived", bool(dice.randrange(2)))

    with ThreadPoolExecutor(8) as threads:
        for done in [threads.submit(write, who) for who in range(8)]:
            done.result(120)
    adds_up(ctx)
    total = ctx.db.run(lambda tx: tx.value("SELECT SUM(on_hand) FROM stock WHERE product_id = %s", [needles]))
    assert total == 6 * 50 + sum(added), "orders that were cancelled took nothing"
    assert ctx.db.run(lambda tx: tx.value("SELECT SUM(reserved) FROM stock")) == 0


@pytest.mark.concurrency
def test_a_sale_does_not_wait_for_an_import_that_writes_its_product(ctx, yarn):
    """The transaction that writes a product holds it; a sale of it goes through all the same."""
    held, sold = threading.Event(), threading.Event()

    def import_like(tx) -> None:
        tx.run("UPDATE product SET version = version + 1 WHERE id = %s", [yarn])
        tx.run("UPDATE variant SET price = 1 WHERE product_id = %s", [yarn])
        tx.run("UPDATE product_summary SET price_low = 1 WHERE product_id = %s", [yarn])
        held.set()
        assert sold.wait(20)

    with ThreadPoolExecutor(1) as threads:
        writing = threads.submit(lambda: ctx.db.run(import_like))
        assert held.wait(20)
        try:
            orders.take(ctx, SYSTEM, Reported("", "r1", "1", Report(Told.ORDERED, {"FEL-1": D(7)})))
            orders.take(ctx, SYSTEM, Reported("", "r2", "1", Report(Told.PAID)))
            orders.take(ctx, SYSTEM, Reported("", "r3", "1", Report(Told.RETURNED, {"FEL-1": D(6)})))
            assert there(ctx, only(ctx, yarn)) == 9, "it fell below its threshold, and came back above it"
            assert not writing.done()
        finally:
            sold.set()
        writing.result(20)
    adds_up(ctx)


STEPS = st.lists(
    st.tuples(st.sampled_from(["type", "count", "move", "order", "pay", "cancel", "back"]), st.integers(1, 9)),
    max_size=12,
)


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(STEPS)
def test_any_series_of_acts_adds_up(ctx, steps):
    """Sales, cancellations, counts, moves and roll backs, in any order."""
    known = ctx.db.run(lambda tx: tx.value("SELECT COUNT(*) FROM variant"))
    sku = f"ANY-{known}"
    variant = only(ctx, make_product(ctx, sku, stock=10))
    stall = next((one["id"] for one in ctx.db.run(stock_store.locations) if one["name"] == "Stall"), None)
    stall = stall or places.add(ctx, SYSTEM, "Stall")
    for number, (act, amount) in enumerate(steps):
        code = f"{sku}-{amount % 3}"
        report = {"order": Report(Told.ORDERED, {sku: D(amount)}), "pay": Report(Told.PAID)}
        report |= {"cancel": Report(Told.CANCELLED, {sku: D(1)})}
        if act == "type":
            type_in(ctx, variant, f"+{amount}", location=stall if amount % 2 else None)
        elif act == "count":
            type_in(ctx, variant, f"={amount}")
        elif act == "move":
            counting.move(ctx, SYSTEM, f"{sku} {amount}", 1, stall)
        elif act == "back":
            newest = history.list_change_sets(ctx, SYSTEM).change_sets[0]["id"]
            ctx.db.run(lambda tx, act=newest: rolling_back.roll_back(ctx, tx, SYSTEM, act))
        else:
            orders.take(ctx, SYSTEM, Reported("", f"{sku}-{number}", code, report[act]))
        adds_up(ctx)


# --- counts --------------------------------------------------------------------------------------------------


def test_a_count_holds_as_of_when_it_was_made_and_later_sales_are_taken_off(ctx, yarn):
    began = ctx.db.run(ctx.now).replace(tzinfo=None).isoformat(timespec="milliseconds")
    orders.take(ctx, SYSTEM, Reported("", "r1", "1", Report(Told.ORDERED, {"FEL-1": D(2)})))
    orders.take(ctx, SYSTEM, Reported("", "r2", "1", Report(Told.PAID)))
    assert counting.count(ctx, SYSTEM, "FEL-1 12", None, began) == 1
    assert there(ctx, only(ctx, yarn)) == 10, "12 were counted, 2 of which were sold since"
    assert counting.count(ctx, SYSTEM, "fel-1 10", None) == 0


def test_codes_that_name_nothing_keep_a_count_from_being_booked(ctx, yarn):
    with pytest.raises(Refused, match="Line 2: nothing has the SKU or GTIN “NONE”"):
        counting.count(ctx, SYSTEM, "FEL-1\nNONE\nFEL-1", None)
    assert there(ctx, only(ctx, yarn)) == 10
    with pytest.raises(Refused, match="Type or scan a code"):
        counting.count(ctx, SYSTEM, "\n", None)


# --- locations -----------------------------------------------------------------------------------------------


def test_goods_move_between_locations_and_are_taken_in_their_order(ctx, yarn):
    stall = places.add(ctx, SYSTEM, "Market stall")
    variant = only(ctx, yarn)
    counting.move(ctx, SYSTEM, "FEL-1 4", 1, stall)
    places.use_earlier(ctx, SYSTEM, stall)
    orders.take(ctx, SYSTEM, Reported("", "r1", "1", Report(Told.ORDERED, {"FEL-1": D(5)})))
    orders.take(ctx, SYSTEM, Reported("", "r2", "1", Report(Told.PAID)))
    line = service.line(ctx, SYSTEM, variant)
    assert line.at == {stall: 0, 1: 5}, "the stall first, then the stock room"
    orders.take(ctx, SYSTEM, Reported("", "r3", "1", Report(Told.RETURNED, {"FEL-1": D(2)})))
    assert sum(service.line(ctx, SYSTEM, variant).at.values()) == 7
    adds_up(ctx)


def test_a_location_that_holds_goods_can_not_be_taken_away(ctx, yarn):
    with pytest.raises(Refused, match="The last location stays"):
        places.remove(ctx, SYSTEM, 1)
    stall = places.add(ctx, SYSTEM, "Market stall")
    counting.move(ctx, SYSTEM, "FEL-1 4", 1, stall)
    with pytest.raises(Refused, match="Market stall holds stock of one variant"):
        places.remove(ctx, SYSTEM, stall)
    with pytest.raises(Refused, match="already"):
        places.add(ctx, SYSTEM, "market stall")
    counting.move(ctx, SYSTEM, "FEL-1 4", stall, 1)
    places.remove(ctx, SYSTEM, stall)
    roll_back_newest(ctx)
    assert [one["name"] for one in service.said(ctx).locations] == ["Stock room", "Market stall"]


# --- what sells ----------------------------------------------------------------------------------------------


def dress(dice, **more):
    """Rules as goods, a type or the shop may have them, many left open."""
    amount = lambda: dice.choice([None, None, D(dice.randrange(12))])  # noqa: E731
    said = {name: amount() for name in ("zero_limit", "held_back", "least_stock", "low_stock")}
    return said | {"at_zero": dice.choice([None, None, "stop", "go_on", "limit", "hide"])} | more


@pytest.mark.parametrize("seed", range(4))
def test_by_sets_it_is_what_it_is_one_by_one(ctx, needles, seed):
    dice = random.Random(seed)
    today = ctx.db.run(lambda tx: stocks.today(ctx, tx))
    ctx.db.run(lambda tx: stock_store.add_day(tx, today))  # as the clock does at the shop’s midnight
    around = [None, today - timedelta(days=1), today, today + timedelta(days=1)]
    type_id = products.read(ctx, SYSTEM, needles).values.type_id
    texts = lambda said: {name: "" if one is None else str(one) for name, one in said.items()}  # noqa: E731
    places.save(ctx, SYSTEM, None, texts(dress(dice)))
    if type_id:
        places.save(ctx, SYSTEM, type_id, texts(dress(dice)))
    goods = [needles] + [
        make_product(ctx, f"G-{n}", stock=dice.choice([None, 0, 3, 9, 20]), type_id=type_id) for n in range(6)
    ]
    for product_id in goods:
        product = products.read(ctx, SYSTEM, product_id)
        days_said = {"back_on": dice.choice(around), "coming_on": dice.choice(around)}
        more = {"sells": dice.choice([None, None, "always", "never", "by_stock"]), **days_said}
        saving.save(ctx, SYSTEM, product_id, replace(product.values, **dress(dice, **more)), None)
        if product.varies:
            for one in product.variants:
                own = dress(dice, sells=dice.choice([None, "never"]), stock=counted(dice.randrange(10)))
                setting.save_one(ctx, SYSTEM, one.id, own)
    report = Report(Told.ORDERED, {f"G-{n}": D(dice.randrange(1, 4)) for n in range(6)})
    orders.take(ctx, SYSTEM, Reported("", "r", "1", report))
    found = selling.now_of(ctx, goods)
    for product_id in goods:
        product = products.read(ctx, SYSTEM, product_id)
        one_by_one = selling.read(ctx, product)
        for variant in product.for_sale:
            single, many = one_by_one.sells[variant.id], found[variant.id]
            assert (many.standing, many.ready, many.most) == (single.standing, single.ready, single.most)
        hidden = len(one_by_one.hidden) == len(one_by_one.sells)
        had = {"yes" if one_by_one.can_be_had else "hidden" if hidden else "no"}
        state = {value: table.read(ctx, SYSTEM, TableState.read({"had": [value]})) for value in ("yes", "no", "hidden")}
        assert {value for value, page in state.items() if product_id in {r["id"] for r in page.rows}} == had
        lows = {one.is_low for one in one_by_one.sells.values()}
        alerted = ctx.db.run(lambda tx, p=product_id: tx.all("SELECT id FROM stock_alert WHERE product_id = %s", [p]))
        assert bool(alerted) == (True in lows)


def test_the_rules_of_shop_and_type_hold_until_goods_say_otherwise(ctx, yarn):
    places.save(ctx, SYSTEM, None, {"at_zero": "go_on", "low_stock": "12", "order_step": "6"})
    found = selling.read(ctx, products.read(ctx, SYSTEM, yarn))
    assert (found.sells[only(ctx, yarn)].standing, found.ordering[only(ctx, yarn)].step) == (Standing.LOW, 6)
    with pytest.raises(Refused, match="With steps of 6, 10 can't be ordered"):
        places.save(ctx, SYSTEM, None, {"order_step": "6", "order_least": "10"})
    product = products.read(ctx, SYSTEM, yarn)
    saving.save(ctx, SYSTEM, yarn, replace(product.values, low_stock=D(2)), None)
    found = selling.read(ctx, products.read(ctx, SYSTEM, yarn))
    assert found.sells[only(ctx, yarn)].standing is Standing.IN
    assert selling.above(found.said, None)["low_stock"] == Above(D(12), "12", "as the shop’s")


def test_what_hides_itself_at_zero_leaves_the_shop_and_comes_back(ctx, yarn):
    product = products.read(ctx, SYSTEM, yarn)
    saving.save(ctx, SYSTEM, yarn, replace(product.values, at_zero="hide", status=Status.LIVE), None)
    shop = destinations.list_shops(ctx, SYSTEM)[0]

    def is_shown() -> bool:
        return ctx.db.run(lambda tx: assortments.is_shown(ctx, tx, shop, yarn))

    assert is_shown()
    orders.take(ctx, SYSTEM, Reported("", "r1", "1", Report(Told.ORDERED, {"FEL-1": D(10)})))
    assert not is_shown()
    orders.take(ctx, SYSTEM, Reported("", "r2", "1", Report(Told.CANCELLED)))
    assert is_shown()


def test_orders_and_stock_leave_alone_what_is_kept_of_what_people_wrote(ctx, yarn):
    def stamps() -> tuple[str, str]:
        return ctx.db.run(lambda tx: (history.stamp(tx), history.written_stamp(tx)))

    all_before, written = stamps()
    orders.take(ctx, SYSTEM, Reported("", "r1", "1", Report(Told.ORDERED, {"FEL-1": D(2)})))
    service.book(ctx, SYSTEM, only(ctx, yarn), None, "+3", "", Reason.RECEIVED)
    all_then, still = stamps()
    assert (all_then != all_before, still) == (True, written)
    product = products.read(ctx, SYSTEM, yarn)
    saving.save(ctx, SYSTEM, yarn, replace(product.values, name="Fellside, renamed"), None)
    renamed = stamps()[1]
    assert renamed != written
    bring_in(ctx, "sku,name\nNEW-1,New\n")
    assert stamps()[1] not in (written, renamed), "goods that came by a file are no flow"


def test_goods_begin_to_sell_on_their_day_without_anybody_doing_anything(ctx, yarn):
    today = ctx.db.run(lambda tx: stocks.today(ctx, tx))
    product = products.read(ctx, SYSTEM, yarn)
    saving.save(ctx, SYSTEM, yarn, replace(product.values, coming_on=today + timedelta(days=2)), None)
    assert table.read(ctx, SYSTEM, TableState.read({"stock": ["coming"]})).total == 1
    version = products.read(ctx, SYSTEM, yarn).version
    later = replace(ctx, ahead=timedelta(days=2))
    ctx.db.run(lambda tx: timekeeping.plan(later, tx, days.CLOCK, later.now(tx)))
    work_off(later)
    assert table.read(ctx, SYSTEM, TableState.read({"stock": ["coming"]})).total == 0
    assert products.read(ctx, SYSTEM, yarn).version == version
    assert history.list_change_sets(ctx, SYSTEM).change_sets[0]["title"].startswith("Goods that are back or new")


# --- who may, and odd input ------------------------------------------------------------------------------------


def test_a_viewer_books_nothing(ctx, yarn, viewer):
    for act in (
        lambda: service.book(ctx, viewer, only(ctx, yarn), None, "+1", "10", Reason.CORRECTED),
        lambda: counting.count(ctx, viewer, "FEL-1", None),
        lambda: counting.move(ctx, viewer, "FEL-1", 1, 2),
        lambda: places.add(ctx, viewer, "Stall"),
        lambda: places.save(ctx, viewer, None, {}),
        lambda: places.save_notice(ctx, viewer, "a@b.example"),
        lambda: orders.take(ctx, viewer, Reported("", "r", "1", Report(Told.PAID))),
    ):
        with pytest.raises(NotAllowed):
            act()


def test_a_count_in_a_file_holds_as_of_when_it_came_in(ctx, yarn):
    version = products.read(ctx, SYSTEM, yarn).version
    planned = plan_file(ctx, "sku;name;price;category;stock\nFEL-1;;;;12\nNEW-1;New;2.00;Yarn;5\n")
    assert {k: planned.row["counts"][k] for k in ("new", "changed")} == {"new": 1, "changed": 1}
    (sample,) = planned_rows.rows_of(ctx, SYSTEM, planned, "changed").samples
    assert (sample.plan.before, sample.plan.after) == ({"stock": "10.00"}, {"stock": "12.00"})
    orders.take(ctx, SYSTEM, Reported("", "r1", "1", Report(Told.ORDERED, {"FEL-1": D(2)})))
    orders.take(ctx, SYSTEM, Reported("", "r2", "1", Report(Told.PAID)))
    files.request_apply(ctx, SYSTEM, planned.id, leave_out=False)
    work_off(ctx)
    assert there(ctx, only(ctx, yarn)) == 10, "two of the twelve were sold since"
    assert products.read(ctx, SYSTEM, yarn).version == version
    new = ctx.db.run(lambda tx: tx.value("SELECT id FROM variant WHERE sku = 'NEW-1'"))
    assert there(ctx, new) == 5
    adds_up(ctx)
    again = plan_file(ctx, "sku;stock\nFEL-1;10\nNEW-1;5,0\n")
    assert again.row["counts"]["unchanged"] == 2
    bad = plan_file(ctx, "sku;stock\nFEL-1;1.000\nNEW-1;many\n")
    assert bad.row["counts"]["refused"] == 2
    roll_back_file = history.list_change_sets(ctx, SYSTEM, kind="files.apply").change_sets[0]["id"]
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, roll_back_file))
    assert there(ctx, only(ctx, yarn)) == 8, "the opposite is booked"
    assert not ctx.db.run(lambda tx: tx.value("SELECT 1 FROM variant WHERE sku = 'NEW-1'"))
    adds_up(ctx)


def test_the_moment_of_a_count_in_a_file_can_be_said(ctx, yarn):
    file = plan_file(ctx, "sku;name;stock\nFEL-1;Other;12\n")
    columns, zone = file.rules, ZoneInfo(ctx.settings.time_zone)
    came_in = file.row["counts_at"]

    def plan(typed: str, file_id: int = file.id):
        files.request_plan(ctx, SYSTEM, file_id, columns, counts_at=typed)
        work_off(ctx)
        return files.read(ctx, SYSTEM, file_id)

    assert plan(file_counts.shown(ctx, file.row)).row["counts_at"] == came_in, "not moved to its minute's beginning"
    hour = timedelta(hours=1)
    for wrong, says in ((f"{datetime.now(zone) + hour:%Y-%m-%dT%H:%M}", "yet to come"), ("soon", "no day and time")):
        with pytest.raises(Refused, match=says):
            plan(wrong)
    before = plan(f"{datetime.now(zone) - hour:%Y-%m-%dT%H:%M}")
    (sample,) = planned_rows.rows_of(ctx, SYSTEM, before, "changed").samples
    assert (sample.plan.before["stock"], sample.plan.after["stock"]) == ("0.00", "12.00"), "the ten came after that"
    product = products.read(ctx, SYSTEM, yarn)
    saving.save(ctx, SYSTEM, yarn, replace(product.values, mpn="4-ply"), None)
    files.request_apply(ctx, SYSTEM, before.id, leave_out=False)
    work_off(ctx)
    again = files.read(ctx, SYSTEM, files.request_again(ctx, SYSTEM, before.id))
    assert again.row["counts_at"] == before.row["counts_at"]
    work_off(ctx)
    files.request_apply(ctx, SYSTEM, again.id, leave_out=False)
    work_off(ctx)
    assert there(ctx, only(ctx, yarn)) == 22
    adds_up(ctx)


def test_rules_of_selling_and_sizes_come_in_and_go_out_by_files(ctx, yarn, tmp_path):
    head = "sku;name;at zero;sold beyond stock;order step;least per order;back on;hs code;packed size;delivered;rrp"
    bring_in(
        ctx, f"{head}\nFEL-1;;limit;5;6;12;2026-12-24;5109.10;30 x 20 x 5 cm;;12,00\nPDF-1;Leaflet;;;;;;;;downloaded;\n"
    )
    values = products.read(ctx, SYSTEM, yarn).values
    assert (values.at_zero, values.zero_limit, values.order_step, values.order_least) == ("limit", 5, 6, 12)
    assert (values.back_on, values.customs_code, values.packed_size) == (date(2026, 12, 24), "510910", "300x200x50")
    assert values.list_price == D("12.00")
    exporting.export(ctx, SYSTEM, tmp_path / "out.csv")
    assert "limit" in (tmp_path / "out.csv").read_text()
    assert plan_file(ctx, (tmp_path / "out.csv").read_bytes()).row["counts"]["unchanged"] == 2
    bad = plan_file(ctx, f"{head}\nFEL-1;;never;-1;0;x;soon;12;big;posted;a\nPDF-1;;;;6;10;;;;;\n")
    (first, second) = planned_rows.rows_of(ctx, SYSTEM, bad, "refused").samples
    assert {one.field for one in first.plan.problems} == {
        "at_zero", "zero_limit", "order_step", "order_least", "back_on", "customs_code", "packed_size", "delivered",
        "list_price",
    }  # fmt: skip
    assert "With steps of 6, 10 can't be ordered" in second.plan.problems[0].message


def test_a_threshold_that_comes_by_file_is_heeded_at_once(ctx, yarn):
    def low() -> list[str]:
        return [one["sku"] for one in ctx.db.run(lambda tx: stock_pages.alerts(tx, "en", 9))]

    assert low() == []
    bring_in(ctx, "sku;report below\nFEL-1;12\n")
    assert low() == ["FEL-1"]
    assert len(table.read(ctx, SYSTEM, TableState(chosen={"stock": ("low",)})).rows) == 1
    bring_in(ctx, "sku;report below\nFEL-1;3\n")
    assert low() == []


def test_a_file_that_does_not_speak_of_stock_leaves_it_alone(ctx, yarn):
    before = there(ctx, only(ctx, yarn))
    bring_in(ctx, "sku;name;price;category\nFEL-1;Other;3.00;Yarn\nNEW-1;New;2.00;Yarn\n")
    assert there(ctx, only(ctx, yarn)) == before
    adds_up(ctx)
