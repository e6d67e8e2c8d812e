"""How a destination's prices follow from the catalogue's: an exchange rate, a percentage, an amount, an ending.

In this order: price x rate x (1 + percent / 100) + amount, rounded half up to the currency's smallest coin, then moved
to the ending. What was typed for a destination is not touched by its rule.
"""

from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from functools import lru_cache

from babel.numbers import get_currency_precision

from graupel.core.endings import Ending

#: Amounts are kept to hundredths; currencies whose smallest coin is finer are rounded to those.
MOST_DECIMALS = 2


@lru_cache(200)
def decimals(currency: str) -> int:
    """How many decimals amounts of a currency have (ISO 4217, by CLDR): 2 for EUR, 0 for JPY."""
    return min(get_currency_precision(currency), MOST_DECIMALS)


@lru_cache(10)
def _coin(places: int) -> Decimal:
    return Decimal(1).scaleb(-places)


def rounded(amount: Decimal, places: int = MOST_DECIMALS) -> Decimal:
    """Half up to so many decimals, written with two, as all amounts are."""
    return amount.quantize(_coin(places), ROUND_HALF_UP).quantize(_coin(MOST_DECIMALS))


@dataclass(frozen=True)
class PriceRule:
    """``rate``: units of the destination's currency for one of the catalogue's; ``decimals``: of its currency."""

    rate: Decimal = Decimal(1)
    percent: Decimal = Decimal(0)
    amount: Decimal = Decimal(0)
    ending: Ending | None = None
    decimals: int = MOST_DECIMALS

    @property
    def factor(self) -> Decimal:
        """By what the catalogue's prices are multiplied."""
        return self.rate * (1 + self.percent / 100)

    def apply(self, price: Decimal) -> Decimal:
        """The destination's price of one of the catalogue's; never below 0."""
        return self.end(max(rounded(price * self.factor + self.amount, self.decimals), Decimal(0)))

    def difference(self, amount: Decimal) -> Decimal:
        """What a difference of two prices of the catalogue comes to: neither the rule's amount nor its ending count."""
        return rounded(amount * self.factor, self.decimals)

    def end(self, price: Decimal) -> Decimal:
        """A price of the destination moved to the ending."""
        return self.ending.apply(price) if self.ending else price

    @property
    def in_words(self) -> str:
        """ "rate 0.94, 15 % less, 2.00 more, ending .90 down"."""
        said = [f"rate {self.rate.normalize():f}"] if self.rate != 1 else []
        if self.percent:
            said.append(f"{abs(self.percent).normalize():f} % {'less' if self.percent < 0 else 'more'}")
        if self.amount:
            said.append(f"{abs(self.amount):.2f} {'less' if self.amount < 0 else 'more'}")
        if self.ending:
            said.append(f"ending {self.ending}")
        return ", ".join(said)
