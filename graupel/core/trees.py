"""Trees of categories: where each stands, and what a move, an insertion or a removal changes.

A parent is the id of a category, or, for those at the top, the id of the tree as a negative number. Siblings have the
places 0, 1, 2 … without gaps. Every function gives only the places that change, so that little is written.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from graupel.core.errors import Refused

MOST_DEEP = 12


@dataclass(frozen=True)
class TreePlace:
    """Where a category stands: below a parent, at a place among its siblings."""

    parent: int
    position: int


Places = Mapping[int, TreePlace]


def children(places: Places) -> dict[int, list[int]]:
    """The children of each parent, in their order."""
    found: dict[int, list[int]] = {}
    for key in sorted(places, key=lambda key: (places[key].position, key)):
        found.setdefault(places[key].parent, []).append(key)
    return found


def with_all_below(places: Places, ids: Iterable[int]) -> list[int]:
    """Categories with everything below them, each once, parents before children."""
    below = children(places)
    found: dict[int, None] = {}
    todo = [one for one in reversed(list(ids)) if one in places]
    while todo:
        at = todo.pop()
        if at not in found:
            found[at] = None
            todo += reversed(below.get(at, []))
    return list(found)


def way(places: Places, category_id: int) -> list[int]:
    """The categories from the top down to this one. Raises ValueError where the way leads in a circle."""
    found: list[int] = []
    at = category_id
    while at in places:
        if at in found:
            raise ValueError("the categories stand in a circle")
        found.insert(0, at)
        at = places[at].parent
    return found


def move(places: Places, ids: Sequence[int], parent: int, before: int | None = None) -> dict[int, TreePlace]:
    """What changes where categories go, with all below them, below ``parent``, before one of its children or last.

    Several keep the order in which they are named; one that goes with a branch that is named too stays in it.
    Raises Refused where a branch would come to stand inside itself, or the tree would grow too deep.
    """
    known = [one for one in dict.fromkeys(ids) if one in places]
    inside = set(known)
    moving = [one for one in known if not inside & set(way(places, one)[:-1])]
    branch = set(with_all_below(places, moving))
    if parent in branch or (parent >= 0 and parent not in places):
        raise _inside_itself()
    _refuse_depth(children(places), len(way(places, parent)), moving)
    siblings = [one for one in children(places).get(parent, []) if one not in inside]
    at = siblings.index(before) if before in siblings else len(siblings)
    siblings[at:at] = moving
    left = {places[one].parent for one in moving} - {parent}
    return _renumbered(places, {parent: siblings, **{old: _without(places, old, inside) for old in left}})


def last(places: Places, below: Mapping[int, Sequence[int]], category_id: int, parent: int) -> TreePlace:
    """Where one stands that goes with all below it behind all others below ``parent``; ``below``: as children gives it.
    What stood behind it is left where it is. Raises Refused as ``move`` does."""
    above = way(places, parent)
    if category_id in above or (parent >= 0 and parent not in places):
        raise _inside_itself()
    _refuse_depth(below, len(above), [category_id])
    return TreePlace(parent, max((places[one].position for one in below.get(parent, ())), default=-1) + 1)


def insert(places: Places, parent: int, number: int, before: int | None = None) -> tuple[int, dict[int, TreePlace]]:
    """The place of the first of ``number`` new categories, and what moves on to make room for them."""
    siblings = children(places).get(parent, [])
    at = siblings.index(before) if before in siblings else len(siblings)
    moved = {one: TreePlace(parent, place + number) for place, one in enumerate(siblings) if place >= at}
    return at, {one: place for one, place in moved.items() if places[one] != place}


def arranged(siblings: Sequence[int], wanted: Mapping[int, int]) -> list[int]:
    """Siblings with some of them at the places that are wanted of them, 1 the first, a place beyond the last one the
    last; the others stand around them in their order. Of two that want one place the first that is named has it."""
    found = [one for one in siblings if one not in wanted]
    free = 0
    for one, place in sorted(wanted.items(), key=lambda item: item[1]):
        at = min(max(place - 1, free), len(found))
        found.insert(at, one)
        free = at + 1
    return found


def arrange(places: Places, wanted: Mapping[int, int]) -> dict[int, TreePlace]:
    """What changes where categories go to places among those beside them, as ``arranged`` has it."""
    beside: dict[int, dict[int, int]] = {}
    for one, place in wanted.items():
        beside.setdefault(places[one].parent, {})[one] = place
    below = children(places)
    return _renumbered(places, {parent: arranged(below[parent], those) for parent, those in beside.items()})


def remove(places: Places, ids: Iterable[int]) -> dict[int, TreePlace]:
    """What moves up where categories go without a trace; whatever is below them must go too or have moved before."""
    gone = set(ids)
    parents = {places[one].parent for one in gone if one in places} - gone
    return _renumbered(places, {parent: _without(places, parent, gone) for parent in parents})


def _without(places: Places, parent: int, gone: set[int]) -> list[int]:
    return [one for one in children(places).get(parent, []) if one not in gone]


def _renumbered(places: Places, orders: Mapping[int, Sequence[int]]) -> dict[int, TreePlace]:
    wanted = {one: TreePlace(parent, at) for parent, order in orders.items() for at, one in enumerate(order)}
    return {one: place for one, place in wanted.items() if places[one] != place}


def _inside_itself() -> Refused:
    return Refused.because("category.inside_itself", "A category can't go inside itself or what is below it.")


def _refuse_depth(below: Mapping[int, Sequence[int]], above: int, moving: Sequence[int]) -> None:
    """``above``: how many stand above what is moving."""
    for one in moving:
        deep, level = 0, [one]
        while level:
            deep, level = deep + 1, [child for node in level for child in below.get(node, [])]
        if above + deep > MOST_DEEP:
            raise Refused.because("category.too_deep", f"Categories may stand {MOST_DEEP} deep; this would be deeper.")


# --- typed lists ---------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Typed:
    """A line of an indented list: the name, and how deep it stands, 0 for the first level."""

    name: str
    depth: int


def parse_list(text: str) -> list[Typed]:
    """The lines of a pasted list, indented by tabs or blanks, signs of lists before them dropped.

    A line that stands deeper than the one before is inside it, however far it is indented; one that comes back to
    between two levels belongs to the outer of them.
    """
    found: list[Typed] = []
    levels: list[int] = []
    for line in text.expandtabs(4).splitlines():
        bare = line.lstrip(" ")
        indent = len(line) - len(bare)
        name = " ".join(bare.lstrip("-*•–· ").split())
        if not name:
            continue
        while levels and indent < levels[-1]:
            levels.pop()
        if not levels or indent > levels[-1]:
            levels.append(indent)
        found.append(Typed(name, len(levels) - 1))
    return found
