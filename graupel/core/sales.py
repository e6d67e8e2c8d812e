"""Sale prices: what they take off, which one counts, and which can't stand beside each other.

Of several that hold at a moment the nearest counts: one for the variant before one for a choice before one for the
product before one for all goods; among those one for the destination before one for everywhere. This is the order in
which all values are resolved (core.resolve). A sale never makes anything dearer.
"""

from collections.abc import Collection, Iterable
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from enum import StrEnum


class Reach(StrEnum):
    """How near a sale is to what it is for; the nearest first."""

    VARIANT = "variant"
    CHOICE = "choice"
    PRODUCT = "product"
    ALL = "all"


class TakesOff(StrEnum):
    """What an amount of a sale or of a quantity price means."""

    PRICE = "price"
    PERCENT = "percent"
    AMOUNT = "amount"


class PromotionKind(StrEnum):
    """Why something costs less for a time, as destinations are told."""

    REDUCED = "reduced"
    CLEARANCE = "clearance"
    TOGETHER = "together"


PROMOTION_WORDS = {
    PromotionKind.REDUCED: "Reduced for a time",
    PromotionKind.CLEARANCE: "Clearance",
    PromotionKind.TOGETHER: "Less when bought together",
}


@dataclass(frozen=True)
class Reduction:
    """``amount``: the price asked, the percentage or the amount taken off. ``ends_so``: moved to the price ending."""

    takes_off: TakesOff
    amount: Decimal
    ends_so: bool = False

    @property
    def in_words(self) -> str:
        """ "7.90", "15 % off", "2.00 off"."""
        if self.takes_off is TakesOff.PRICE:
            return f"{self.amount:.2f}"
        if self.takes_off is TakesOff.PERCENT:
            return f"{self.amount.normalize():f} % off"
        return f"{self.amount:.2f} off"


@dataclass(frozen=True)
class Sale:
    """Goods cost less for a time. ``begins`` and ``ends`` UTC; it holds at its beginning and no more at its end.

    ``destination``: "" for everywhere; ``targets``: what its reach names, as (product, variant or choice), 0 for the
    product itself; none for all goods. ``joined``: it is taken off quantity prices too, where otherwise the lowest
    counts.
    """

    id: int
    title: str
    reach: Reach
    targets: frozenset[tuple[int, int]]
    destination: str
    reduction: Reduction
    begins: datetime
    ends: datetime | None = None
    joined: bool = False
    promotion_id: int | None = None

    def holds(self, moment: datetime) -> bool:
        """Whether it holds at a moment."""
        return self.begins <= moment and (self.ends is None or moment < self.ends)

    def overlaps(self, other: "Sale") -> bool:
        """Whether both hold at some moment."""
        return (other.ends is None or self.begins < other.ends) and (self.ends is None or other.begins < self.ends)

    def equals(self, other: "Sale") -> bool:
        """Whether nothing says which of both counts: at one time, for the same goods and place, and as near."""
        return (
            self.reach is other.reach
            and self.destination == other.destination
            and (self.reach is Reach.ALL or bool(self.targets & other.targets))
            and self.overlaps(other)
        )

    def reaches(self, product_id: int, variant_id: int, choices: Collection[int]) -> bool:
        """Whether it is for a variant with these choices."""
        if self.reach is Reach.ALL:
            return True
        near = {Reach.PRODUCT: [0], Reach.VARIANT: [variant_id], Reach.CHOICE: choices}[self.reach]
        return any((product_id, one) in self.targets for one in near)


def nearest(sales: Iterable[Sale], destination: str) -> list[Sale]:
    """Of sales that hold and reach: the nearest; several only where they are for different choices of a variant."""
    here = [one for one in sales if one.destination in ("", destination)]
    order = list(Reach)
    ranks = [(order.index(one.reach), one.destination != destination) for one in here]
    return [one for one, rank in zip(here, ranks, strict=True) if rank == min(ranks)]
