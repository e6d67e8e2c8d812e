"""Delivery: when goods arrive, what it costs, and what is typed of it."""

from datetime import date, datetime, time
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core import delivery
from graupel.core.delivery import CostBy, Promise, Way, Working, Zone
from graupel.core.errors import Refused

D = Decimal
#: A Thursday.
NOON = datetime(2026, 11, 26, 12)
PARCEL = Promise(
    1,
    "Parcel",
    CostBy.WEIGHT,
    [
        Zone(frozenset(["DE"]), 1, 2, ((D(1000), D("3.90")), (D(5000), D("5.90"))), D(50)),
        Zone(frozenset(["AT", "FR"]), 3, 5, ((None, D("9.90")),)),
    ],
)


@pytest.mark.parametrize(
    ("now", "days", "out"),
    [
        (NOON, range(5), date(2026, 11, 26)),
        (datetime(2026, 11, 26, 14), range(5), date(2026, 11, 27)),
        (datetime(2026, 11, 27, 18), range(5), date(2026, 11, 30)),
        (datetime(2026, 11, 28, 9), range(5), date(2026, 11, 30)),
        (NOON, [5], date(2026, 11, 28)),
    ],
)
def test_an_order_goes_out_on_the_next_day_of_work(now, days, out):
    assert delivery.goes_out(now, Working(frozenset(days))) == out


def test_it_arrives_so_many_days_of_work_later_closed_days_and_waiting_for_stock_counted():
    working = Working(closed=frozenset([date(2026, 11, 27)]))
    found = delivery.arrives(NOON, PARCEL.zones[0], working)
    assert (found.first, found.last) == (date(2026, 11, 30), date(2026, 12, 1))
    back = delivery.arrives(NOON, PARCEL.zones[0], working, ready_on=date(2026, 12, 5))
    assert (back.first, back.last) == (date(2026, 12, 8), date(2026, 12, 9)), "back on a Saturday, out on Monday"


@given(
    st.datetimes(datetime(2026, 1, 1), datetime(2027, 12, 31)),
    st.frozensets(st.integers(0, 6), min_size=1),
    st.integers(0, 20),
    st.integers(0, 10),
    st.frozensets(st.dates(date(2026, 1, 1), date(2027, 12, 31)), max_size=20),
)
def test_it_never_arrives_on_a_day_without_work_nor_before_it_went_out(now, days, first, more, closed):
    working = Working(days, closed=closed)
    zone = Zone(frozenset(["DE"]), first, first + more)
    found = delivery.arrives(now, zone, working)
    assert now.date() <= delivery.goes_out(now, working) <= found.first <= found.last
    assert working.works(found.first)
    assert working.works(found.last)


@pytest.mark.parametrize(
    ("country", "weight", "value", "amount"),
    [
        ("DE", 900, D(20), D("3.90")),
        ("DE", 1000, D(20), D("3.90")),
        ("DE", 1001, D(20), D("5.90")),
        ("DE", 6000, D(20), None),
        ("DE", 6000, D(50), D(0)),
        ("FR", None, D(20), D("9.90")),
    ],
)
def test_a_cost_goes_by_weight_and_is_free_from_an_amount(country, weight, value, amount):
    assert delivery.cost(PARCEL, PARCEL.zone(country), weight, value) == amount


def test_what_is_told_of_single_goods_comes_before_the_promise():
    def told(country, way=Way.SHIPPED, **more):
        return delivery.sent(way, country, PARCEL, Working(), NOON, 100, D(20), **more)

    assert told("DE").amount == D("3.90")
    assert told("DE", own={"DE": D(12)}).amount == D(12)
    assert told("DE", not_to=["DE"]).to is None
    assert told("JP").to is None
    assert told("DE", way=Way.DOWNLOADED).promise is None
    by_value = Promise(2, "By value", CostBy.VALUE, [Zone(frozenset(["DE"]), 1, 1, ((D(50), D("4.90")), (None, D(0))))])
    assert delivery.cost(by_value, by_value.zones[0], None, D(50)) == D("4.90")
    assert delivery.cost(by_value, by_value.zones[0], None, D("50.01")) == 0


@pytest.mark.parametrize("by", CostBy)
@given(data=st.data())
def test_steps_are_shown_as_they_are_typed(by, data):
    bounds = data.draw(st.lists(st.integers(1, 5000), unique=True, max_size=4).map(sorted))
    steps = [(D(n), D(n) / 100) for n in bounds]
    steps += [(None, D("9.90"))] if data.draw(st.booleans()) else []
    text = delivery.show_steps(steps, by)
    assert delivery.parse_steps(text, by, "EUR") == tuple(steps)


@pytest.mark.parametrize(
    ("act", "text", "said"),
    [
        (delivery.parse_days, "4-2", "ends before"),
        (delivery.parse_days, "soon", "no number of days"),
        (delivery.parse_countries, "Narnia", "no country"),
        (lambda text: delivery.parse_steps(text, CostBy.WEIGHT, "EUR"), "3.90, up to 1 kg 2.00", "has no bound"),
        (lambda text: delivery.parse_steps(text, CostBy.WEIGHT, "EUR"), "up to 2 kg 3, up to 1 kg 2", "not above"),
        (lambda text: delivery.parse_steps(text, CostBy.WEIGHT, "EUR"), "up to 1 kg -3", "below zero"),
        (delivery.parse_size, "30 x 20", "length x width x height"),
        (delivery.parse_size, "0 x 20 x 1 cm", "no size of a parcel"),
        (delivery.parse_customs_code, "12345", "6, 8 or 10 digits"),
        (delivery.parse_customs_code, "770000", "chapter"),
        (delivery.parse_customs_code, "5109AB", "6, 8 or 10"),
        (delivery.parse_closed, "24.12.", "is no day"),
        (delivery.parse_time, "2 pm", "no time of day"),
        (lambda text: delivery.parse_working({"days": []}), "", "at least one day of work"),
    ],
)
def test_what_can_not_be_meant_is_refused_in_a_sentence(act, text, said):
    with pytest.raises(Refused, match=said):
        act(text)


def test_a_promise_without_any_day_of_work_promises_nothing():
    with pytest.raises(Refused, match="nothing would ever go out"):
        delivery.arrives(NOON, PARCEL.zones[0], Working(frozenset(), time(14)))


def test_sizes_and_customs_codes_are_kept_in_one_form():
    assert delivery.parse_size("30 x 20,5 × 5 cm") == "300x205x50"
    assert delivery.show_size("300x205x50") == "30 x 20.5 x 5 cm"
    assert delivery.parse_customs_code("5109 10.10") == "51091010"
    assert delivery.parse_size("") is delivery.parse_customs_code(" ") is None


def test_a_country_stands_in_one_row_only():
    zones = [Zone(frozenset(["DE"]), 1, 2), Zone(frozenset(["AT", "DE"]), 1, 2), Zone(frozenset(), 1, 2)]
    assert [(one.code, one.field) for one in delivery.problems_of(zones)] == [
        ("zone.twice", "countries-1"),
        ("zone.countries", "countries-2"),
    ]
