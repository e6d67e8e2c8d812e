"""Delivery: how goods arrive, what that costs, and when.

A delivery promise is a named rule: for some countries so many days of work, a cost by weight or value, free from an
amount. One stands for the shop, others for a type, a category or a product; the nearest counts.
"""

import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from enum import StrEnum
from typing import Any

from graupel.core import countries, quantities
from graupel.core.errors import Refused
from graupel.core.price_rules import rounded
from graupel.core.problems import Problem

MOST_DAYS = 365
MOST_STEPS = 12
NAME_LENGTH = 80


class Way(StrEnum):
    """How goods reach their buyer; only what is shipped asks for weight and carriage."""

    SHIPPED = "shipped"
    DOWNLOADED = "downloaded"
    SERVICE = "service"


class CostBy(StrEnum):
    """What the steps of a cost go by: the weight of what is sent, in grams, or its value."""

    WEIGHT = "weight"
    VALUE = "value"


WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")


@dataclass(frozen=True)
class Working:
    """When the shop works. ``days``: 0 for Monday; ``cut_off``: what is ordered before it, goes out on that day;
    ``closed``: single days without work."""

    days: frozenset[int] = frozenset(range(5))
    cut_off: time = time(14)
    closed: frozenset[date] = frozenset()

    def works(self, day: date) -> bool:
        """Whether it is a day of work."""
        return day.weekday() in self.days and day not in self.closed


@dataclass(frozen=True)
class Zone:
    """Countries to which goods go alike. ``first`` and ``last``: in how many days of work they arrive after they went
    out. ``steps``: up to so much (grams, or an amount; None: any more), what it costs. ``free_from``: an amount."""

    countries: frozenset[str]
    first: int
    last: int
    steps: Sequence[tuple[Decimal | None, Decimal]] = ()
    free_from: Decimal | None = None


@dataclass(frozen=True)
class Promise:
    """A delivery promise. A country that no zone has is not sent to."""

    id: int
    name: str
    cost_by: CostBy = CostBy.WEIGHT
    zones: Sequence[Zone] = field(default_factory=tuple)
    version: int = 1

    def zone(self, country: str) -> Zone | None:
        """The zone of a country; None where nothing is sent there."""
        return next((one for one in self.zones if country in one.countries), None)


def way_of(own: str, of_type: str = "") -> Way:
    """How goods are delivered: as they say, else as their type says, else shipped."""
    return Way(own or of_type or Way.SHIPPED)


def converted(promise: Promise, rate: Decimal, places: int) -> Promise:
    """A promise in another currency: its costs, from what amount on it is free, and bounds by value; half up."""

    def told(amount: Decimal) -> Decimal:
        return rounded(amount * rate, places)

    def bound(upto: Decimal | None) -> Decimal | None:
        return upto if upto is None or promise.cost_by is CostBy.WEIGHT else told(upto)

    zones = [
        replace(
            zone,
            steps=[(bound(upto), told(amount)) for upto, amount in zone.steps],
            free_from=None if zone.free_from is None else told(zone.free_from),
        )
        for zone in promise.zones
    ]
    return replace(promise, zones=zones)


def moved_on(day: date, count: int, working: Working) -> date:
    """The day that is so many days of work later. Raises Refused where no day is one."""
    for _ in range(count):
        day = _next_working(day + timedelta(days=1), working)
    return day


def _next_working(day: date, working: Working) -> date:
    for _ in range(MOST_DAYS * 2):
        if working.works(day):
            return day
        day += timedelta(days=1)
    raise Refused.because("work.none", "No day of the next two years is a day of work, so nothing would ever go out.")


def goes_out(now: datetime, working: Working, ready_on: date | None = None) -> date:
    """The day on which an order of now goes out; ``now``: in the shop's zone; ``ready_on``: when goods are back."""
    day = now.date()
    if now.time() >= working.cut_off:
        day += timedelta(days=1)
    if ready_on and ready_on > day:
        day = ready_on
    return _next_working(day, working)


@dataclass(frozen=True)
class Arrival:
    """Between which days goods arrive."""

    first: date
    last: date


def arrives(now: datetime, zone: Zone, working: Working, ready_on: date | None = None) -> Arrival:
    """When an order of now arrives."""
    out = goes_out(now, working, ready_on)
    return Arrival(moved_on(out, zone.first, working), moved_on(out, zone.last, working))


