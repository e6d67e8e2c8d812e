"""What a product's variants differ by: combinations, SKUs from a pattern, and what a change of axes does."""

import re
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from itertools import product
from math import prod

from graupel.core.attributes import Attribute, Choice
from graupel.core.errors import Refused
from graupel.core.identifiers import SKU_LENGTH

MOST_AXES = 5
MOST_VARIANTS = 2000
#: Places of the grid, gaps included, that are gone through at most.
MOST_COMBINATIONS = 20_000
DEFAULT_PATTERN = "{code}-{choices}"

#: The ids of a variant's choices, in the order of the axes; () where the product does not vary.
Combination = tuple[int, ...]


@dataclass(frozen=True)
class Axis:
    """An attribute in which the variants differ, with the choices that are used here, in order."""

    attribute: Attribute
    choices: tuple[Choice, ...]

    @property
    def ids(self) -> tuple[int, ...]:
        """The ids of its choices."""
        return tuple(choice.id for choice in self.choices)


@dataclass(frozen=True)
class Holding:
    """A variant as far as a change of axes must know it. ``listed``: it is, or was, on a channel; ``ordered``: sold."""

    id: int
    sku: str
    combination: Combination
    stock: Decimal | None = None
    listed: bool = False
    ordered: bool = False
    archived: bool = False

    @property
    def must_stay(self) -> bool:
        """Whether it may only be archived: somebody outside, or the stock room, still knows it."""
        return bool(self.stock) or self.listed or self.ordered


def check_axes(axes: Sequence[Axis]) -> None:
    """Refuses axes that can't be: too many, twice the same, of another kind, without a choice, too many variants."""
    if len(axes) > MOST_AXES:
        raise Refused.because(
            "axes.too_many", f"A product differs by at most {MOST_AXES} attributes; these are {len(axes)}.", "axes"
        )
    for axis in axes:
        if not axis.attribute.can_vary:
            raise Refused.because(
                "axes.kind", f"Variants can't differ by {axis.attribute.name}: it is no list of choices.", "axes"
            )
        if not axis.choices:
            raise Refused.because("axes.empty", f"Tick at least one value of {axis.attribute.name}.", "axes")
    names = [axis.attribute.id for axis in axes]
    if len(set(names)) != len(names):
        raise Refused.because("axes.twice", "The variants differ by the same attribute twice.", "axes")
    number = prod(len(axis.choices) for axis in axes)
    if number > MOST_COMBINATIONS:
        raise too_many(number)


def too_many(number: int) -> Refused:
    """What is said where a product would have more variants than it may."""
    return Refused.because(
        "variants.too_many",
        f"These values make {number:,} variants; a product has at most {MOST_VARIANTS:,}. "
        "Take fewer values, or make two products of it.",
        "axes",
    )


@dataclass(frozen=True)
class MakePlan:
    """What giving a product axes does. ``moved``: variant id -> its combination then; ``new``: those to be made."""

    axes: tuple[Axis, ...]
    moved: Mapping[int, Combination]
    new: tuple[Combination, ...]

    @property
    def number(self) -> int:
        """How many variants there are then."""
        return len(self.moved) + len(self.new)


def plan_axes(
    before: Sequence[Axis],
    holdings: Sequence[Holding],
    wanted: Sequence[Axis],
    given: Mapping[int, int],
    left_out: Collection[Combination] = (),
) -> MakePlan:
    """What happens when a product that differs by ``before`` is to differ by ``wanted``, in that order.

    ``given``: for each attribute that is new, by its id, the choice that the variants that are there get. Choices in
    use stay in use: giving up a value or an axis is another act. A combination that did not exist before stays a gap;
    only what a new value or axis brings is new. Raises Refused.
    """
    places = {axis.attribute.id: place for place, axis in enumerate(before)}
    if missing := [axis for axis in before if axis.attribute.id not in [w.attribute.id for w in wanted]]:
        raise Refused.because(
            "axes.given_up", f"{missing[0].attribute.name} can't be left out here. Give it up below the grid.", "axes"
        )
    axes = tuple(_with_used(axis, before, places) for axis in wanted)
    check_axes(axes)
    moved = {holding.id: _moved(holding, axes, places, given) for holding in holdings}
    known = {holding.combination for holding in holdings}
    there = set(moved.values()) | set(left_out)
    new = (
        combination
        for combination in product(*(axis.ids for axis in axes))
        if _is_new(combination, axes, before, places, known)
    )
    plan = MakePlan(axes, moved, tuple(combination for combination in new if combination not in there))
    if plan.number > MOST_VARIANTS:
        raise too_many(plan.number)
    return plan


