"""How the goods of one order are sent: what that costs in all, between which days they arrive, and what can't go.

Goods of one delivery promise go together: their weights and values add up before a step is looked for. Goods that have
a cost of their own for the country pay that for each piece and weigh nothing in the rest. "Free from" looks at all that
is ordered. What is downloaded, or a service, is not sent.
"""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from decimal import ROUND_CEILING, Decimal

from graupel.core import delivery
from graupel.core.delivery import Arrival, Promise, Way, Working
from graupel.core.price_rules import rounded

NOTHING = Decimal(0)


@dataclass(frozen=True)
class Piece:
    """A line as it is sent. ``value``: of the line; ``own``: by country what one costs; ``ready_on``: when it is there
    again."""

    line_id: int
    way: Way
    quantity: Decimal = Decimal(1)
    weight_g: int = 0
    value: Decimal = NOTHING
    promise: Promise | None = None
    own: Mapping[str, Decimal] = field(default_factory=dict)
    not_to: Collection[str] = ()
    ready_on: date | None = None


@dataclass(frozen=True)
class Sending:
    """What is told of an order. ``ships``: something is sent; ``cost``: None where it is heavier or dearer than any
    step says; ``not_sent``: the lines that do not go to the country."""

    ships: bool = False
    cost: Decimal | None = NOTHING
    arrival: Arrival | None = None
    not_sent: Sequence[int] = ()


def countries_of(pieces: Iterable[Piece]) -> frozenset[str]:
    """The countries to which all that is sent of an order goes; empty where nobody says where goods go."""
    found: frozenset[str] | None = None
    for one in pieces:
        if one.way is Way.SHIPPED and one.promise:
            to = frozenset(code for zone in one.promise.zones for code in zone.countries) - frozenset(one.not_to)
            found = to if found is None else found & to
    return found or frozenset()


def sending(pieces: Sequence[Piece], country: str, working: Working, now: datetime) -> Sending:
    """How an order goes to a country. ``now``: in the shop's zone."""
    sent = [one for one in pieces if one.way is Way.SHIPPED]
    promised = [one for one in sent if one.promise]
    if not promised:
        return Sending(bool(sent))
    goes = {one.line_id: _zone(one, country) for one in promised}
    not_sent = [key for key, zone in goes.items() if zone is None]
    if not_sent:
        return Sending(True, None, None, not_sent)
    value = sum((one.value for one in pieces), NOTHING)
    costs: list[Decimal | None] = [_own(one, country) for one in promised if country in one.own]
    together: dict[int, list[Piece]] = {}
    for one in promised:
        if country not in one.own and one.promise:
            together.setdefault(one.promise.id, []).append(one)
    costs += [_together(group, country, value) for group in together.values()]
    known = [one for one in costs if one is not None]
    arrivals = [
        delivery.arrives(now, zone, working, one.ready_on)
        for one in promised
        if (zone := goes[one.line_id]) is not None
    ]
    arrival = Arrival(max(one.first for one in arrivals), max(one.last for one in arrivals))
    return Sending(True, sum(known, NOTHING) if len(known) == len(costs) else None, arrival)


def _zone(one: Piece, country: str) -> delivery.Zone | None:
    return None if one.promise is None or country in one.not_to else one.promise.zone(country)


def _own(one: Piece, country: str) -> Decimal:
    return rounded(one.own[country] * one.quantity.to_integral_value(ROUND_CEILING))


def _together(group: Sequence[Piece], country: str, whole: Decimal) -> Decimal | None:
    """What goods of one promise cost together; ``whole``: the value of all that is ordered."""
    promise = group[0].promise
    zone = promise.zone(country) if promise else None
    if promise is None or zone is None:
        return None
    if zone.free_from is not None and whole >= zone.free_from:
        return NOTHING
    weight = sum(one.weight_g for one in group)
    return delivery.cost(promise, zone, weight, sum((one.value for one in group), NOTHING))
