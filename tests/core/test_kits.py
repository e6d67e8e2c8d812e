"""Kits: how many their parts make, what they cost and weigh, what is picked in them, and what they may not be."""

from dataclasses import replace
from datetime import date
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core import choices
from graupel.core.availability import AtZero, Held, Rules, Standing, Switch, sells, sentence
from graupel.core.baskets import Change, Wanted, Ware, Why, basket, fit
from graupel.core.choices import AddsBy, Answer
from graupel.core.kits import (
    Makes,
    Part,
    PricedBy,
    chosen_parts,
    makes,
    needs,
    picks,
    price,
    problems_of,
    scarcest,
    slots,
    spread,
    weight_g,
)

D = Decimal
TODAY = date(2026, 11, 27)


def part(key, quantity="1", pick="", **given):
    given = {"name": f"Part {key}", "sku": f"P-{key}", "product_id": 100 + key, **given}
    return Part(key, key, D(quantity), pick, **given)


WOOL = part(1, "4", price=D("9.80"), weight_g=100, ready=D(9), most=D(9))
MOSS = part(2, "4", "Colour", price=D("9.80"), weight_g=100, ready=D(0), most=D(0))
RUST = part(3, "4", "Colour", price=D("10.30"), weight_g=110, ready=D(30), most=None)
RIBBON = part(4, "2.5", price=D("4.20"), ready=D(7), most=D(7))
PATTERN = part(5, price=D("5.00"))
KIT = [WOOL, MOSS, RUST, RIBBON, PATTERN]


def test_the_scarcest_part_says_how_many_can_be_made():
    assert makes([WOOL]) == Makes(D(2), D(2))
    assert makes([WOOL, RIBBON, PATTERN]) == Makes(D(2), D(2))
    assert makes([PATTERN]) == Makes(None, None), "nothing of it is counted"
    assert makes([MOSS, RUST]) == Makes(D(7), None), "of a pick the best"
    assert makes([replace(PATTERN, gone=True), WOOL]) == Makes(D(0), D(0))
    assert scarcest([RIBBON, WOOL]) in (RIBBON, WOOL)
    assert scarcest([PATTERN]) is None
    assert scarcest([replace(RUST, most=D(8)), MOSS, RIBBON]) == replace(RUST, most=D(8)), "of a pick the best"


QUANTITIES = st.decimals("0.01", "20", places=2)
PARTS = st.lists(
    st.builds(
        lambda key, quantity, there, pick: part(key, f"{quantity}", pick, ready=there, most=there),
        st.integers(1, 9),
        QUANTITIES,
        st.none() | st.decimals("-3", "200", places=2),
        st.sampled_from(["", "", "Colour", "Needles"]),
    ),
    max_size=6,
    unique_by=lambda one: one.id,
)


@given(PARTS)
def test_so_many_can_be_made_and_no_more(parts):
    most = makes(parts).most
    if most is None:
        assert all(any(one.most is None for one in place) for place in slots(parts))
        return
    enough = [any(one.most is None or one.most >= most * one.quantity for one in place) for place in slots(parts)]
    more = [any(one.most is None or one.most >= (most + 1) * one.quantity for one in place) for place in slots(parts)]
    assert most == 0 or all(enough)
    assert not all(more)


def test_it_costs_the_sum_of_its_parts_less_so_many_percent_rounded_once():
    assert price(KIT, D(0)) == D("93.90"), "with the first of each pick"
    assert price(KIT, D("12.5")) == D("82.16")
    assert price([part(1, "0.33", price=D("1.01")), part(2, "0.33", price=D("1.01"))], D(0)) == D("0.67")
    assert price([*KIT, part(9)], D(0)) is None, "a part without a price"
    assert price([], D(0)) is None
    assert price([part(1, "3", price=D(100))], D(50), decimals=0) == D(150)


def test_it_weighs_what_its_parts_weigh():
    assert weight_g(KIT) == 800
    assert weight_g([part(1, "2.5", weight_g=33)]) == 83
    assert weight_g([PATTERN]) is None


def test_a_pick_is_asked_as_a_choice_that_says_the_difference():
    (colour,) = picks(KIT, PricedBy.PARTS, D(10), {2: "Farbe"})
    assert (colour.id, colour.label, colour.needed) == (-2, "Farbe", True)
    assert [
        (one.id, one.adds_by, one.amount, one.weight_g, one.sold_out, one.is_default) for one in colour.entries
    ] == [
        (-2, AddsBy.NOTHING, D(0), None, True, False),
        (-3, AddsBy.FIXED, D("1.80"), 40, False, True),
    ]
    assert [one.label for one in colour.entries] == ["Part 2", "Part 3"]
    shades = [replace(one, variant=shade, product_id=7) for one, shade in ((MOSS, "Moss"), (RUST, "Rust"))]
    (colour,) = picks(shades, PricedBy.OWN, D(0), {})
    assert [one.label for one in colour.entries] == ["Moss", "Rust"], "of one product only what differs is said"
    (typed,) = picks(KIT, PricedBy.OWN, D(10), {})
    assert typed.label == "Colour"
    assert all(one.adds_by is AddsBy.NOTHING for one in typed.entries), "what is typed stays, whatever is picked"


@given(PARTS, st.integers(0, 99), st.data())
def test_whatever_is_picked_it_costs_its_parts(parts, percent, data):
    priced = [replace(one, price=D(one.id), most=None, ready=None) for one in parts]
    asked = picks(priced, PricedBy.PARTS, D(percent), {})
    answers = {one.id: Answer({data.draw(st.sampled_from(one.entries)).id: 1}) for one in asked}
    first = price(priced, D(percent))
    if first is None:
        return
    chosen = choices.chosen(asked, answers, first)
    taken = [replace(one, pick="") for one in chosen_parts(priced, answers)]
    by_parts = price(taken, D(percent))
    assert by_parts is not None
    assert abs(chosen.piece - by_parts) <= D("0.02") * (len(asked) + 1), "but for roundings"
    assert percent or chosen.piece == by_parts or any(one.quantity % 1 for one in parts)