def cost(
    promise: Promise, zone: Zone, weight_g: int | None, value: Decimal, own: Decimal | None = None
) -> Decimal | None:
    """What delivery costs; None where it is heavier or dearer than any step says. ``own``: what the goods' own cost for
    the country is, which comes before the promise's."""
    if own is not None:
        return own
    if zone.free_from is not None and value >= zone.free_from:
        return Decimal(0)
    measured = Decimal(weight_g or 0) if promise.cost_by is CostBy.WEIGHT else value
    for upto, amount in zone.steps:
        if upto is None or measured <= upto:
            return rounded(amount)
    return Decimal(0) if not zone.steps else None


@dataclass(frozen=True)
class Sent:
    """What a buyer is told of the delivery of one variant to one country.

    ``to`` None: not sent there. ``arrival`` and ``amount``: None where nothing is known of them.
    """

    way: Way
    country: str
    to: Zone | None = None
    arrival: Arrival | None = None
    amount: Decimal | None = None
    promise: Promise | None = None


def sent(
    way: Way,
    country: str,
    promise: Promise | None,
    working: Working,
    now: datetime,
    weight_g: int | None,
    value: Decimal | None,
    *,
    ready_on: date | None = None,
    own: Mapping[str, Decimal] | None = None,
    not_to: Collection[str] = (),
) -> Sent:
    """What is told of a piece. ``own``: costs of these goods by country; ``not_to``: where they may not go."""
    if way is not Way.SHIPPED or promise is None:
        return Sent(way, country)
    zone = None if country in not_to else promise.zone(country)
    if zone is None:
        return Sent(way, country, promise=promise)
    amount = None if value is None else cost(promise, zone, weight_g, value, (own or {}).get(country))
    return Sent(way, country, zone, arrives(now, zone, working, ready_on), amount, promise)


# --- as it is typed ------------------------------------------------------------------------------------------


def parse_countries(text: str) -> frozenset[str]:
    """Countries by code or name, with commas: "DE, Austria". Raises Refused."""
    found = [countries.parse(one.strip()) for one in re.split(r"[,;\n]", text) if one.strip()]
    return frozenset(one for one in found if one)


def parse_days(text: str) -> tuple[int, int]:
    """Days of work, "2" or "2-4". Raises Refused."""
    match = re.fullmatch(r"(\d{1,3})(?:\s*(?:-|–|to)\s*(\d{1,3}))?", text.strip())
    if not match:
        raise Refused.because("days.unknown", f"“{text.strip()[:40]}” is no number of days. Write 2 or 2-4.")
    first, last = int(match[1]), int(match[2] or match[1])
    if last < first or last > MOST_DAYS:
        raise Refused.because("days.order", f"“{text.strip()[:40]}” ends before it begins, or lies too far off.")
    return first, last


def parse_steps(text: str, by: CostBy, currency: str) -> tuple[tuple[Decimal | None, Decimal], ...]:
    """Steps of a cost: "up to 1 kg 3.90, up to 5 kg 5.90, 8.90"; by value "up to 50 4.90, 0". Raises Refused."""
    parts = [part.strip() for part in re.split(r"[;\n]|,(?=\s)", text) if part.strip()]
    if len(parts) > MOST_STEPS:
        raise Refused.because("cost.many", f"At most {MOST_STEPS} steps are kept.")
    found: list[tuple[Decimal | None, Decimal]] = []
    for place, part in enumerate(parts):
        upto, amount = _step(part, by, currency)
        if upto is None and place != len(parts) - 1:
            raise Refused.because("cost.last", f"“{part[:40]}” has no bound, so what follows it never counts.")
        if upto is not None and found and upto <= (found[-1][0] or Decimal(0)):
            raise Refused.because("cost.order", f"“{part[:40]}” is not above the step before it.")
        found.append((upto, amount))
    return tuple(found)


def _step(part: str, by: CostBy, currency: str) -> tuple[Decimal | None, Decimal]:
    match = re.fullmatch(r"(?:up to|to|bis|<=?)\s*(.+?)\s*[:=]?\s+(\S+)", part, re.IGNORECASE)
    if not match:
        return None, quantities.parse_money(part, currency)
    bound = match[1].removesuffix(":").strip()
    upto = Decimal(quantities.parse_weight(bound)) if by is CostBy.WEIGHT else quantities.parse_money(bound, currency)
    return upto, quantities.parse_money(match[2], currency)


def show_steps(steps: Sequence[tuple[Decimal | None, Decimal]], by: CostBy) -> str:
    """Steps as they are typed."""

    def bound(upto: Decimal) -> str:
        return quantities.format_weight(int(upto)) if by is CostBy.WEIGHT else quantities.format_money(upto)

    return ", ".join(
        quantities.format_money(amount) if upto is None else f"up to {bound(upto)} {quantities.format_money(amount)}"
        for upto, amount in steps
    )


