"""Taxes on goods and delivery: classes, with a rate by country and from a day on.

How it is rounded: a line (a price times a quantity) is rounded once, half up, at the end. Of prices that are kept with
tax the whole is that line and the tax is within it; of prices that are kept without, the tax comes on top. A fixed
charge counts for each piece. A price that is kept with tax holds in every country, whatever its rate.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from enum import StrEnum

from graupel.core.price_rules import rounded

MOST_PERCENT = Decimal(100)


class Shown(StrEnum):
    """Which prices buyers are shown."""

    WITH = "with"
    WITHOUT = "without"
    BOTH = "both"


@dataclass(frozen=True)
class TaxRate:
    """What is taken in a country from a day on: a percentage, a fixed amount a piece, or both."""

    country: str
    begins: date
    percent: Decimal = Decimal(0)
    amount: Decimal = Decimal(0)


@dataclass(frozen=True)
class TaxClass:
    """Goods, or ways of delivery, that are taxed alike; ``rates``: none for what is untaxed."""

    id: int
    name: str
    rates: Sequence[TaxRate] = ()

    def rate(self, country: str, day: date) -> TaxRate | None:
        """What holds in a country on a day; None where nothing is taken."""
        begun = [one for one in self.rates if one.country == country and one.begins <= day]
        return max(begun, key=lambda one: one.begins, default=None)


@dataclass(frozen=True)
class TaxedLine:
    """A line without and with its tax; ``tax`` is what lies between, ``fixed`` what of it is a charge a piece."""

    net: Decimal
    gross: Decimal
    fixed: Decimal = Decimal(0)

    @property
    def tax(self) -> Decimal:
        """What is taken."""
        return self.gross - self.net


@dataclass(frozen=True)
class Taxing:
    """How a price is taxed at a place and a moment. ``typed_with_tax``: prices are kept with it.

    ``charge``: the rate's amount in the destination's currency; ``decimals``: of the currency.
    """

    name: str
    percent: Decimal
    charge: Decimal
    typed_with_tax: bool
    decimals: int = 2

    def line(self, price: Decimal, quantity: Decimal | int = 1, once: Decimal = Decimal(0)) -> TaxedLine:
        """The price times the quantity, and what comes once beside it, without and with tax; never below the charge."""
        whole, fixed = max(price * quantity + once, Decimal(0)), self.charge * quantity
        factor = 1 + self.percent / 100
        if self.typed_with_tax:
            gross = rounded(max(whole, fixed), self.decimals)
            return TaxedLine(rounded((max(whole, fixed) - fixed) / factor, self.decimals), gross, fixed)
        return TaxedLine(rounded(whole, self.decimals), rounded(whole * factor + fixed, self.decimals), fixed)