def test_what_is_in_it_follows_from_what_was_picked():
    assert needs(KIT, {-2: Answer({-2: 1})}) == {1: D(4), 2: D(4), 4: D("2.5"), 5: D(1)}
    assert needs(KIT, {}) == {1: D(4), 3: D(4), 4: D("2.5"), 5: D(1)}, "else the first that can be had"
    assert needs([WOOL, replace(RIBBON, variant_id=1)], {}) == {1: D("6.5")}
    assert spread({"KIT": D(2), "P-1": D(3)}, {"KIT": {"P-1": D(4), "P-4": D("2.5")}}) == {"P-1": D(11), "P-4": D(5)}


@pytest.mark.parametrize(
    ("parts", "kits", "used_by", "codes"),
    [
        ([WOOL], (), (), []),
        ([], (), ("Hat kit",), []),
        ([WOOL], (101,), (), ["kit.in_kit"]),
        ([WOOL], (), ("Hat kit",), ["kit.in_kit"]),
        ([replace(WOOL, product_id=7)], (), (), ["kit.itself"]),
        ([MOSS, MOSS], (), (), ["kit.twice"]),
        ([WOOL, WOOL], (), (), []),
        ([WOOL] * 61, (), (), ["kit.many"]),
    ],
)
def test_what_a_kit_may_not_be(parts, kits, used_by, codes):
    assert [one.code for one in problems_of(parts, 7, kits, used_by)] == codes


def test_of_a_kit_so_many_sell_as_its_parts_make_whatever_its_rules_say():
    held = Held(False, made=Makes(D(3), D(3)))
    assert sells(held, Rules(), TODAY).most == 3
    assert sells(held, Rules(switch=Switch.ALWAYS, at_zero=AtZero.GO_ON), TODAY).most == 3
    assert sells(held, Rules(held_back=D(1)), TODAY).most == 2
    assert sells(held, Rules(switch=Switch.NEVER), TODAY).standing is Standing.OFF
    assert sells(Held(False, made=Makes(D(0), D(5))), Rules(), TODAY).standing is Standing.LATER
    assert sells(Held(False, made=Makes(D(0), D(0))), Rules(at_zero=AtZero.HIDE), TODAY).hidden
    assert sells(Held(True, D(50), made=Makes(None, None)), Rules(), TODAY).most is None
    assert not sells(held, Rules(), TODAY).is_low, "its parts are reported"
    assert sentence(sells(held, Rules(), TODAY)) == "Sells 3, as many as its parts make; then stops."


# --- in a basket ---------------------------------------------------------------------------------------------


def ware(key, *parts, **given):
    asked = picks(parts, PricedBy.OWN, D(0), {})
    return Ware(key, f"Ware {key}", f"W-{key}", lambda count: D(10), choices=asked, parts=parts, **given)


def test_who_came_last_gives_way_where_two_lines_want_one_part():
    wares = {20: ware(20, WOOL, most=D(2)), 1: ware(1, most=D(9))}
    lines, changes = fit([Wanted(1, 1, D(3)), Wanted(2, 20, D(2))], wares)
    assert [(one.variant_id, one.quantity) for one in lines] == [(1, 3), (20, 1)]
    assert changes == [Change(Why.FEWER, "Ware 20", D(2), D(1))]
    lines, changes = fit([Wanted(1, 20, D(2)), Wanted(2, 1, D(3))], wares)
    assert [(one.variant_id, one.quantity) for one in lines] == [(20, 2), (1, 1)]
    lines, changes = fit([Wanted(1, 1, D(8)), Wanted(2, 20, D(1))], wares)
    assert [(one.variant_id, one.quantity) for one in lines] == [(1, 8)]
    assert changes == [Change(Why.SOLD_OUT, "Ware 20", D(1))]


def test_what_is_picked_decides_which_part_is_wanted():
    both = (replace(MOSS, most=D(4)), RUST)
    wares = {20: ware(20, *both, most=None)}
    moss, rust = {-2: Answer({-2: 1})}, {-2: Answer({-3: 1})}
    lines, _ = fit([Wanted(1, 20, D(1), moss), Wanted(2, 20, D(1), moss), Wanted(3, 20, D(5), rust)], wares)
    assert [(one.id, one.quantity) for one in lines] == [(1, 1), (3, 5)]


LINES = st.lists(st.tuples(st.sampled_from([1, 4, 20, 21]), st.integers(1, 9)), max_size=6)


@given(LINES)
def test_a_basket_never_takes_more_of_a_part_than_there_is(wanted):
    wares = {
        1: ware(1, most=D(9)),
        4: ware(4, most=D(7)),
        20: ware(20, WOOL, RIBBON, most=D(2)),
        21: ware(21, RIBBON, replace(WOOL, id=6, quantity=D(1)), most=D(2)),
    }
    found = basket([Wanted(n, key, D(count)) for n, (key, count) in enumerate(wanted, 1)], wares, TODAY)
    taken: dict[int, Decimal] = {}
    for line in found.lines:
        for key, each in line.ware.needs(line.wanted.answers).items():
            taken[key] = taken.get(key, D(0)) + each * line.wanted.quantity
    assert taken.get(1, D(0)) <= 9
    assert taken.get(4, D(0)) <= 7
    assert all(line.wanted.quantity > 0 for line in found.lines)
