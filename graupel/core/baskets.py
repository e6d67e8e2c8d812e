"""A buyer's basket: what each line comes to by all rules of selling, and what had to be changed in it.

The price of a basket is the sum of its lines. A line's own price follows from how many pieces of its variant the whole
basket has (quantity prices count over all lines), so it does not depend on the order of lines. What can't be had, or
not so many of it, is changed to what can, and each change is told.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from decimal import Decimal
from enum import StrEnum

from graupel.core import choice_answers, choices, kits
from graupel.core.choice_answers import Wrong
from graupel.core.choices import Answers, Choice, Chosen
from graupel.core.kits import Part
from graupel.core.ordering import Ordering
from graupel.core.price_rules import PriceRule, rounded
from graupel.core.taxes import TaxedLine, Taxing
from graupel.core.together import Less, Offer, Pieces, less

NOTHING = Decimal(0)
#: A basket has no more lines.
MOST_LINES = 100


@dataclass(frozen=True)
class Ware:
    """What a basket needs to know of a variant that can be bought.

    ``asked``: what a piece is asked where the basket has so many; ``most``: how many can be ordered, None without end;
    ``raises``: a buyer may pay more than is asked; ``parts``: of a kit what is in it.
    """

    variant_id: int
    name: str
    sku: str
    asked: Callable[[int], Decimal]
    most: Decimal | None = None
    ordering: Ordering = field(default_factory=Ordering)
    choices: Sequence[Choice] = ()
    rule: PriceRule = field(default_factory=PriceRule)
    taxing: Taxing | None = None
    weight_g: int | None = None
    raises: bool = False
    parts: Sequence[Part] = ()
    product_id: int = 0

    def needs(self, answers: Answers) -> dict[int, Decimal]:
        """By variant how much of it one piece takes: of a kit its parts, with what was picked; else of itself."""
        return kits.needs(self.parts, answers) if self.parts else {self.variant_id: Decimal(1)}


@dataclass(frozen=True)
class Wanted:
    """A line as a buyer wants it. ``seen``: what a piece came to when the buyer last saw it; ``pays``: more than is
    asked, where a buyer may."""

    id: int
    variant_id: int
    quantity: Decimal
    answers: Answers = field(default_factory=dict)
    pays: Decimal | None = None
    seen: Decimal | None = None
    name: str = ""


class Why(StrEnum):
    """What a basket changed of itself."""

    GONE = "gone"
    SOLD_OUT = "sold_out"
    FEWER = "fewer"
    RULES = "rules"
    PRICE = "price"


@dataclass(frozen=True)
class Change:
    """A change that a buyer is told: of ``name`` so many or so much, ``was`` and ``now``."""

    why: Why
    name: str
    was: Decimal = NOTHING
    now: Decimal = NOTHING


@dataclass(frozen=True)
class Line:
    """A line with what it comes to.

    ``asked``: of a piece, without what was chosen; ``amount``: of the line, with tax where taxes are set up; ``wrong``:
    by choice why its answer can't be taken; ``less``: what was taken off because of what else is in the basket.
    """

    wanted: Wanted
    ware: Ware
    asked: Decimal
    chosen: Chosen
    taxed: TaxedLine | None
    amount: Decimal
    wrong: Mapping[int, Wrong] = field(default_factory=dict)
    less: Less | None = None

    @property
    def net(self) -> Decimal:
        """The line without tax."""
        return self.taxed.net if self.taxed else self.amount

    @property
    def weight_g(self) -> int:
        """What it weighs in a parcel, with what was chosen."""
        piece = (self.ware.weight_g or 0) + self.chosen.weight_g
        return int((piece * self.wanted.quantity).to_integral_value()) + self.chosen.weight_once_g


@dataclass(frozen=True)
class Basket:
    """The lines that can be ordered, and what was changed to come to them."""

    lines: Sequence[Line] = ()
    changes: Sequence[Change] = ()

    @property
    def amount(self) -> Decimal:
        """The sum of its lines, with tax."""
        return sum((one.amount for one in self.lines), NOTHING)

    @property
    def net(self) -> Decimal:
        """The same without tax."""
        return sum((one.net for one in self.lines), NOTHING)

    @property
    def can_be_ordered(self) -> bool:
        """Whether there is something in it, and all that was answered can be taken."""
        return bool(self.lines) and not any(one.wrong for one in self.lines)

    def taxes(self) -> dict[Decimal, Decimal]:
        """The tax that is in it, by percent, the lowest first."""
        found: dict[Decimal, Decimal] = {}
        for one in self.lines:
            if one.taxed and one.ware.taxing:
                percent = one.ware.taxing.percent
                found[percent] = found.get(percent, NOTHING) + one.taxed.tax
        return {percent: tax for percent, tax in sorted(found.items()) if tax}


def basket(wanted: Iterable[Wanted], wares: Mapping[int, Ware], today: date, offers: Sequence[Offer] = ()) -> Basket:
    """What a basket comes to. ``wares``: by variant, those that can be bought; ``today``: the shop's day; ``offers``:
    what costs less together with what."""
    fitting, changes = fit(wanted, wares)
    counts = _counts(fitting)
    asked = {one.id: _asked(one, wares[one.variant_id], counts[one.variant_id]) for one in fitting}
    off = less([_pieces(one, wares[one.variant_id], asked[one.id]) for one in fitting], offers)
    lines = [_line(one, wares[one.variant_id], asked[one.id], off.get(one.id), today) for one in fitting]
    dearer = [
        Change(Why.PRICE, one.ware.name, one.wanted.seen, one.chosen.piece)
        for one in lines
        if one.wanted.seen is not None and one.wanted.seen != one.chosen.piece
    ]
    return Basket(lines, [*changes, *dearer])


def _asked(wanted: Wanted, ware: Ware, count: Decimal) -> Decimal:
    asked = ware.asked(max(int(count), 1))
    return paid(asked, wanted.pays) if ware.raises else asked


def _pieces(wanted: Wanted, ware: Ware, asked: Decimal) -> Pieces:
    return Pieces(wanted.id, ware.product_id, ware.variant_id, asked, wanted.quantity, ware.rule)


def _counts(lines: Iterable[Wanted]) -> dict[int, Decimal]:
    found: dict[int, Decimal] = {}
    for one in lines:
        found[one.variant_id] = found.get(one.variant_id, NOTHING) + one.quantity
    return found


def fit(wanted: Iterable[Wanted], wares: Mapping[int, Ware]) -> tuple[list[Wanted], list[Change]]:
    """The lines as they can be ordered, by their ids, and what was changed for that.

    How many of a variant an order may have is asked of all its lines together; where that changes, the lines that came
    last give way.
    """
    lines = sorted(wanted, key=lambda one: one.id)
    counts, changes = _counts(lines), []
    kept: dict[int, Wanted] = {one.id: one for one in lines}
    for variant_id, count in counts.items():
        its_own = [one for one in lines if one.variant_id == variant_id]
        ware = wares.get(variant_id)
        may = ware.ordering.nearest(count, ware.most) if ware else None
        if ware is None or may is None:
            why = Why.GONE if ware is None else Why.SOLD_OUT
            name = ware.name if ware else its_own[0].name
            changes.append(Change(why, name, count))
            for one in its_own:
                del kept[one.id]
        elif may != count:
            why = Why.FEWER if ware.most is not None and count > ware.most else Why.RULES
            changes.append(Change(why, ware.name, count, may))
            kept |= {one.id: one for one in _spread(its_own, may - count)}
    return _share([one for one in kept.values() if one.quantity > 0], wares, changes)


def _share(
    lines: Sequence[Wanted], wares: Mapping[int, Ware], changes: list[Change]
) -> tuple[list[Wanted], list[Change]]:
    """The same where kits want what other lines want too, or one part in two places: who came last gives way."""
    if not any(wares[one.variant_id].parts for one in lines):
        return list(lines), changes
    left = {part.variant_id: part.most for ware in wares.values() for part in ware.parts}
    left |= {key: ware.most for key, ware in wares.items() if not ware.parts}
    kept = []
    for one in lines:
        ware = wares[one.variant_id]
        needs = ware.needs(choices.still_there(ware.choices, one.answers))
        enough = [there // each for key, each in needs.items() if (there := left.get(key)) is not None]
        most = min([one.quantity, *enough])
        may = one.quantity if most == one.quantity else ware.ordering.nearest(one.quantity, most)
        if may is None:
            changes = [*changes, Change(Why.SOLD_OUT, ware.name, one.quantity)]
            continue
        if may != one.quantity:
            changes = [*changes, Change(Why.FEWER, ware.name, one.quantity, may)]
        for key, each in needs.items():
            there = left.get(key)
            left[key] = there if there is None else there - each * may
        kept.append(replace(one, quantity=may))
    return kept, changes


def _spread(lines: Sequence[Wanted], by: Decimal) -> list[Wanted]:
    """The same lines with so many more or fewer in all: more come to the last, fewer are taken from the last on."""
    found = []
    for one in reversed(lines):
        change = max(by, -one.quantity)
        found.append(replace(one, quantity=one.quantity + change))
        by -= change
    return found


def _line(wanted: Wanted, ware: Ware, asked: Decimal, off: Less | None, today: date) -> Line:
    wanted = replace(wanted, answers=choices.still_there(ware.choices, wanted.answers))
    found = choices.chosen(ware.choices, wanted.answers, asked, ware.sku, ware.rule)
    once = found.once - (off.amount if off else NOTHING)
    taxed = ware.taxing.line(found.piece, wanted.quantity, once) if ware.taxing else None
    whole = max(found.piece * wanted.quantity + once, NOTHING)
    amount = taxed.gross if taxed else rounded(whole, ware.rule.decimals)
    wrong = choice_answers.wrong(ware.choices, wanted.answers, today)
    return Line(wanted, ware, asked, found, taxed, amount, wrong, off)


def paid(asked: Decimal, pays: Decimal | None) -> Decimal:
    """What a piece comes to where a buyer may pay more than is asked: less counts as what is asked."""
    return asked if pays is None else max(asked, pays)


def needs_no_word(ware: Ware, today: date) -> bool:
    """Whether it can be put into a basket just like that: as few as can be ordered are there, and what its choices have
    at first can be taken."""
    at_first = choices.defaults(ware.choices)
    can_be_had = ware.ordering.nearest(ware.ordering.least, ware.most) is not None
    return can_be_had and not choice_answers.wrong(ware.choices, at_first, today)


def seen(found: Basket) -> dict[int, Decimal]:
    """By line what a piece comes to, to be held against what it comes to later."""
    return {one.wanted.id: one.chosen.piece for one in found.lines}
