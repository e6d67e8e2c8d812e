"""Goods that cost less when they are bought together with others.

An offer says: with each piece of one product, a piece of another costs so much less. Each piece costs less once, by the
offer that takes off the most; a piece that brings the offer about can do so for several others. What a basket takes off
in all does not depend on the order of its lines: of the pieces of a product the dearest cost less first.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from decimal import Decimal

from graupel.core import quantities, terms
from graupel.core.choices import AddsBy
from graupel.core.errors import Refused
from graupel.core.price_rules import PriceRule, rounded

NOTHING = Decimal(0)


@dataclass(frozen=True)
class Offer:
    """With each piece of ``product_id`` one of ``other_id`` costs less: an amount in the catalogue's currency, or a
    percentage of what it is asked."""

    product_id: int
    other_id: int
    by: AddsBy
    amount: Decimal

    def off(self, asked: Decimal, rule: PriceRule) -> Decimal:
        """What a piece that is asked so much costs less, at most all of it; ``rule``: the destination's."""
        off = rounded(asked * self.amount / 100, rule.decimals)
        return max(min(off if self.by is AddsBy.PERCENT else rule.difference(self.amount), asked), NOTHING)


@dataclass(frozen=True)
class Pieces:
    """A line of a basket: so many of a product, each asked so much."""

    line_id: int
    product_id: int
    variant_id: int
    asked: Decimal
    quantity: Decimal
    rule: PriceRule = field(default_factory=PriceRule)


@dataclass(frozen=True)
class Less:
    """What a line costs less in all, for so many of its pieces, and because of which products."""

    amount: Decimal
    pieces: int
    because_of: tuple[int, ...]


def less(lines: Iterable[Pieces], offers: Sequence[Offer]) -> dict[int, Less]:
    """By line what it costs less. Only whole pieces count: of 2.5 m two."""
    every = sorted(lines, key=lambda one: (-one.asked, one.variant_id, one.line_id))
    counts: dict[int, int] = {}
    for one in every:
        counts[one.product_id] = counts.get(one.product_id, 0) + int(one.quantity)
    found: dict[int, Less] = {}
    for product_id in dict.fromkeys(one.product_id for one in every):
        its_own = [one for one in every if one.product_id == product_id]
        bring = [(one, counts.get(one.product_id, 0)) for one in offers if one.other_id == product_id]
        found |= _of_product(its_own, [(one, count) for one, count in bring if count])
    return found


def _of_product(lines: Sequence[Pieces], offers: Sequence[tuple[Offer, int]]) -> dict[int, Less]:
    """The dearest pieces first, each by the best offer of which there is still one left."""
    left = {n: count for n, (_, count) in enumerate(offers)}
    found: dict[int, Less] = {}
    for line in lines:
        off = {n: offer.off(line.asked, line.rule) for n, (offer, _) in enumerate(offers)}
        amount, pieces, because_of = NOTHING, 0, dict[int, None]()
        for n in sorted(off, key=lambda one: (-off[one], one)):
            count = min(left[n], int(line.quantity) - pieces) if off[n] else 0
            if count > 0:
                left[n] -= count
                pieces += count
                amount += off[n] * count
                because_of[offers[n][0].product_id] = None
        if amount:
            found[line.line_id] = Less(amount, pieces, tuple(because_of))
    return found


def as_shown(asked: Decimal, offers: Iterable[Offer], rule: PriceRule) -> Decimal:
    """What a piece costs less with one piece of each that brings it about: the best of the offers."""
    return max((one.off(asked, rule) for one in offers), default=NOTHING)


def parse(text: str, currency: str) -> tuple[AddsBy, Decimal]:
    """ "10 %", "2.50": how much less something costs; nothing for "". Raises Refused."""
    plain = text.strip().replace("−", "-").lstrip("-").strip()
    if not plain:
        return AddsBy.NOTHING, NOTHING
    if not plain.endswith("%"):
        amount = quantities.parse_money(plain, currency)
        return (AddsBy.FIXED, amount) if amount else (AddsBy.NOTHING, NOTHING)
    percent = terms.percentage(plain)
    if percent > 100:
        raise Refused.because("together.percent", f"{percent.normalize():f} % is more than it costs. At most 100 %.")
    return (AddsBy.PERCENT, percent) if percent else (AddsBy.NOTHING, NOTHING)


def show(by: AddsBy, amount: Decimal) -> str:
    """As it is typed: "10 %", "2.50"; "" for nothing."""
    if by is AddsBy.PERCENT:
        return f"{amount.normalize():f} %"
    return f"{amount:.2f}" if by is AddsBy.FIXED else ""
