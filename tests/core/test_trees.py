"""Trees stay trees whatever is done to them."""

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core import trees
from graupel.core.errors import Refused
from graupel.core.trees import TreePlace, Typed

TREE, FOOT = -1, -2
#: Yarn (Aran, Lace (Silk)), Needles; at the foot: Help.
SHOP = {
    1: TreePlace(TREE, 0), 2: TreePlace(1, 0), 3: TreePlace(1, 1), 4: TreePlace(3, 0),
    5: TreePlace(TREE, 1), 6: TreePlace(FOOT, 0),
}  # fmt: skip


def after(places, changes):
    return {**places, **changes}


def sound(places) -> bool:
    """Each has one way from the top, and siblings stand at 0, 1, 2 …"""
    for one in places:
        assert trees.way(places, one)[-1] == one
        assert places[trees.way(places, one)[0]].parent < 0
    for siblings in trees.children(places).values():
        assert [places[one].position for one in siblings] == list(range(len(siblings)))
    return True


def test_a_branch_moves_whole_and_those_it_leaves_close_up():
    changes = trees.move(SHOP, [3], TREE, before=5)
    assert changes == {3: TreePlace(TREE, 1), 5: TreePlace(TREE, 2)}
    assert trees.move(SHOP, [1], FOOT) == {1: TreePlace(FOOT, 1), 5: TreePlace(TREE, 0)}
    assert trees.move(SHOP, [2], 1) == {2: TreePlace(1, 1), 3: TreePlace(1, 0)}
    assert trees.move(SHOP, [3], 1) == {}, "it stands there already"


def test_several_keep_the_order_in_which_they_are_named_and_a_branch_its_own():
    assert trees.move(SHOP, [5, 3, 4], FOOT, before=6) == {
        5: TreePlace(FOOT, 0), 3: TreePlace(FOOT, 1), 6: TreePlace(FOOT, 2),
    }  # fmt: skip


@given(st.permutations(range(1, 9)), st.data())
def test_places_that_are_said_of_all_or_of_those_that_move_give_the_order_and_of_some_leave_the_others(order, data):
    there = list(range(1, 9))
    wanted = {one: place for place, one in enumerate(order, 1)}
    assert trees.arranged(there, wanted) == order
    assert trees.arranged(there, {one: place for one, place in wanted.items() if there[place - 1] != one}) == order
    some = {one: wanted[one] for one in data.draw(st.sets(st.sampled_from(there)))}
    found = trees.arranged(there, some)
    assert all(found[place - 1] == one for one, place in some.items())
    assert [one for one in found if one not in some] == [one for one in there if one not in some]
    assert trees.arranged(there, {1: 99}) == [*there[1:], 1], "beyond the last is the last"
    assert trees.arranged(there, {7: 2, 5: 2, 3: 3})[:5] == [1, 7, 5, 3, 2], "of two at one place the first named"


def test_only_what_comes_to_stand_elsewhere_is_written():
    assert trees.arrange(SHOP, {3: 1, 6: 1}) == {3: TreePlace(1, 0), 2: TreePlace(1, 1)}


@pytest.mark.parametrize("into", [1, 3, 4, 99])
def test_nothing_goes_inside_itself_or_nowhere(into):
    with pytest.raises(Refused, match="inside itself"):
        trees.move(SHOP, [1], into)


def test_there_is_an_end_to_depth():
    chain = {
        1: TreePlace(TREE, 0),
        **{n: TreePlace(n - 1, 0) for n in range(2, trees.MOST_DEEP + 1)},
        50: TreePlace(TREE, 1),
    }
    with pytest.raises(Refused, match="12 deep"):
        trees.move(chain, [50], trees.MOST_DEEP)
    assert trees.move(chain, [50], trees.MOST_DEEP - 1)


def test_room_is_made_for_new_ones_and_closed_behind_those_that_go():
    assert trees.insert(SHOP, 1, 2, before=3) == (1, {3: TreePlace(1, 3)})
    assert trees.insert(SHOP, 4, 1) == (0, {})
    assert trees.remove(SHOP, trees.with_all_below(SHOP, [1])) == {5: TreePlace(TREE, 0)}


acts = st.lists(
    st.tuples(
        st.sampled_from(["move", "insert", "remove"]),
        st.lists(st.integers(1, 14), min_size=1, max_size=3),
        st.integers(-2, 14).filter(bool),
        st.none() | st.integers(1, 14),
    ),
    max_size=25,
)


@given(acts)
def test_any_series_of_acts_leaves_one_way_to_each_no_circles_and_no_gaps(series):
    places = dict(SHOP)
    for act, ids, parent, before in series:
        if act == "move":
            try:
                places = after(places, trees.move(places, ids, parent, before))
            except Refused:
                continue
        elif act == "insert" and (parent < 0 or parent in places):
            at, moved = trees.insert(places, parent, len(ids), before)
            fresh = max(places, default=0) + 1
            places = after(places, moved) | {fresh + n: TreePlace(parent, at + n) for n in range(len(ids))}
        elif act == "remove":
            gone = trees.with_all_below(places, ids)
            places = {key: p for key, p in after(places, trees.remove(places, gone)).items() if key not in gone}
        assert sound(places)


@given(st.lists(st.integers(1, 6), min_size=1, max_size=3), st.integers(-2, 6).filter(bool))
def test_a_move_keeps_everybody_and_changes_no_branch_from_within(ids, parent):
    try:
        moved = after(SHOP, trees.move(SHOP, ids, parent))
    except Refused:
        return
    assert moved.keys() == SHOP.keys()
    for one in set(SHOP) - set(ids):
        assert moved[one].parent == SHOP[one].parent


@given(st.integers(1, 6), st.integers(-2, 7).filter(bool))
def test_one_that_goes_last_comes_to_the_parent_and_behind_those_that_a_move_says(one, parent):
    def put():
        return after(SHOP, {one: trees.last(SHOP, trees.children(SHOP), one, parent)})

    try:
        moved = after(SHOP, trees.move(SHOP, [one], parent))
    except Refused as refusal:
        with pytest.raises(Refused, match=str(refusal)):
            put()
    else:
        assert trees.children(put()) == trees.children(moved)


def test_a_pasted_list_tells_its_levels_by_how_it_is_indented():
    text = "Yarn\n\tAran\n\t  - Tweed\n\tLace\n\n* Needles\n      Hooks\n   Sock needles\n"
    assert trees.parse_list(text) == [
        Typed("Yarn", 0), Typed("Aran", 1), Typed("Tweed", 2), Typed("Lace", 1),
        Typed("Needles", 0), Typed("Hooks", 1), Typed("Sock needles", 1),
    ]  # fmt: skip
    assert trees.parse_list("   \n\t\n-\n") == []


@given(st.lists(st.tuples(st.integers(0, 6), st.text("abc", min_size=1, max_size=3)), max_size=12))
def test_a_list_never_skips_a_level(lines):
    found = trees.parse_list("\n".join("  " * indent + name for indent, name in lines))
    assert [one.name for one in found] == [name for _, name in lines]
    depths = [-1, *(one.depth for one in found)]
    assert all(b <= a + 1 for a, b in pairwise(depths))
