"""Stock: what is typed, what sells, how many an order may have, and what reports of orders come to."""

from datetime import date, timedelta
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core import availability, ordering, orders, stock
from graupel.core.availability import AtZero, Held, Layer, Rules, Standing, Switch, sells
from graupel.core.errors import Refused
from graupel.core.ordering import Ordering
from graupel.core.orders import Claimed, Report, Told
from graupel.core.stock import How, Typed

D = Decimal
TODAY = date(2026, 11, 26)
AMOUNTS = st.integers(-500, 500).map(lambda n: D(n) / 4)


# --- typing --------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "shown", "typed"),
    [
        ("+20", None, Typed(How.BY, D(20))),
        ("-3", D(10), Typed(How.BY, D(-3))),
        ("−3", D(10), Typed(How.BY, D(-3))),
        ("=50", D(10), Typed(How.COUNT, D(50))),
        ("=-2", D(10), Typed(How.COUNT, D(-2))),
        ("12", D(10), Typed(How.BY, D(2))),
        ("12", None, Typed(How.COUNT, D(12))),
        ("0.5", None, Typed(How.COUNT, D("0.5"))),
        ("1 200", None, Typed(How.COUNT, D(1200))),
        ("", D(4), Typed(How.NOT_COUNTED)),
    ],
)
def test_what_is_typed_changes_stock_or_says_how_much_there_is(text, shown, typed):
    assert stock.parse(text, shown) == typed


@pytest.mark.parametrize("text", ["+-3", "=", "+", "1.000", "1,000", "many", "=x", "--2", "1e3", "1.234", "9" * 12])
def test_what_can_not_be_meant_is_refused_in_a_sentence(text):
    with pytest.raises(Refused) as refusal:
        stock.parse(text, D(3))
    (problem,) = refusal.value.problems
    assert problem.code.startswith("stock.")
    assert text[:3] in problem.message


def test_two_who_add_five_make_ten_whatever_they_saw():
    held = D(10)
    for typed in (stock.parse("+5", D(10)), stock.parse("15", D(10))):
        held += typed.change(held)
    assert held == 20


def test_codes_are_read_as_a_scanner_types_them():
    found, problems = stock.read_codes("NDL-4\n9521234567899\n\nNDL-4 12\nFEL;3\nRIB × 2.5\nFEL 1.000")
    assert [(one.line, one.code, one.amount) for one in found] == [
        *((1, "NDL-4", D(1)), (2, "9521234567899", D(1)), (4, "NDL-4", D(12)), (5, "FEL", D(3)), (6, "RIB", D("2.5")))
    ]
    assert [one.row for one in problems] == [7]


@given(st.lists(st.integers(-5, 20).map(D), min_size=1, max_size=4), st.integers(0, 60).map(D))
def test_goods_are_taken_in_the_order_of_use_and_come_back_where_they_were(levels, amount):
    order = list(enumerate(levels, 1))
    parts = stock.taken(order, amount)
    assert sum(parts.values()) == amount
    for place, (location, there) in enumerate(order):
        if place and parts.get(location):
            assert parts[location] <= there, "only the first goes below nothing"
    assert stock.given_back(parts, amount, 1) == {key: part for key, part in reversed(parts.items()) if part}


# --- what sells ----------------------------------------------------------------------------------------------

RULES = st.builds(
    Rules,
    st.sampled_from(Switch),
    st.sampled_from(AtZero),
    limit=st.integers(0, 20).map(D),
    held_back=st.integers(0, 10).map(D),
    least=st.integers(0, 10).map(D),
    low=st.integers(0, 20).map(D),
    back_on=st.none() | st.just(TODAY + timedelta(days=3)),
    coming_on=st.none() | st.sampled_from([TODAY, TODAY + timedelta(days=1)]),
)
HELD = st.builds(Held, st.booleans(), AMOUNTS, st.integers(0, 20).map(D))


@given(HELD, RULES)
def test_what_sells_follows_from_what_is_there_and_the_rules(held, rules):
    found = sells(held, rules, TODAY)
    assert found.ready is None or found.ready >= 0
    assert found.most is None or found.ready is None or found.most >= found.ready
    assert found.can_be_had == (found.standing not in (Standing.OFF, Standing.COMING, Standing.OUT))
    if rules.switch is Switch.NEVER or (rules.coming_on and rules.coming_on > TODAY):
        assert found.most == 0
    elif rules.switch is Switch.ALWAYS or not held.counted:
        assert found.most is None
    elif rules.at_zero in (AtZero.STOP, AtZero.HIDE):
        assert found.most in (0, held.on_hand - held.reserved - rules.held_back)
    assert found.hidden == (found.standing is Standing.OUT and rules.at_zero is AtZero.HIDE)
    assert availability.sentence(found).endswith((".", "2026."))


