"""Combinations, SKUs, and what a change of axes does."""

from itertools import product

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core import variants
from graupel.core.attributes import Attribute, AttributeKind, Choice
from graupel.core.errors import Refused
from graupel.core.identifiers import parse_sku
from graupel.core.variants import Axis, Holding, plan_axes


def axis(number: int, size: int, name: str = "", used: int | None = None) -> Axis:
    """An attribute with ``size`` choices, of which the first ``used`` are ticked."""
    choices = tuple(Choice(number * 100 + place, f"V{place}", f"C{number}{place}") for place in range(size))
    attribute = Attribute(number, name or f"Axis {number}", AttributeKind.ONE_CHOICE, choices=choices)
    return Axis(attribute, choices[: size if used is None else used])


def ticked(of: Axis, places) -> Axis:
    return Axis(of.attribute, tuple(of.attribute.choices[place] for place in sorted(places)))


ONE = Holding(1, "OLD", ())
sizes = st.lists(st.integers(1, 4), min_size=1, max_size=4)


@given(sizes, st.randoms())
def test_a_product_that_begins_to_vary_gets_every_combination_once_and_the_old_one_stays(sizes, dice):
    axes = [axis(number, size) for number, size in enumerate(sizes, 1)]
    chosen = {one.attribute.id: dice.choice(one.ids) for one in axes}
    plan = plan_axes([], [ONE], axes, chosen)
    everything = list(product(*(one.ids for one in axes)))
    assert sorted([plan.moved[1], *plan.new]) == sorted(everything)
    assert plan.moved[1] == tuple(chosen.values())


@given(
    st.sets(st.integers(0, 3), min_size=1),
    st.sets(st.integers(0, 3), min_size=1),
    st.data(),
)
def test_what_did_not_exist_stays_a_gap_and_only_what_a_new_value_or_axis_brings_is_new(across, down, data):
    """The rule, said the other way round: take away what was there and what was a gap before."""
    colour, size, length = axis(1, 4), axis(2, 4), axis(3, 2)
    before = [ticked(colour, across), ticked(size, down)]
    grid = list(product(*(one.ids for one in before)))
    there = data.draw(st.lists(st.sampled_from(grid), min_size=1, unique=True))
    used = [{c[place] for c in there} for place in (0, 1)]
    before = [Axis(b.attribute, tuple(c for c in b.choices if c.id in u)) for b, u in zip(before, used, strict=True)]
    holdings = [Holding(number, f"S{number}", combination) for number, combination in enumerate(there)]
    wanted = [ticked(colour, range(4)), before[1]]
    more = data.draw(st.booleans())
    given_choice = {3: length.ids[0]} if more else {}
    plan = plan_axes(before, holdings, [*wanted, length] if more else wanted, given_choice)
    for holding in holdings:
        assert plan.moved[holding.id][:2] == holding.combination
    old_gaps = set(product(before[0].ids, before[1].ids)) - set(there)
    everything = set(product(*(one.ids for one in plan.axes)))
    expected = {c for c in everything if c[:2] not in old_gaps} - set(plan.moved.values())
    assert set(plan.new) == expected


def test_axes_in_another_order_make_nothing_new_and_lose_nothing():
    colour, size = axis(1, 3), axis(2, 2)
    there = [Holding(n, f"S{n}", c) for n, c in enumerate(product(colour.ids, size.ids))]
    plan = plan_axes([colour, size], there, [size, colour], {})
    assert plan.new == ()
    assert all(plan.moved[holding.id] == holding.combination[::-1] for holding in there)


@pytest.mark.parametrize(
    ("wanted", "chosen", "says"),
    [
        ([axis(1, 60), axis(2, 50)], {1: 100, 2: 200}, "3,000 variants"),
        ([axis(n, 40) for n in range(1, 6)], {}, "102,400,000 variants"),
        ([axis(n, 1) for n in range(1, 7)], {}, "at most 5"),
        ([axis(1, 2), axis(1, 2)], {1: 100}, "twice"),
        ([axis(1, 2, used=0)], {1: 100}, "at least one value"),
        ([axis(1, 2)], {}, "Say which"),
        ([Axis(Attribute(9, "Pages", AttributeKind.NUMBER), ())], {}, "no list of choices"),
    ],
)
def test_what_can_not_be_is_refused_before_anything_is_made_with_the_number(wanted, chosen, says):
    with pytest.raises(Refused, match=says):
        plan_axes([], [ONE], wanted, chosen)


def test_an_axis_with_one_value_is_fine():
    plan = plan_axes([], [ONE], [axis(1, 1)], {1: 100})
    assert (plan.moved, plan.new) == ({1: (100,)}, ())


@given(sizes, st.sets(st.integers(0, 40)), st.sampled_from(["{code}-{choices}", "{number}", "{code} {Axis 1}", "X"]))
def test_skus_are_valid_and_none_is_given_twice_or_again(sizes, taken, text):
    axes = [axis(number, size) for number, size in enumerate(sizes, 1)]
    wanted = list(product(*(one.ids for one in axes)))
    gone = {f"{number:03d}" for number in taken} | {"X", "FEL-C10"}
    made = variants.make_skus(variants.parse_pattern(text, axes), "FEL", axes, wanted, gone)
    assert list(made) == wanted
    assert len({parse_sku(sku).upper() for sku in made.values()}) == len(wanted)
    assert not {sku.upper() for sku in made.values()} & gone


@pytest.mark.parametrize(
    ("text", "says"),
    [("{colour}", "{colour}”"), ("{code}-🧶", "🧶"), ("{code}/{", "“{”"), ("{code}" + "x" * 120, "at most 120")],
)
def test_a_pattern_that_makes_no_sku_is_refused_with_the_piece(text, says):
    with pytest.raises(Refused, match=says):
        variants.parse_pattern(text, [axis(1, 2)])


def test_taking_away_archives_what_somebody_knows_and_deletes_the_rest():
    there = [
        Holding(1, "A", (100,), stock=3),
        Holding(2, "B", (100,), listed=True),
        Holding(3, "C", (100,), stock=0),
        Holding(4, "D", (101,)),
        Holding(5, "E", (100,), stock=1, archived=True),
    ]
    taken = variants.take(one for one in there if 100 in one.combination)
    assert [one.sku for one in taken.archived] == ["A", "B"]
    assert [one.sku for one in taken.deleted] == ["C"]


def test_an_axis_is_given_up_only_where_the_others_hold_nothing():
    there = [Holding(1, "A", (100, 200), stock=3), Holding(2, "B", (100, 201)), Holding(3, "C", (101, 200))]
    stay, taken = variants.without_axis(there, 1, 200)
    assert stay == {1: (100,), 3: (101,)}
    assert [one.sku for one in taken.deleted] == ["B"]
    with pytest.raises(Refused, match="such as A"):
        variants.without_axis(there, 1, 201)