def parse_working(raw: Mapping[str, Any]) -> Working:
    """Days of work, cut-off and closed days as typed. Raises Refused."""
    days = frozenset(int(one) for one in raw.get("days", ()) if str(one).isdecimal() and int(one) < 7)
    if not days:
        raise Refused.because(
            "work.none", "Choose at least one day of work: without any, nothing would ever go out.", "days"
        )
    return Working(days, parse_time(str(raw.get("cut_off", ""))), parse_closed(str(raw.get("closed", ""))))


def parse_time(text: str) -> time:
    """A time of day, "14:00". Raises Refused."""
    try:
        return time.fromisoformat(text.strip()) if text.strip() else time(14)
    except ValueError:
        raise Refused.because(
            "work.time", f"“{text.strip()[:20]}” is no time of day. Write it like 14:00.", "cut_off"
        ) from None


def parse_closed(text: str) -> frozenset[date]:
    """Single days, "2026-12-24, 2026-12-25". Raises Refused."""
    found = set()
    for one in re.split(r"[,;\s]+", text.strip()):
        if one:
            try:
                found.add(date.fromisoformat(one))
            except ValueError:
                raise Refused.because(
                    "work.closed", f"“{one[:20]}” is no day. Write it like 2026-12-24.", "closed"
                ) from None
    return frozenset(found)


# --- what goods say of themselves ------------------------------------------------------------------------------


def parse_size(text: str) -> str | None:
    """A packed size as it is kept, in millimetres: "300x200x50" of "30 x 20 x 5 cm"; None for none. Raises Refused."""
    said = " ".join(text.lower().replace("×", "x").split())
    if not said:
        return None
    match = re.fullmatch(r"([\d.,]+)\s*x\s*([\d.,]+)\s*x\s*([\d.,]+)\s*(mm|cm|m)?", said)
    if not match:
        raise Refused.because(
            "size.unknown", f"“{text.strip()[:40]}” is no size. Write length x width x height: 30 x 20 x 5 cm."
        )
    times = {"mm": 1, "cm": 10, "m": 1000, None: 1}[match[4]]
    sides = [int(Decimal(side.replace(",", ".")) * times) for side in match.groups()[:3]]
    if not all(0 < side <= 20_000 for side in sides):
        raise Refused.because("size.range", f"“{text.strip()[:40]}” is no size of a parcel: each side lies below 20 m.")
    return "x".join(map(str, sides))


def show_size(kept: str | None) -> str:
    """A packed size as people read it: "30 x 20 x 5 cm"; what was typed and is none stays."""
    if not kept or not re.fullmatch(r"\d+x\d+x\d+", kept):
        return kept or ""
    sides = [Decimal(side) / 10 for side in kept.split("x")]
    return " x ".join(f"{side.normalize():f}" for side in sides) + " cm"


def parse_customs_code(text: str) -> str | None:
    """A code of the Harmonized System, 6 digits, or with the digits that a customs union adds, up to 10: "5109 10 10".

    Source: WCO, Harmonized System: chapters 01 to 97 without 77. Raises Refused.
    """
    digits = re.sub(r"[\s.]", "", text)
    if not digits:
        return None
    if not (digits.isascii() and digits.isdecimal()) or len(digits) not in (6, 8, 10):
        raise Refused.because("customs.form", f"“{text.strip()[:30]}” is no customs code: it has 6, 8 or 10 digits.")
    chapter = int(digits[:2])
    if not 1 <= chapter <= 97 or chapter == 77:
        raise Refused.because("customs.chapter", f"“{text.strip()[:30]}” begins with a chapter that is not there.")
    return digits


def problems_of(zones: Sequence[Zone]) -> list[Problem]:
    """What of the zones of a promise does not go together."""
    seen: dict[str, int] = {}
    found = []
    for place, zone in enumerate(zones):
        if not zone.countries:
            found.append(Problem("zone.countries", "Name at least one country.", f"countries-{place}"))
        for country in sorted(zone.countries & seen.keys()):
            message = f"{countries.name(country)} stands in two rows. Keep it in one."
            found.append(Problem("zone.twice", message, f"countries-{place}"))
        seen |= dict.fromkeys(zone.countries, place)
    if not zones:
        found.append(Problem("zone.none", "A promise needs at least one row of countries.", "countries-0"))
    return found