@pytest.mark.parametrize(
    ("held", "rules", "said"),
    [
        (Held(True, D(15), D(3)), Rules(), "Sells 12 of 15: 3 are reserved; then stops."),
        (
            Held(True, D(15), D(1)),
            Rules(held_back=D(2)),
            "Sells 12 of 15: 1 is reserved and 2 are held back; then stops.",
        ),
        (Held(True, D(2)), Rules(at_zero=AtZero.LIMIT, limit=D(5)), "Sells 2; then goes on for 5 more."),
        (Held(True, D(2)), Rules(least=D(3)), "Sells nothing: fewer than 3 do not count."),
        (Held(True), Rules(at_zero=AtZero.HIDE), "Sells nothing: none left, and is hidden."),
        (Held(True), Rules(back_on=date(2026, 12, 5)), "Sells nothing: none left. Back on 5 Dec 2026."),
        (
            Held(True),
            Rules(at_zero=AtZero.GO_ON, back_on=date(2026, 12, 5)),
            "Nothing is there to sell; goes on without end, and says 5 Dec 2026.",
        ),
        (Held(), Rules(), "Sells without end: stock is not counted."),
        (Held(True), Rules(coming_on=date(2026, 12, 1)), "Is not sold yet: coming on 1 Dec 2026."),
        (Held(True, D(9)), Rules(switch=Switch.NEVER), "Is not sold: switched off."),
    ],
)
def test_what_sells_is_said_in_a_sentence(held, rules, said):
    assert availability.sentence(sells(held, rules, TODAY)) == said


def test_rules_are_those_of_the_nearest_that_says_one():
    layers = {
        Layer.VARIANT: {"at_zero": None, "low_stock": D(2)},
        Layer.PRODUCT: {"at_zero": "go_on", "low_stock": D(9)},
        Layer.TYPE: {"held_back": D(1)},
        Layer.SHOP: {"at_zero": "hide", "held_back": D(4), "least_stock": D(3)},
    }
    found = availability.rules_of(layers)
    assert (found.at_zero, found.low, found.held_back, found.least) == (AtZero.GO_ON, D(2), D(1), D(3))
    assert availability.layered("held_back", layers) == (D(1), Layer.TYPE)


# --- ordering ------------------------------------------------------------------------------------------------

STEPS = st.sampled_from([D(1), D(6), D("0.1"), D("0.25"), D("2.5")])
SOME = st.none() | st.integers(1, 400).map(lambda n: D(n) / 10)


@given(SOME, SOME, st.none() | STEPS, st.integers(1, 900).map(lambda n: D(n) / 10))
def test_what_may_be_ordered_is_always_a_multiple_within_the_bounds(least, most, step, wanted):
    said = {"order_least": least, "order_most": most, "order_step": step}
    rules = ordering.ordering_of({Layer.SHOP: said})
    near = rules.nearest(wanted)
    assert near is not None
    assert rules.takes(near)
    assert (ordering.problem(rules, wanted) is None) == rules.takes(wanted)
    assert rules.takes(rules.least)
    assert rules.most is None or rules.takes(rules.most)


@pytest.mark.parametrize(
    ("said", "field", "hint"),
    [
        ({"order_step": D("0.25"), "order_least": D("0.3")}, "order_least", "Take 0.25 or 0.5."),
        ({"order_step": D(6), "order_most": D(10)}, "order_most", "multiple"),
        ({"order_least": D(5), "order_most": D(4)}, "order_most", "Nothing could be ordered"),
    ],
)
def test_rules_of_ordering_that_do_not_go_together_are_refused(said, field, hint):
    (problem,) = ordering.problems(said)
    assert problem.field == field
    assert hint in problem.message


def test_rules_of_ordering_in_words():
    assert ordering.sentence(Ordering(D(1), D(1))) == "One per order."
    assert ordering.sentence(Ordering(D(12), None, D(6))) == "In steps of 6, at least 12."
    assert (
        ordering.sentence(Ordering(D("0.5"), D(20), D("0.1"), "m"))
        == "In steps of 0.1 m, at least 0.5 m, at most 20 m."
    )
    assert ordering.sentence(Ordering()) == "Any number."


# --- orders --------------------------------------------------------------------------------------------------

LINES = st.dictionaries(st.sampled_from(["A", "B"]), st.integers(1, 5).map(D), max_size=2)
REPORTS = st.lists(st.builds(Report, st.sampled_from(Told), LINES), max_size=6)


@given(REPORTS, st.randoms(use_true_random=False))
def test_reports_come_to_the_same_in_whatever_order_they_come(reports, dice):
    found = orders.claims(reports)
    mixed = list(reports)
    dice.shuffle(mixed)
    assert orders.claims(mixed) == found
    ordered = {"A": D(0), "B": D(0)}
    for one in reports:
        if one.told is Told.ORDERED:
            for sku, number in one.lines.items():
                ordered[sku] += number
    for sku, claimed in found.items():
        assert 0 <= claimed.returned <= claimed.taken
        assert 0 <= claimed.reserved + claimed.taken <= ordered[sku]


def test_an_order_reserves_a_payment_takes_and_a_return_gives_back():
    order, paid = Report(Told.ORDERED, {"A": D(5)}), Report(Told.PAID)
    assert orders.claims([order]) == {"A": Claimed(D(5))}
    assert orders.claims([order, paid]) == {"A": Claimed(D(0), D(5))}
    assert orders.claims([order, Report(Told.CANCELLED)]) == {"A": Claimed()}
    assert orders.claims([order, paid, Report(Told.RETURNED, {"A": D(2)})]) == {"A": Claimed(D(0), D(5), D(2))}
    assert orders.claims([paid]) == {}, "a payment of what is not known yet waits for its order"
