"""When something that is done every day is due next, in the shop's time zone."""

from datetime import UTC, datetime, time, timedelta
from zoneinfo import ZoneInfo


def next_daily(after: datetime, at: time, zone: str) -> datetime:
    """The first moment after ``after`` (both in UTC) at which clocks in ``zone`` show ``at``.

    Every day has one. Where clocks are put forward over it, it is as much later as they were put; where they are put
    back and show it twice, it is the first (PEP 495, fold=0).
    """
    place = ZoneInfo(zone)
    day = after.astimezone(place).date()
    for ahead in range(3):
        moment = datetime.combine(day + timedelta(days=ahead), at, place).astimezone(UTC)
        if moment > after:
            return moment
    raise AssertionError("unreachable: a day has at most 25 hours")
