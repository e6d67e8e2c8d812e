"""Kits: products that are made of variants of others.

A kit has parts, each so many or so much of a variant. Parts that share a word are a pick: the buyer takes one of them,
the first unless another is picked. How many kits can be had follows from the parts; what a kit costs is typed, or the
sum of its parts less so many percent, in which picking another part changes the price by the difference. A kit is no
part of another. By sets, terms/kits_sql.py says how many can be made; a test holds the two against each other.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum

from graupel.core.choices import AddsBy, Answers, Choice, Entry, Kind
from graupel.core.price_rules import rounded
from graupel.core.problems import Problem
from graupel.core.stock import show

NOTHING = Decimal(0)
MOST_PARTS = 60
PICK_LENGTH = 80
#: How many, or how much, of a part a kit may have: with so many decimals, below so many.
QUANTITY_DECIMALS, MOST_OF_ONE = 3, Decimal(10_000)


class PricedBy(StrEnum):
    """Where the price of a kit comes from."""

    OWN = "own"
    PARTS = "parts"


#: What of a kit follows from its parts, and so is not written: its stock, and its price where that was said.
FOLLOWS: Mapping[str, Problem] = {
    "stock": Problem("kit.stock", "Of a kit there is what its parts make. Count those; leave this blank.", "stock"),
    "price": Problem(
        "kit.price",
        "It follows from the kit’s parts. Under Kit you can say that it costs what is typed.",
        "price",
    ),
}


@dataclass(frozen=True)
class Part:
    """A part of a kit. ``pick``: what buyers read of the pick that it belongs to, "" of what is always in the kit.

    ``name``: of its product; ``variant``: what that one differs by, in words.

    ``price``: what a piece of it costs everywhere, None where nobody said; ``ready`` and ``most``: what of it can be
    had at once and be ordered, None without end; ``gone``: it is archived or not there any more.
    """

    id: int
    variant_id: int
    quantity: Decimal
    pick: str = ""
    name: str = ""
    variant: str = ""
    sku: str = ""
    product_id: int = 0
    price: Decimal | None = None
    weight_g: int | None = None
    ready: Decimal | None = None
    most: Decimal | None = None
    gone: bool = False

    @property
    def makes_most(self) -> Decimal | None:
        """For how many kits it is enough, with what can be ordered of it."""
        return NOTHING if self.gone else _times(self.most, self.quantity)

    @property
    def makes_ready(self) -> Decimal | None:
        """The same with what is there."""
        return NOTHING if self.gone else _times(self.ready, self.quantity)

    @property
    def said(self) -> str:
        """How much of what, as buyers read it: "2 × Moss aran"."""
        return self.full_name if self.quantity == 1 else f"{show(self.quantity)} × {self.full_name}"

    @property
    def full_name(self) -> str:
        """Its product's name, and what it differs by."""
        return ", ".join(filter(None, (self.name, self.variant)))

    @property
    def amount(self) -> Decimal:
        """What it adds to the sum of the parts, unrounded."""
        return (self.price or NOTHING) * self.quantity

    @property
    def grams(self) -> Decimal:
        """What it weighs in the kit, unrounded."""
        return (self.weight_g or 0) * self.quantity


