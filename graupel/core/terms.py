"""What a destination makes of the catalogue's prices, as it is typed and as it is kept."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal
from typing import Any

from graupel.core import countries, endings, quantities
from graupel.core.endings import Ending
from graupel.core.errors import Refused
from graupel.core.price_rules import PriceRule, decimals
from graupel.core.problems import Problem
from graupel.core.taxes import Shown

MOST_PERCENT = Decimal(10_000)
MOST_RATE = Decimal(1_000_000)
#: From such a change of a price on it is worth a look, where nobody says otherwise.
JUMP_PERCENT = 50


@dataclass(frozen=True)
class SellingTerms:
    """Terms of a destination; "" is the catalogue and its own shop. Words as in the declaration.

    ``typed_with_tax`` and what follows is said once, with the terms of the catalogue.
    """

    destination: str = ""
    rate: Decimal | None = None
    rate_on: date | None = None
    percent: Decimal = Decimal(0)
    amount: Decimal = Decimal(0)
    ending: str = ""
    country: str | None = None
    tax_shown: Shown = Shown.WITH
    shows_lowest: bool = False
    typed_with_tax: bool = True
    goods_class_id: int | None = None
    delivery_class_id: int | None = None
    jump_percent: int | None = None
    id: int | None = None
    version: int = 1

    @property
    def price_ending(self) -> Ending | None:
        """Its price ending."""
        return endings.kept(self.ending)

    @property
    def jumps_from(self) -> int:
        """From how many percent on a change of a price is worth a look."""
        return JUMP_PERCENT if self.jump_percent is None else self.jump_percent

    def rule(self, currency: str, *, converted: bool) -> PriceRule | None:
        """The price rule of a destination with this currency; ``converted``: it is not the catalogue's.

        None where nothing is changed, or where amounts can't be converted because no rate is written.
        """
        if not self.destination or (converted and self.rate is None):
            return None
        rate = self.rate if converted and self.rate else Decimal(1)
        found = PriceRule(rate, self.percent, self.amount, self.price_ending, decimals(currency))
        return found if converted or found != PriceRule(decimals=found.decimals) else None


def number(text: str, what: str, *, least: Decimal, most: Decimal, places: int) -> Decimal:
    """A number, "2.5", "2,5 %" or "-15". Raises Refused where it is none, or beyond ``least`` to ``most``."""
    said = text.strip().removesuffix("%").strip()
    found, word = quantities.split_number(said, "number", "15")
    if word or found != round(found, places):
        raise Refused.because(
            "number.not_a_number", f"“{text.strip()[:40]}” is no {what}. Write a number with at most {places} decimals."
        )
    if not least <= found <= most:
        raise Refused.because("number.range", f"A {what} lies between {least:f} and {most:f}; “{said[:40]}” does not.")
    return round(found, places)


def day(text: str) -> date:
    """A day, "2026-11-21". Raises Refused."""
    try:
        return date.fromisoformat(text.strip())
    except ValueError:
        raise Refused.because("day.unknown", f"“{text.strip()[:40]}” is no day. Write it like 2026-11-21.") from None


def _signed_money(text: str) -> Decimal:
    sign = -1 if text.strip().startswith("-") else 1
    return sign * quantities.parse_money(text.strip().lstrip("+-"))


def percentage(text: str) -> Decimal:
    """A percentage that is added, or with a minus taken off. Raises Refused."""
    return number(text, "percentage", least=Decimal(-100), most=MOST_PERCENT, places=2)


def _shown(text: str) -> Shown:
    if text not in tuple(Shown):
        raise Refused.because("tax.shown", "Prices are shown with tax, without, or both.")
    return Shown(text)


def _whole(text: str) -> int:
    return int(number(text, "percentage", least=Decimal(1), most=MOST_PERCENT, places=0))


#: By field what reads typed text, "" giving the field's own nothing.
_READ: dict[str, tuple[Callable[[str], Any], Any]] = {
    "rate": (lambda text: number(text, "rate", least=Decimal("0.00000001"), most=MOST_RATE, places=8), None),
    "rate_on": (day, None),
    "percent": (percentage, Decimal(0)),
    "amount": (_signed_money, Decimal(0)),
    "country": (countries.parse, None),
    "tax_shown": (_shown, Shown.WITH),
    "jump_percent": (_whole, None),
}


def read(raw: Mapping[str, str], start: SellingTerms) -> tuple[SellingTerms, list[Problem]]:
    """Terms from what was typed; what is not in ``raw`` stays. A field that can't be read keeps its value."""
    found: dict[str, Any] = {}
    problems: list[Problem] = []
    for name, (reads, nothing) in _READ.items():
        if name not in raw:
            continue
        try:
            found[name] = reads(raw[name]) if raw[name].strip() else nothing
        except Refused as refusal:
            problems += [replace(one, field=name) for one in refusal.problems]
    if "ending" in raw:
        try:
            ending = endings.parse(raw["ending"], raw.get("ending_way", "") or endings.Way.NEAREST)
            found["ending"] = str(ending) if ending else ""
        except Refused as refusal:
            problems += refusal.problems
    for name in ("goods_class_id", "delivery_class_id"):
        if name in raw:
            found[name] = int(raw[name]) if raw[name].isdecimal() else None
    for name in ("shows_lowest", "typed_with_tax"):
        if name in raw:
            found[name] = raw[name] == "yes"
    return replace(start, **found), problems