def _with_used(axis: Axis, before: Sequence[Axis], places: Mapping[int, int]) -> Axis:
    """The axis with the ticked choices and those in use, in the attribute's order."""
    place = places.get(axis.attribute.id)
    used = set(axis.ids) | (set(before[place].ids) if place is not None else set())
    return Axis(axis.attribute, tuple(choice for choice in axis.attribute.choices if choice.id in used))


def _moved(holding: Holding, axes: Sequence[Axis], places: Mapping[int, int], given: Mapping[int, int]) -> Combination:
    combination = []
    for axis in axes:
        place = places.get(axis.attribute.id)
        choice = holding.combination[place] if place is not None else given.get(axis.attribute.id)
        if choice is None or choice not in axis.ids:
            raise Refused.because(
                "axes.existing",
                f"Say which {axis.attribute.name} the variants that are there have.",
                f"given-{axis.attribute.id}",
            )
        combination.append(choice)
    return tuple(combination)


def _is_new(
    combination: Combination,
    axes: Sequence[Axis],
    before: Sequence[Axis],
    places: Mapping[int, int],
    known: Collection[Combination],
) -> bool:
    """Whether the combination was no gap before: it has a new value, or comes from a variant that is there."""
    pairs = zip(axes, combination, strict=True)
    chosen = {places[axis.attribute.id]: choice for axis, choice in pairs if axis.attribute.id in places}
    old = tuple(chosen[place] for place in range(len(before)))
    if any(choice not in axis.ids for axis, choice in zip(before, old, strict=True)):
        return True
    return old in known


@dataclass(frozen=True)
class Taken:
    """The variants that a taking away ends: those that vanish, and those only archived since they hold something."""

    deleted: list[Holding] = field(default_factory=list)
    archived: list[Holding] = field(default_factory=list)


def take(holdings: Iterable[Holding]) -> Taken:
    """Which of these variants would be deleted, and which only archived."""
    gone = list(holdings)
    return Taken(
        [holding for holding in gone if not holding.must_stay],
        [holding for holding in gone if holding.must_stay and not holding.archived],
    )


def without_axis(holdings: Iterable[Holding], place: int, keep: int) -> tuple[dict[int, Combination], Taken]:
    """Which variants stay, with their combination then, and what goes when the axis at ``place`` is given up.

    Only the variants with the choice ``keep`` stay. Raises Refused where one of the others holds something: archived,
    it would have the same values as one that stays.
    """
    everything = list(holdings)
    stay = {
        holding.id: holding.combination[:place] + holding.combination[place + 1 :]
        for holding in everything
        if holding.combination[place] == keep
    }
    gone = [holding for holding in everything if holding.combination[place] != keep]
    if held := [holding for holding in gone if holding.must_stay]:
        raise Refused.because(
            "axes.held",
            f"{len(held)} of the other variants hold stock or are listed, such as {held[0].sku}. "
            "Sell them off or end their listings first; till then the axis stays.",
            "axes",
        )
    if not stay:
        raise Refused.because("axes.none_left", "No variant has this value, so none would be left.", "axes")
    return stay, take(gone)


# --- SKUs ----------------------------------------------------------------------------------------------------

_PIECE = re.compile(r"\{([^{}]*)\}")


