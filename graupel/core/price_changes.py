"""Changes of many typed prices at once: "+5 %", "-2.00", "9.90", with the price ending where it is asked for."""

import re
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum

from graupel.core import quantities, terms
from graupel.core.endings import Ending
from graupel.core.errors import Refused
from graupel.core.price_rules import MOST_DECIMALS, decimals, rounded

#: Said in a line of its own: with the price ending.
ENDED = "ended"
_SIGNED = re.compile(r"([+-])\s*(.+)")


class By(StrEnum):
    """How prices change."""

    PERCENT = "percent"
    AMOUNT = "amount"
    PRICE = "price"
    ENDING = "ending"


@dataclass(frozen=True)
class PriceChange:
    """``amount``: a percentage or an amount, below 0 to take off; or the price. ``ended``: moved to the ending.

    ``decimals``: of the catalogue's currency.
    """

    by: By
    amount: Decimal = Decimal(0)
    ended: bool = False
    decimals: int = MOST_DECIMALS

    def apply(self, price: Decimal, ending: Ending | None) -> Decimal:
        """The price after it, never below 0; bulk/price_store.py says the same by sets."""
        changed = {
            By.PERCENT: rounded(price * (100 + self.amount) / 100, self.decimals),
            By.AMOUNT: price + self.amount,
            By.PRICE: self.amount,
            By.ENDING: price,
        }[self.by]
        positive = max(changed, Decimal(0))
        return ending.apply(positive) if self.ended and ending else positive

    def __str__(self) -> str:
        """As it is kept, and read again by ``parse``."""
        said = {
            By.PERCENT: f"{self.amount:+f} %",
            By.AMOUNT: f"{self.amount:+.2f}",
            By.PRICE: f"{self.amount:.2f}",
            By.ENDING: "",
        }[self.by]
        return "\n".join(filter(None, (said, ENDED if self.ended else "")))

    @property
    def in_words(self) -> str:
        """ "+5 %, with the price ending" """
        return str(self).replace(f"\n{ENDED}", ", with the price ending").replace(ENDED, "with the price ending")


def parse(text: str, currency: str) -> PriceChange:
    """What was typed, "ended" in a line of its own. Raises Refused."""
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    ended = ENDED in lines
    said = " ".join(line for line in lines if line != ENDED)
    if not said and ended:
        return PriceChange(By.ENDING, ended=True)
    if not said:
        raise Refused.because("price.change", "Say how prices change: +5 %, -2.00 or 9.90.", "value")
    signed = _SIGNED.fullmatch(said)
    if said.endswith("%"):
        if not signed:
            raise Refused.because("price.change", f"“{said[:40]}”: more or less? Write +{said} or -{said}.", "value")
        percent = terms.percentage(said)
        if percent <= -100:
            raise Refused.because("price.change", "That would take everything off. Write a price of 0.00.", "value")
        return PriceChange(By.PERCENT, percent, ended, decimals(currency))
    amount = quantities.parse_money(signed[2] if signed else said, currency)
    if signed:
        return PriceChange(By.AMOUNT, -amount if signed[1] == "-" else amount, ended)
    return PriceChange(By.PRICE, amount, ended)