def _times(there: Decimal | None, needed: Decimal) -> Decimal | None:
    return None if there is None else max(there // needed, NOTHING)


@dataclass(frozen=True)
class Makes:
    """How many of a kit its parts make: at once, and with what can be ordered; None without end."""

    ready: Decimal | None
    most: Decimal | None


def slots(parts: Iterable[Part]) -> list[list[Part]]:
    """The places of a kit in their order: of a pick all that can be picked, else the one part."""
    found: dict[str, list[Part]] = {}
    for one in parts:
        found.setdefault(one.pick or f"\0{one.id}", []).append(one)
    return list(found.values())


def makes(parts: Iterable[Part]) -> Makes:
    """How many the parts make: as many as the scarcest place allows, with the best that can be picked in each.

    Each part is looked at by itself: one that stands in two places can make fewer, which the order finds.
    """
    places = slots(parts)
    return Makes(
        _scarcest(_best(one.makes_ready for one in place) for place in places),
        _scarcest(_best(one.makes_most for one in place) for place in places),
    )


def _best(counts: Iterable[Decimal | None]) -> Decimal | None:
    found = list(counts)
    return None if any(one is None for one in found) else max(one for one in found if one is not None)


def _scarcest(counts: Iterable[Decimal | None]) -> Decimal | None:
    return min((one for one in counts if one is not None), default=None)


def scarcest(parts: Iterable[Part]) -> Part | None:
    """The part that decides how many can be made; None where all are without end."""
    most = makes(parts).most
    places = [place for place in slots(parts) if _best(one.makes_most for one in place) == most]
    return next((one for place in places for one in place if one.makes_most == most and most is not None), None)


# --- what it costs and weighs --------------------------------------------------------------------------------


def price(parts: Iterable[Part], percent: Decimal, decimals: int = 2) -> Decimal | None:
    """The sum of the parts less ``percent``, with the first of each pick, rounded once; None where one of them has no
    price."""
    first = [place[0] for place in slots(parts)]
    if not first or any(one.price is None for one in first):
        return None
    return _less(sum((one.amount for one in first), NOTHING), percent, decimals)


def _less(amount: Decimal, percent: Decimal, decimals: int) -> Decimal:
    return rounded(amount * (100 - percent) / 100, decimals)


def weight_g(parts: Iterable[Part]) -> int | None:
    """What the parts weigh together, with the first of each pick; None where none of them says."""
    first = [place[0] for place in slots(parts)]
    if all(one.weight_g is None for one in first):
        return None
    return int(rounded(sum((one.grams for one in first), NOTHING), 0))


# --- what a buyer picks --------------------------------------------------------------------------------------


def picks(
    parts: Iterable[Part], priced_by: PricedBy, percent: Decimal, labels: Mapping[int, str], decimals: int = 2
) -> list[Choice]:
    """The picks of a kit as choices, asked as all others are. Their ids, and those of their entries, are below 0, so
    that they are no choice's: what was picked is found again by ``chosen_parts``.

    ``labels``: by the first part of a pick what buyers read of it, where that is said in another language.
    """
    found = []
    for place in slots(parts):
        first = place[0]
        if first.pick:
            entries = _entries(place, priced_by, percent, decimals)
            found.append(
                Choice(
                    -first.id, first.pick, labels.get(first.id) or first.pick, Kind.ONE, needed=True, entries=entries
                )
            )
    return found


def _entries(place: Sequence[Part], priced_by: PricedBy, percent: Decimal, decimals: int) -> list[Entry]:
    first = place[0]
    default = next((one.id for one in place if _can_be_had(one)), None)
    of_one_product = len({one.product_id for one in place}) == 1

    def entry(one: Part) -> Entry:
        more = _less(one.amount, percent, decimals) - _less(first.amount, percent, decimals)
        return Entry(
            -one.id,
            (one.variant if of_one_product else "") or one.full_name,
            AddsBy.FIXED if priced_by is PricedBy.PARTS and more else AddsBy.NOTHING,
            more,
            weight_g=int(rounded(one.grams - first.grams, 0)) or None,
            sold_out=not _can_be_had(one),
            is_default=one.id == default,
        )

    return [entry(one) for one in place]


def _can_be_had(part: Part) -> bool:
    return part.makes_most is None or part.makes_most > 0


def chosen_parts(parts: Iterable[Part], answers: Answers) -> list[Part]:
    """What is in a kit with what a buyer picked; of a pick that was not answered the first that can be had."""
    found = []
    for place in slots(parts):
        answer = answers.get(-place[0].id)
        picked = [one for one in place if answer and answer.picked.get(-one.id)]
        found += picked or [next((one for one in place if _can_be_had(one)), place[0])]
    return found


def needs(parts: Iterable[Part], answers: Answers) -> dict[int, Decimal]:
    """By variant how much of it one kit takes, with what a buyer picked."""
    found: dict[int, Decimal] = {}
    for one in chosen_parts(parts, answers):
        found[one.variant_id] = found.get(one.variant_id, NOTHING) + one.quantity
    return found


def spread(lines: Mapping[str, Decimal], kits: Mapping[str, Mapping[str, Decimal]]) -> dict[str, Decimal]:
    """Quantities by SKU with kits taken apart. ``kits``: by the SKU of a kit what one has, by SKU."""
    found: dict[str, Decimal] = {}
    for sku, number in lines.items():
        for part, each in kits.get(sku, {sku: Decimal(1)}).items():
            found[part] = found.get(part, NOTHING) + number * each
    return found


# --- making one ----------------------------------------------------------------------------------------------


def problems_of(parts: Sequence[Part], own_id: int, kits: Iterable[int], used_by: Sequence[str]) -> list[Problem]:
    """Why parts can't be kept for the product ``own_id``. ``kits``: the products that are kits; ``used_by``: names of
    kits of which this product is a part already."""
    if not parts:
        return []
    found = []
    if len(parts) > MOST_PARTS:
        found.append(Problem("kit.many", f"A kit has at most {MOST_PARTS} parts.", "parts"))
    if used_by:
        said = f"It is a part of “{used_by[0]}”, and a kit can’t be in a kit. Take it out there first."
        found.append(Problem("kit.in_kit", said, "parts"))
    known = set(kits)
    seen: set[tuple[str, int]] = set()
    for one in parts:
        if one.product_id == own_id:
            found.append(Problem("kit.itself", "A kit can’t be a part of itself.", "parts"))
        elif one.product_id in known:
            found.append(Problem("kit.in_kit", f"“{one.name}” is a kit, and a kit can’t be in a kit.", "parts"))
        if one.pick and (one.pick.casefold(), one.variant_id) in seen:
            found.append(Problem("kit.twice", f"“{one.full_name}” stands twice in the pick “{one.pick}”.", "parts"))
        seen.add((one.pick.casefold(), one.variant_id))
    return found