@dataclass(frozen=True)
class Pattern:
    """How SKUs are made: text with pieces in braces.

    ``{code}`` is the product code, ``{choices}`` the codes of all choices joined by dashes, ``{number}`` a running
    number of three digits, and an attribute's name in braces the code of that choice alone.
    """

    text: str
    pieces: tuple[str, ...]

    @property
    def counts(self) -> bool:
        """Whether it has a running number."""
        return "number" in self.pieces


#: What a pattern may be long.
PATTERN_LENGTH = 120


def parse_pattern(text: str, axes: Sequence[Axis]) -> Pattern:
    """A pattern whose pieces are all known for these axes. Raises Refused, naming the piece that is not."""
    text = text.strip() or DEFAULT_PATTERN
    if len(text) > PATTERN_LENGTH:
        raise Refused.because(
            "pattern.too_long", f"A pattern has at most {PATTERN_LENGTH} characters; this has {len(text)}.", "pattern"
        )
    known = ["code", "choices", "number", *(axis.attribute.name.casefold() for axis in axes)]
    pieces = tuple(piece.strip().casefold() for piece in _PIECE.findall(text))
    for piece in pieces:
        if piece not in known:
            names = ", ".join(
                "{" + name + "}" for name in ["code", "choices", "number", *(a.attribute.name for a in axes)]
            )
            raise Refused.because("pattern.piece", f"“{{{piece}}}” is no part of this product. Use {names}.", "pattern")
    rest = _PIECE.sub("", text)
    if odd := re.search(r"[^A-Za-z0-9 ._/+#-]", rest):
        raise Refused.because(
            "pattern.characters",
            f"A SKU can't hold “{odd.group()}”. Between the pieces use letters A to Z, digits, blanks and . _ / + # -",
            "pattern",
        )
    return Pattern(text, pieces)


def make_skus(
    pattern: Pattern,
    code: str,
    axes: Sequence[Axis],
    wanted: Sequence[Combination],
    taken: Collection[str],
) -> dict[Combination, str]:
    """A SKU for each combination: none of ``taken`` (upper case; ever given), none twice.

    Where a made SKU is taken, a running number is added behind it, the first that is free.
    """
    codes = [{choice.id: choice.code for choice in axis.choices} for axis in axes]
    used = set(taken)
    made: dict[Combination, str] = {}
    number = 0
    for combination in wanted:
        parts = [codes[place][choice] for place, choice in enumerate(combination)]
        number += 1
        sku = _fill(pattern, code, axes, parts, number)
        while pattern.counts and sku.upper() in used:
            number += 1
            sku = _fill(pattern, code, axes, parts, number)
        made[combination] = sku = _free(sku, used)
        used.add(sku.upper())
    return made


def _fill(pattern: Pattern, code: str, axes: Sequence[Axis], parts: Sequence[str], number: int) -> str:
    values = {axis.attribute.name.casefold(): part for axis, part in zip(axes, parts, strict=True)}
    values |= {"code": code, "choices": "-".join(parts), "number": f"{number:03d}"}
    text = _PIECE.sub(lambda found: values[found[1].strip().casefold()], pattern.text)
    return re.sub(r"^[^A-Za-z0-9]+", "", text)[:SKU_LENGTH].rstrip() or f"{number:03d}"


def _free(sku: str, used: Collection[str]) -> str:
    if sku.upper() not in used:
        return sku
    number = 2
    while (other := f"{sku[: SKU_LENGTH - 6]}-{number}").upper() in used:
        number += 1
    return other


def label_of(axes: Sequence[Axis], combination: Combination) -> str:
    """A variant in words: "Heather, 4 mm"."""
    names = [{choice.id: choice.label for choice in axis.choices} for axis in axes]
    return ", ".join(names[place].get(choice, "?") for place, choice in enumerate(combination))


def order_key(axes: Sequence[Axis]) -> Mapping[int, int]:
    """Choice id -> its place, for putting variants in the order of their axes."""
    return {choice_id: place for axis in axes for place, choice_id in enumerate(axis.ids)}
