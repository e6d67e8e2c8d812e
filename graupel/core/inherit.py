"""Values that a variant takes from its product until it is given its own."""

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum
from typing import Generic, TypeVar

T = TypeVar("T")


class Origin(StrEnum):
    """Where a shown value stands."""

    OWN = "own"
    PRODUCT = "product"
    NOWHERE = "nowhere"


@dataclass(frozen=True)
class Resolved(Generic[T]):
    """A value with the place it comes from."""

    value: T | None
    origin: Origin


def resolve(own: T | None, products: T | None) -> Resolved[T]:
    """The variant's own value, else its product's. The set-based reading in SQL is COALESCE(own, product's)."""
    if own is not None:
        return Resolved(own, Origin.OWN)
    return Resolved(products, Origin.NOWHERE if products is None else Origin.PRODUCT)


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
