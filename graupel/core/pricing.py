"""Prices among variants, and what is left of them after the cost."""

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal


@dataclass(frozen=True)
class PriceRange:
    """The lowest and highest price among variants."""

    low: Decimal | None
    high: Decimal | None

    @property
    def is_one(self) -> bool:
        """Whether all cost the same."""
        return self.low == self.high


def price_range(prices: Iterable[Decimal | None]) -> PriceRange:
    """The range of the prices that are there."""
    known = [price for price in prices if price is not None]
    return PriceRange(min(known, default=None), max(known, default=None))


def margin(price: Decimal | None, cost: Decimal | None) -> Decimal | None:
    """What of the price is left after the cost, as a share of the price: (price - cost) / price."""
    if not price or cost is None:
        return None
    return (price - cost) / price
