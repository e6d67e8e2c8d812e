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


def doubts(price: Decimal | None, list_price: Decimal | None, stock: int | None) -> dict[str, str]:
    """What of a price and a stock may be meant otherwise, by field. It is taken all the same."""
    found = {}
    if price is not None and price == 0:
        found["price"] = "A price of 0.00 gives it away."
    if list_price is not None and price is not None and list_price <= price:
        found["list_price"] = "The list price is not above the price, so nothing is saved: leave it out, or raise it."
    if stock is not None and stock < 0:
        found["stock"] = "The stock is below 0: more went out than was counted."
    return found
