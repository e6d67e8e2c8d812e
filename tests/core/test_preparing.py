"""Whether what was prepared can still be done."""

from hypothesis import given
from hypothesis import strategies as st

from graupel.core.changes import diff
from graupel.core.preparing import Standing, rests, standing

VALUES = st.fixed_dictionaries({name: st.integers(0, 2) for name in "abc"})


@given(VALUES, VALUES, VALUES)
def test_what_is_as_it_was_is_written_what_somebody_changed_stays_and_what_is_so_already_is_left(before, after, now):
    was, became = diff(before, after)
    found = standing(was, became, now)
    for name in became:
        as_prepared, as_before = now[name] == became[name], now[name] == was[name]
        assert (name in found.writes) == (as_before and not as_prepared)
        assert (name in found.moved) == (not as_before and not as_prepared)
    assert found.values == len(became)
    assert standing(was, became, before).writes == tuple(became)
    assert standing(was, became, after) == Standing(values=len(became))


@given(VALUES, VALUES, VALUES)
def test_fields_that_mean_something_only_together_are_written_together_or_stay(before, after, now):
    was, became = diff(before, after)
    found = standing(was, became, now, wholes=[("a", "b")])
    assert not ({"a", "b"} & set(found.writes) and {"a", "b"} & set(found.moved))


def test_a_record_that_comes_or_goes():
    held = {"a": 1, "b": 2}
    assert standing(None, held, None).whole
    assert standing(None, held, held) == Standing()
    assert standing(held, None, held).whole
    assert standing(held, None, {"a": 1, "b": 3}).moved
    assert standing(held, None, None) == Standing()
    assert standing({"a": 1}, {"a": 2}, None).moved == ("a",)


def test_one_value_in_ten_may_have_been_changed_since():
    ten = Standing(writes=tuple("abcdefghi"), moved=("j",), values=10)
    assert rests([ten])
    assert not rests([ten, Standing(moved=("k",), values=1)])
    assert rests([])
