"""What reports of orders, payments, cancellations and returns do to stock.

Reports come in any order and more than once: a payment before its order, a return before its payment. So an order's
state is always worked out from all reports that are known of it, and what differs from what was booked is booked.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from decimal import Decimal
from enum import StrEnum


class Told(StrEnum):
    """What a report tells."""

    ORDERED = "ordered"
    PAID = "paid"
    CANCELLED = "cancelled"
    RETURNED = "returned"
    SENT = "sent"


@dataclass(frozen=True)
class Report:
    """One report. ``lines``: quantities by SKU; of a payment or cancellation without lines the whole order is meant."""

    told: Told
    lines: Mapping[str, Decimal] = field(default_factory=dict)


@dataclass(frozen=True)
class Claimed:
    """What an order does to the stock of one SKU: holds ``reserved``, took ``taken``, and ``returned`` came back."""

    reserved: Decimal = Decimal(0)
    taken: Decimal = Decimal(0)
    returned: Decimal = Decimal(0)


def claims(reports: Iterable[Report]) -> dict[str, Claimed]:
    """What the reports of one order come to, by SKU, in whatever order they came.

    What was ordered and not cancelled is reserved until it is paid, then taken. What comes back had been sent, and so
    counts as taken, paid or not.
    """
    known = list(reports)
    ordered, cancelled, returned = (_sums(known, told) for told in (Told.ORDERED, Told.CANCELLED, Told.RETURNED))
    all_cancelled = any(one.told is Told.CANCELLED and not one.lines for one in known)
    all_paid = any(one.told is Told.PAID and not one.lines for one in known)
    paid = _sums(known, Told.PAID)
    found = {}
    for sku, number in ordered.items():
        back = min(returned.get(sku, Decimal(0)), number)
        gone = number if all_cancelled else min(cancelled.get(sku, Decimal(0)), number)
        kept = max(number - gone, back)
        taken = kept if all_paid else min(max(paid.get(sku, Decimal(0)), back), kept)
        found[sku] = Claimed(kept - taken, taken, back)
    return found


@dataclass(frozen=True)
class Standing:
    """How an order stands: what was told of the whole of it. ``returned``: some of it came back."""

    paid: bool = False
    sent: bool = False
    cancelled: bool = False
    returned: bool = False


class Stack(StrEnum):
    """One of the stacks into which a shop puts its orders; an order can lie in several."""

    OPEN = "open"
    PAY = "pay"
    SEND = "send"
    BACK = "back"
    TRIAL = "trial"
    ALL = "all"


def stacks(stands: Standing, *, trial: bool, sent_here: bool) -> frozenset[Stack]:
    """In which stacks an order lies. ``trial``: it is one, and nobody has to do anything with it; ``sent_here``: it has
    goods that this shop sends: what another shop front reported is sent by others, who need not tell, and downloads are
    not sent."""
    if trial:
        return frozenset({Stack.TRIAL, Stack.ALL})
    found = {Stack.ALL}
    if not stands.cancelled and not stands.paid:
        found |= {Stack.PAY, Stack.OPEN}
    if not stands.cancelled and stands.paid and not stands.sent and sent_here:
        found |= {Stack.SEND, Stack.OPEN}
    if stands.cancelled or stands.returned:
        found.add(Stack.BACK)
    return frozenset(found)


def returnable(reports: Iterable[Report]) -> dict[str, Decimal]:
    """How many of each SKU of an order can still come back; those of which all did are left out."""
    known = list(reports)
    came = _sums(known, Told.RETURNED)
    ordered = _sums(known, Told.ORDERED)
    return {sku: left for sku, number in ordered.items() if (left := number - came.get(sku, Decimal(0))) > 0}


def standing(reports: Iterable[Report]) -> Standing:
    """How an order stands by its reports, in whatever order they came.

    It is paid, or sent, when all of it that was not cancelled is; cancelled when nothing of it is left.
    """
    known = list(reports)
    left = {sku: one.reserved + one.taken for sku, one in claims(known).items()}
    all_cancelled = any(one.told is Told.CANCELLED and not one.lines for one in known)

    def told_of_all(told: Told) -> bool:
        sums = _sums(known, told)
        whole = any(one.told is told and not one.lines for one in known)
        return whole or (bool(sums) and all(sums.get(sku, Decimal(0)) >= number for sku, number in left.items()))

    return Standing(
        told_of_all(Told.PAID),
        told_of_all(Told.SENT),
        all_cancelled or (bool(left) and not any(left.values())),
        any(one.told is Told.RETURNED for one in known),
    )


def _sums(reports: Iterable[Report], told: Told) -> dict[str, Decimal]:
    found: dict[str, Decimal] = {}
    for one in reports:
        if one.told is told:
            for sku, number in one.lines.items():
                found[sku] = found.get(sku, Decimal(0)) + number
    return found
