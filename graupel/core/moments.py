"""Moments as people type them, in the shop's time zone, and as they are kept, in UTC."""

import re
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

from graupel.core.errors import Refused

_TYPED = re.compile(r"([0-9]{4}-[0-9]{2}-[0-9]{2})(?:[T ]([0-9]{2}:[0-9]{2})(?::[0-9]{2})?)?")
#: As programs send it: with its distance from UTC, so that nothing is left open.
_EXACT = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}T[0-9]{2}:[0-9]{2}:[0-9]{2}(?:\.[0-9]{3})?(?:Z|[+-][0-9]{2}:[0-9]{2})")


def parse(text: str, zone: ZoneInfo, field: str = "") -> datetime:
    """A moment in UTC from "2026-11-21T09:00", or "2026-11-21" for that day's beginning, as clocks in ``zone`` show it.

    An hour that clocks show twice is the first one (PEP 495, fold=0). Raises Refused for an hour that they leave out.
    "2026-11-21T09:00:00+01:00" is that very moment, whatever the zone.
    """
    if _EXACT.fullmatch(text):
        return _exact(text, field)
    found = _TYPED.fullmatch(text.strip())
    try:
        naive = datetime.fromisoformat(f"{found[1]}T{found[2] or '00:00'}" if found else "")
        local = naive.replace(tzinfo=zone)
        moment = local.astimezone(UTC)
    except (ValueError, OverflowError):
        raise Refused.because(
            "moment.unknown", f"“{text.strip()[:40]}” is no day and time. Write it like 2026-11-21 09:00.", field
        ) from None
    back = moment.astimezone(zone).replace(tzinfo=None)
    if back != naive:
        raise Refused.because(
            "moment.left_out",
            f"{naive:%H:%M} on {naive:%Y-%m-%d} does not exist: clocks are put forward over it. Write {back:%H:%M}.",
            field,
        )
    return moment


def _exact(text: str, field: str) -> datetime:
    try:
        return datetime.fromisoformat(text).astimezone(UTC)
    except (ValueError, OverflowError):
        raise Refused.because("moment.unknown", f"“{text[:40]}” is no moment.", field) from None


def exact(moment: datetime) -> str:
    """As programs send it, in UTC, to the millisecond: "2026-11-21T08:00:00.000Z"."""
    return f"{moment.astimezone(UTC):%Y-%m-%dT%H:%M:%S}.{moment.microsecond // 1000:03}Z"


def typed(moment: datetime | None, zone: ZoneInfo) -> str:
    """As its field shows it: "2026-11-21T09:00"; "" for none."""
    return "" if moment is None else f"{moment.astimezone(zone):%Y-%m-%dT%H:%M}"


def kept(moment: datetime | None) -> str | None:
    """As the table and the journal have it: UTC, to the second."""
    return None if moment is None else f"{moment.astimezone(UTC):%Y-%m-%d %H:%M:%S}"
