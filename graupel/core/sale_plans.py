"""Sales, promotions and quantity prices as they are typed: read, or why they can't be."""

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from decimal import Decimal
from typing import Any
from zoneinfo import ZoneInfo

from graupel.core import moments, quantities
from graupel.core.errors import Refused
from graupel.core.problems import Problem
from graupel.core.product_fields import one_line
from graupel.core.quoting import QuantityPrice
from graupel.core.sales import PromotionKind, Reduction, Sale, TakesOff

TITLE_LENGTH = 120
#: The percentage that a new sale begins with.
BEGINS_WITH = Decimal(15)
MOST_QUANTITY = 1_000_000
_CODE = re.compile(r"[A-Za-z0-9][A-Za-z0-9_.-]{0,49}")
_PERCENT = re.compile(r"-?\s*([\d.,]+)\s*%(?:\s*off)?", re.I)
_OFF = re.compile(r"(?:-\s*(.+)|(.+?)\s+off)", re.I)


def reduction(text: str, currency: str, *, ends_so: bool = False) -> Reduction:
    """ "7.90" is the price asked, "15 %" or "-15 %" a percentage off, "-2.00" or "2.00 off" an amount off.

    Raises Refused where it is none, nothing, or more than everything.
    """
    said = " ".join(text.split())
    if percent := _PERCENT.fullmatch(said):
        number, _ = quantities.split_number(percent[1], "number", "15")
        if not 0 < number < 100 or number != round(number, 2):
            raise Refused.because(
                "sale.percent",
                f"“{said[:40]}” can’t be taken off. Write a percentage below 100, such as 15 %.",
            )
        return Reduction(TakesOff.PERCENT, round(number, 2), ends_so)
    if off := _OFF.fullmatch(said):
        amount = quantities.parse_money((off[1] or off[2]).strip(), currency)
        if not amount:
            raise Refused.because("sale.nothing", f"“{said[:40]}” takes nothing off. Write an amount, such as -2.00.")
        return Reduction(TakesOff.AMOUNT, amount, ends_so)
    if not said:
        raise Refused.because(
            "sale.empty", "Say what it costs: a price such as 7.90, 15 % off, or an amount off such as -2.00."
        )
    return Reduction(TakesOff.PRICE, quantities.parse_money(said, currency), ends_so)


def typed_reduction(found: Reduction) -> str:
    """As its field shows it; ``reduction`` reads it back."""
    if found.takes_off is TakesOff.PRICE:
        return f"{found.amount:.2f}"
    if found.takes_off is TakesOff.PERCENT:
        return f"{found.amount.normalize():f} %"
    return f"-{found.amount:.2f}"


@dataclass(frozen=True)
class Place:
    """Where and when typed amounts and moments are read: the shop's time zone, currencies by destination."""

    zone: ZoneInfo
    currency: str
    currencies: Mapping[str, str]
    destinations: Mapping[str, str]
    promotions: Sequence[int] = ()


def read(raw: Mapping[str, str], start: Sale, place: Place) -> tuple[Sale, list[Problem]]:
    """A sale from what was typed; a field that can't be read keeps its value and gives a problem at its place."""
    problems: list[Problem] = []
    found = start
    destination = raw.get("destination", start.destination)
    if destination not in place.destinations:
        problems.append(
            Problem("sale.destination", "This destination is not there any more. Choose another.", "destination")
        )
        destination = start.destination
    found = replace(found, destination=destination)
    reads: dict[str, Callable[[str], dict[str, Any]]] = {
        "title": lambda text: {"title": one_line(text, TITLE_LENGTH, "A title", "title")},
        "amount": lambda text: {
            "reduction": reduction(
                text, place.currencies.get(destination, place.currency), ends_so=raw.get("ends_so") == "yes"
            )
        },
        "begins": lambda text: {"begins": moments.parse(text, place.zone)} if text.strip() else {},
        "ends": lambda text: {"ends": moments.parse(text, place.zone) if text.strip() else None},
        "promotion": lambda text: {"promotion_id": _promotion(text, place.promotions)},
        "joined": lambda text: {"joined": text == "yes"},
    }
    for name, one in reads.items():
        if name in raw:
            try:
                found = replace(found, **one(raw[name]))
            except Refused as refusal:
                problems += [replace(problem, field=name) for problem in refusal.problems]
    if found.ends is not None and found.ends <= found.begins and not problems:
        what = "It ends before it begins: choose a later end, or leave it empty until you end it yourself."
        problems.append(Problem("sale.ends", what, "ends"))
    return found, problems


def _promotion(text: str, known: Sequence[int]) -> int | None:
    if not text.strip():
        return None
    if not text.isdecimal() or int(text) not in known:
        raise Refused.because("sale.promotion", "This promotion is not there any more. Choose another.")
    return int(text)


@dataclass(frozen=True)
class PromotionTyped:
    """A promotion as it was read."""

    code: str
    name: str
    kind: PromotionKind
    begins: datetime
    ends: datetime | None


def read_promotion(raw: Mapping[str, str], zone: ZoneInfo, now: datetime) -> PromotionTyped:
    """A promotion from what was typed. Raises Refused with everything that is wrong."""
    problems: list[Problem] = []
    name, code = raw.get("name", "").strip(), raw.get("code", "").strip()
    if not name or len(name) > TITLE_LENGTH:
        problems.append(Problem("promotion.name", "A promotion needs a name of 1 to 120 characters.", "name"))
    if not _CODE.fullmatch(code):
        problems.append(
            Problem("promotion.code", "Its id is of letters, digits, dots and dashes, such as WINTER-26.", "code")
        )
    kind = raw.get("kind", "")
    if kind not in tuple(PromotionKind):
        problems.append(Problem("promotion.kind", "Choose what kind of promotion it is.", "kind"))
    begins, ends = now, None
    for field in ("begins", "ends"):
        text = raw.get(field, "").strip()
        try:
            at = moments.parse(text, zone, field) if text else None
            begins, ends = (at or now, ends) if field == "begins" else (begins, at)
        except Refused as refusal:
            problems += refusal.problems
    if not problems and ends is not None and ends <= begins:
        problems.append(Problem("promotion.ends", "It ends before it begins: choose a later end.", "ends"))
    if problems:
        raise Refused(problems)
    return PromotionTyped(code, name, PromotionKind(kind), begins, ends)


def read_quantity_price(
    number: str, text: str, currency: str, destination: str = "", variant_id: int | None = None
) -> QuantityPrice:
    """From how many pieces on, and what a piece costs then. Raises Refused."""
    said = number.strip()
    if not said.isdecimal() or not 2 <= int(said) <= MOST_QUANTITY:
        raise Refused.because(
            "quantity.number", f"“{said[:20]}” is no number of pieces from which on it costs less. Write 2 or more."
        )
    return QuantityPrice(0, int(said), reduction(text, currency), destination, variant_id)
