"""How prices end: .90, .95, whole, 9.90, or any .x9; moved up, down or to the nearest.

A price that ends so is ``rest`` beyond a multiple of ``step``: .90 is 0.90 beyond whole ones, .x9 0.09 beyond tenths.
"""

import re
from dataclasses import dataclass
from decimal import ROUND_CEILING, ROUND_FLOOR, Decimal
from enum import StrEnum
from functools import lru_cache

from graupel.core.errors import Refused

CENT = Decimal("0.01")
_PATTERN = re.compile(r"(?:([0-9]{0,3}))(?:\.(x?)([0-9]{1,2}))?")


class Way(StrEnum):
    """Where a price is moved to so that it ends as it should."""

    NEAREST = "nearest"
    UP = "up"
    DOWN = "down"


@dataclass(frozen=True)
class Ending:
    """A price ending. ``rest`` and ``step`` in the currency; 0 <= rest < step."""

    rest: Decimal
    step: Decimal
    way: Way = Way.NEAREST

    def apply(self, price: Decimal) -> Decimal:
        """The price that ends so; of two that lie equally near the higher one.

        What would come to nothing is moved up instead: an ending never gives goods away. 0 stays 0.
        """
        if price <= 0:
            return price
        low = self._moved(price, ROUND_FLOOR)
        high = self._moved(price, ROUND_CEILING)
        if low <= 0 or self.way is Way.UP:
            return high
        if self.way is Way.DOWN:
            return low
        return low if price - low < high - price else high

    def _moved(self, price: Decimal, rounding: str) -> Decimal:
        return ((price - self.rest) / self.step).to_integral_value(rounding) * self.step + self.rest

    @property
    def pattern(self) -> str:
        """As people write it: "whole", ".90", ".x9", "9.90"."""
        if self.step == 1 and not self.rest:
            return "whole"
        if self.step < 1:
            return f".x{int(self.rest / CENT)}"
        whole = "" if self.step == 1 else f"{int(self.rest):0{len(str(int(self.step))) - 1}d}"
        cents = int(self.rest % 1 / CENT)
        return f"{whole}.{cents:02d}" if cents or self.step == 1 or self.rest % 1 else whole

    def __str__(self) -> str:
        """As it is kept: ".90 nearest"."""
        return f"{self.pattern} {self.way}"


def parse(pattern: str, way: str = Way.NEAREST) -> Ending | None:
    """An ending from its pattern; None from an empty one. Raises Refused."""
    text = pattern.strip().lower().replace(",", ".")
    if not text:
        return None
    rest_step = _read(text)
    if rest_step is None or way not in tuple(Way):
        raise Refused.because(
            "ending.unknown", f"“{pattern.strip()}” is no ending of a price. Write .90, .x9, 9.90 or whole.", "ending"
        )
    return Ending(*rest_step, Way(way))


def _read(text: str) -> tuple[Decimal, Decimal] | None:
    if text == "whole":
        return Decimal(0), Decimal(1)
    match = _PATTERN.fullmatch(text)
    if not match or text == ".":
        return None
    whole, tenth, cents = match[1] or "", match[2], match[3] or ""
    if tenth:
        return (Decimal(cents) * CENT, Decimal("0.10")) if len(cents) == 1 and not whole else None
    rest = Decimal(whole or 0) + Decimal(f"{cents:<02}" if cents else 0) * CENT
    return rest, Decimal(10) ** len(whole)


@lru_cache(200)
def kept(text: str) -> Ending | None:
    """An ending as it is kept; None where there is none, or it can't be read any more."""
    pattern, _, way = text.partition(" ")
    try:
        return parse(pattern, way or Way.NEAREST)
    except Refused:
        return None
