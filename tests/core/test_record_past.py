"""A record's past, worked out backwards; and values over time, drawn."""

from datetime import UTC, datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

from hypothesis import given
from hypothesis import strategies as st

from graupel.core.past import Step, as_of
from graupel.core.step_lines import HEIGHT, RIGHT, WIDTH, Series, began, draw, thinned

START = datetime(2026, 11, 1, tzinfo=UTC)
FIELDS = st.dictionaries(st.sampled_from("abc"), st.integers(0, 3), min_size=1)
#: What happens to a record one after another: fields are written, it is removed, it is made again.
ACTS = st.lists(st.one_of(FIELDS, st.none()), min_size=1, max_size=8)


def happen(acts, waits):
    """The states after each act, and the steps; ``waits``: how many minutes before it was written each act began."""
    now, states, steps = None, [(START - timedelta(days=1), None)], []
    for number, (act, wait) in enumerate(zip(acts, waits, strict=False), start=1):
        if act is None and now is None:
            continue
        before = now
        now = None if act is None else {**({"a": 0, "b": 0, "c": 0} if before is None else before), **act}
        written = START + timedelta(hours=number)
        partly = before is not None and now is not None
        was = {name: before[name] for name in act} if partly else before
        steps.append(Step(written - timedelta(minutes=wait), number, number, was, act if partly else now))
        states.append((written, now))
    return now, states, steps


@given(ACTS, st.randoms())
def test_every_state_that_a_record_had_is_found_again_whatever_order_its_steps_come_in(acts, random):
    now, states, steps = happen(acts, [0] * len(acts))
    random.shuffle(steps)
    for at, state in states:
        assert as_of(now, steps, at) == state
        assert as_of(now, steps, at + timedelta(minutes=59)) == state


@given(ACTS, st.lists(st.integers(0, 300), min_size=8, max_size=8))
def test_an_act_that_began_long_before_it_wrote_hides_nothing_that_was_written_over_it(acts, waits):
    now, states, steps = happen(acts, waits)
    assert as_of(now, steps, START - timedelta(days=2)) == states[0][1]
    assert as_of(now, steps, START + timedelta(days=2)) == now
    held = [state for _, state in states]
    for step in steps:
        assert as_of(now, steps, step.at) in held


AMOUNTS = st.lists(st.none() | st.decimals(-1000, 1000, places=2), min_size=1, max_size=30)


@given(AMOUNTS)
def test_a_line_stays_within_its_drawing_and_ends_at_what_holds_now(amounts):
    points = [(START + timedelta(hours=place), amount) for place, amount in enumerate(amounts)]
    ends = START + timedelta(hours=len(points))
    drawing = draw([Series("Price", points)], START, ends, ZoneInfo("Europe/Berlin"))
    known = [amount for amount in amounts if amount is not None]
    if not known:
        assert drawing is None
        return
    assert (drawing.low, drawing.high) == (min(known), max(known))
    assert drawing.levels[0].value <= drawing.low
    assert drawing.levels[-1].value >= drawing.high
    assert 2 <= len(drawing.levels) <= 6
    (curve,) = drawing.curves
    assert curve.last == amounts[-1]
    for mark in curve.marks:
        assert 0 <= mark.x <= WIDTH - RIGHT
        assert 0 <= mark.y <= HEIGHT
    assert all(0 <= tick.x <= WIDTH - RIGHT for tick in drawing.ticks)


def test_a_drawing_begins_shortly_before_the_first_change_and_a_long_line_keeps_its_ends():
    flat = [Series("Price", [(START, Decimal(1))])]
    assert began(flat, START, START + timedelta(days=9)) is None
    late = [Series("Price", [(START, Decimal(1)), (START + timedelta(days=300), Decimal(2))])]
    first = began(late, START, START + timedelta(days=312))
    assert START + timedelta(days=298) < first < START + timedelta(days=300)
    many = [(START + timedelta(hours=place), Decimal(place)) for place in range(5_000)]
    few = thinned(many)
    assert (few[0], few[-1]) == (many[0], many[-1])
    assert len(few) <= 502
