"""Rules of ordering: how many of a variant one order may have.

At least, at most, in steps (packs of 6), by fractions (ribbon by the tenth of a metre), one per order.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import ROUND_CEILING, ROUND_FLOOR, Decimal
from typing import Any

from graupel.core import stock
from graupel.core.availability import Layers, layered
from graupel.core.errors import Refused
from graupel.core.problems import Problem

FIELDS = ("order_least", "order_most", "order_step")
MOST_ORDERED = Decimal(1_000_000)


@dataclass(frozen=True)
class Ordering:
    """The rules that hold for a variant. ``least`` and ``most`` are multiples of ``step``; ``most`` None: any number.

    ``unit``: in what it is sold, "" for pieces.
    """

    least: Decimal = Decimal(1)
    most: Decimal | None = None
    step: Decimal = Decimal(1)
    unit: str = ""

    @property
    def is_plain(self) -> bool:
        """Whether any whole number may be ordered, which needs no word."""
        return self == Ordering(unit=self.unit)

    @property
    def is_one(self) -> bool:
        """Whether an order has one at most."""
        return self.most == self.step == 1

    def takes(self, quantity: Decimal) -> bool:
        """Whether an order may have so many."""
        return quantity >= self.least and quantity % self.step == 0 and (self.most is None or quantity <= self.most)

    def nearest(self, quantity: Decimal, available: Decimal | None = None) -> Decimal | None:
        """The quantity next to a wanted one that may be ordered; None where ``available`` allows none."""
        most = min((one for one in (self.most, available) if one is not None), default=None)
        found = max((quantity / self.step).to_integral_value(ROUND_CEILING) * self.step, self.least)
        if most is not None and found > most:
            found = (most / self.step).to_integral_value(ROUND_FLOOR) * self.step
        return stock.plain(found) if found >= self.least else None


def problem(rules: Ordering, quantity: Decimal) -> Problem | None:
    """What is wrong with an ordered quantity; None where it may be ordered."""
    if rules.takes(quantity):
        return None
    near = rules.nearest(quantity)
    said = f"{stock.show(quantity)} can't be ordered: {sentence(rules)}"
    return Problem("order.quantity", f"{said} Take {stock.show(near)}.", "quantity")


def ordering_of(layers: Layers, unit: str = "") -> Ordering:
    """The rules that hold for a variant, brought into line where they were said at different places: a least that is
    between two steps is the next step, a most the one before."""
    step = _said("order_step", layers) or Decimal(1)
    least, most = _said("order_least", layers) or step, _said("order_most", layers)
    least = (least / step).to_integral_value(ROUND_CEILING) * step
    if most is not None:
        most = max((most / step).to_integral_value(ROUND_FLOOR) * step, least)
    return Ordering(stock.plain(least), None if most is None else stock.plain(most), stock.plain(step), unit)


def _said(name: str, layers: Layers) -> Decimal | None:
    found: Decimal | None = layered(name, layers)[0]
    return found


def read_amount(text: str) -> Decimal | None:
    """A least, most or step as typed, None for none. Raises Refused."""
    if not text.strip():
        return None
    found = stock.quantity(text)
    if not 0 < found <= MOST_ORDERED:
        raise Refused.because("order.range", f"“{text.strip()[:40]}” can't be ordered. Write a number above 0.")
    return found


def problems(said: Mapping[str, Any]) -> list[Problem]:
    """What of rules that are said at one place does not go together, at its field."""
    least, most, step = (said.get(name) for name in FIELDS)
    found = []
    if step and least and least % step:
        below, above = ((least / step).to_integral_value(way) * step for way in (ROUND_FLOOR, ROUND_CEILING))
        fits = f"{stock.show(below)} or {stock.show(above)}" if below else stock.show(above)
        message = f"With steps of {stock.show(step)}, {stock.show(least)} can't be ordered. Take {fits}."
        found.append(Problem("order.least", message, "order_least"))
    if step and most and most % step:
        message = f"With steps of {stock.show(step)}, {stock.show(most)} is never reached. Take a multiple of it."
        found.append(Problem("order.most", message, "order_most"))
    if least and most and most < least:
        message = f"Nothing could be ordered: at most {stock.show(most)} is less than at least {stock.show(least)}."
        found.append(Problem("order.most", message, "order_most"))
    return found


def sentence(rules: Ordering) -> str:
    """The rules in words: "In steps of 6, at least 12." """
    unit = f" {rules.unit}" if rules.unit else ""
    if rules.is_one:
        return "One per order."
    parts = []
    if rules.step != 1:
        parts.append(f"in steps of {stock.show(rules.step)}{unit}")
    if rules.least != rules.step:
        parts.append(f"at least {stock.show(rules.least)}{unit}")
    if rules.most is not None:
        parts.append(f"at most {stock.show(rules.most)}{unit}")
    said = ", ".join(parts)
    return f"{said[:1].upper()}{said[1:]}." if said else "Any number."
