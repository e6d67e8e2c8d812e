"""Differences, and two people's changes brought together."""

from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from graupel.core.changes import diff, goes_back, journal_values, merge

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
    assert set(goes_back(became, after)) == set(became)


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


def test_fields_go_back_that_still_hold_what_was_written_and_groups_of_them_together_or_not_at_all():
    wrote = {"price": "2.50", "name": "b", "unit": "mm"}
    now = {"price": Decimal("3.00"), "name": "b", "unit": "mm"}
    assert goes_back(wrote, now) == ("name", "unit")
    assert goes_back(wrote, now, [("price", "unit")]) == ("name",)
    assert goes_back(wrote, now, [("price", "weight_g")]) == ("name", "unit")
    assert goes_back(wrote, None) == ()
