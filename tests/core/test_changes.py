"""Differences, and two people's changes brought together."""

from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from graupel.core.changes import diff, journal_values, merge, rolls_back_cleanly

FIELDS = ("name", "price", "weight_g")
values = st.fixed_dictionaries(
    {
        "name": st.sampled_from("abc"),
        "price": st.none() | st.sampled_from([Decimal("1.00"), Decimal("2.50")]),
        "weight_g": st.none() | st.integers(0, 2),
    }
)


@given(values, values)
def test_a_difference_leads_from_before_to_after_and_back(before, after):
    was, became = diff(before, after)
    assert set(was) == set(became) == {name for name in FIELDS if before[name] != after[name]}
    assert journal_values(after) | was == journal_values(before)
    assert rolls_back_cleanly(became, after)


@given(values, values, values)
def test_a_merge_keeps_every_change_and_names_every_conflict(base, mine, theirs):
    merged = merge(base, mine, theirs)
    assert {c.field for c in merged.conflicts} == {
        f for f in FIELDS if mine[f] != base[f] and theirs[f] != base[f] and mine[f] != theirs[f]
    }
    expected = {f: mine[f] if mine[f] != base[f] else theirs[f] for f in FIELDS}
    assert merged.values == journal_values(expected)


@given(values, values)
def test_nobody_elses_change_means_my_values_as_they_are(base, mine):
    merged = merge(base, mine, base)
    assert merged.values == journal_values(mine)
    assert not merged.conflicts
    assert not merged.taken


def test_a_later_change_of_the_same_field_stops_a_clean_roll_back():
    assert not rolls_back_cleanly({"price": "2.50"}, {"price": Decimal("3.00"), "name": "a"})
    assert rolls_back_cleanly({"price": "2.50"}, {"price": Decimal("2.50"), "name": "b"})
    assert not rolls_back_cleanly({"price": "2.50"}, None)
