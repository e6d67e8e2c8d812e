"""A time line: what is drawn lies where it belongs, also where clocks are changed."""

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core import moments
from graupel.core.sales import Reach, Reduction, Sale, TakesOff
from graupel.core.time_lines import LEAST_WIDTH, NAMES, Line, Piece, between, draw, is_gap

DAY = timedelta(days=1)
BEGINS = datetime(2026, 3, 1, tzinfo=UTC)
ENDS = BEGINS + 90 * DAY
moments_around = st.integers(-40, 140).map(lambda day: BEGINS + day * DAY)


def piece(begins, ends, kind="planned", sale=1):
    return Piece(kind, begins, ends, "7.90", sale)


@given(moments_around, st.none() | st.integers(1, 60))
def test_a_bar_lies_within_the_drawing_as_wide_as_its_time_and_shows_where_it_goes_on(begins, days):
    ends = None if days is None else begins + days * DAY
    drawn = draw([Line("Fellside", "/", [piece(begins, ends)])], BEGINS, ENDS, BEGINS, ZoneInfo("Europe/Berlin"))
    bars = drawn.rows[0].bars
    assert bool(bars) == (begins < ENDS and (ends is None or ends > BEGINS))
    for bar in bars:
        assert NAMES <= bar.x <= drawn.width
        assert (bar.open_left, bar.open_right) == (begins < BEGINS, ends is None or ends > ENDS)
        seen = (min(ends or ENDS, ENDS) - max(begins, BEGINS)) / DAY
        assert bar.width == pytest.approx(max(seen * drawn.day, LEAST_WIDTH))


@given(st.lists(st.tuples(st.integers(0, 80), st.integers(1, 30)), max_size=5))
def test_what_lies_between_sales_is_all_the_time_without_one(spans):
    pieces = [piece(BEGINS + a * DAY, BEGINS + (a + n) * DAY) for a, n in spans]
    free = between(pieces, BEGINS, ENDS)
    for number in range(90):
        at = BEGINS + number * DAY + timedelta(hours=12)
        on_sale = any(one.begins <= at < one.ends for one in pieces)
        assert on_sale != any(a <= at < b for a, b in free)


def test_a_few_days_between_two_sales_are_a_gap_and_longer_ones_are_none():
    pieces = [piece(BEGINS, BEGINS + 5 * DAY), piece(BEGINS + 9 * DAY, BEGINS + 20 * DAY)]
    assert is_gap(BEGINS + 5 * DAY, BEGINS + 9 * DAY, pieces)
    assert not is_gap(BEGINS + 20 * DAY, BEGINS + 24 * DAY, pieces)
    later = [pieces[0], piece(BEGINS + 30 * DAY, BEGINS + 40 * DAY)]
    assert not is_gap(BEGINS + 5 * DAY, BEGINS + 30 * DAY, later)


@pytest.mark.parametrize(
    ("zone", "day", "hours"),
    [
        ("Europe/Berlin", "2026-03-29", 23), ("Europe/Berlin", "2026-10-25", 25),
        ("America/New_York", "2026-03-08", 23), ("America/New_York", "2026-11-01", 25),
        ("Australia/Lord_Howe", "2026-10-04", 23.5), ("Australia/Lord_Howe", "2026-04-05", 24.5),
    ],
)  # fmt: skip
def test_a_sale_of_one_day_lasts_as_long_as_clocks_make_the_day(zone, day, hours):
    place = ZoneInfo(zone)
    begins = moments.parse(day, place)
    ends = moments.parse(f"{datetime.fromisoformat(day) + DAY:%Y-%m-%d}", place)
    sale = Sale(1, "", Reach.ALL, frozenset(), "", Reduction(TakesOff.PERCENT, 10), begins, ends)
    assert (ends - begins).total_seconds() == hours * 3600
    assert sale.holds(begins)
    assert sale.holds(ends - timedelta(seconds=1))
    assert not sale.holds(begins - timedelta(seconds=1))
    assert not sale.holds(ends)
    assert moments.typed(begins, place) == f"{day}T00:00"
