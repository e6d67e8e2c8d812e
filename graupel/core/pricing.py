"""Prices among variants, what is left of them after the cost, and what of them is worth a second look."""

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal

from graupel.core.endings import Ending
from graupel.core.errors import Refused
from graupel.core.price_rules import MOST_DECIMALS, rounded


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
    """What of the price, without tax, is left after the cost, as a share of the price: (price - cost) / price."""
    if not price or cost is None:
        return None
    return (price - cost) / price


def markup(price: Decimal | None, cost: Decimal | None) -> Decimal | None:
    """What the price, without tax, adds to the cost, as a share of the cost: (price - cost) / cost."""
    if price is None or not cost:
        return None
    return (price - cost) / cost


def from_margin(cost: Decimal, percent: Decimal, decimals: int = MOST_DECIMALS) -> Decimal:
    """The price, without tax, that leaves this margin: cost / (1 - margin). Raises Refused from 100 % on."""
    if percent >= 100:
        raise Refused.because(
            "margin.too_large", "A margin is below 100 %: of the price the cost must be left. Did you mean a markup?"
        )
    return rounded(cost / (1 - percent / 100), decimals)


def from_markup(cost: Decimal, percent: Decimal, decimals: int = MOST_DECIMALS) -> Decimal:
    """The price, without tax, that adds so much to the cost. Raises Refused from -100 % on."""
    if percent <= -100:
        raise Refused.because("markup.too_small", "A markup is above -100 %: below, nothing would be asked.")
    return rounded(cost * (1 + percent / 100), decimals)


def ended(price: Decimal, ending: Ending | None) -> Decimal:
    """The price with the shop's ending."""
    return ending.apply(price) if ending else price


def jump(before: Decimal | None, after: Decimal | None) -> Decimal | None:
    """By how many percent a price changed, without sign; None where there was none, or it was 0."""
    if not before or after is None:
        return None
    return abs(after - before) / before * 100


@dataclass(frozen=True)
class Prices:
    """What is looked at. ``net``: the price without tax, as far as taxes are set up; ``saved``: the price as it was.

    ``jump_percent``: from which change on it is worth a look.
    """

    price: Decimal | None = None
    list_price: Decimal | None = None
    cost: Decimal | None = None
    net: Decimal | None = None
    saved: Decimal | None = None
    jump_percent: int | None = None


def doubts(found: Prices, stock: Decimal | None) -> dict[str, str]:
    """What of prices and stock may be meant otherwise, by field. It is taken all the same."""
    price, net = found.price, found.net if found.net is not None else found.price
    said = {}
    if price is not None and price == 0:
        said["price"] = "A price of 0.00 gives it away."
    elif net is not None and found.cost is not None and net < found.cost:
        said["price"] = f"The price is below the cost of {found.cost:.2f}: each piece loses {found.cost - net:.2f}."
    elif found.jump_percent and (by := jump(found.saved, price)) is not None and by > found.jump_percent:
        way = "more" if (price or 0) > (found.saved or 0) else "less"
        said["price"] = f"That is {by:.0f} % {way} than {found.saved:.2f}."
    if found.list_price is not None and price is not None and found.list_price <= price:
        said["list_price"] = "The list price is not above the price, so nothing is saved: leave it out, or raise it."
    if stock is not None and stock < 0:
        said["stock"] = "The stock is below 0: more went out than was counted."
    return said
