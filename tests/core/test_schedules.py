"""Every day at a time of the shop's zone, across summer time."""

from datetime import UTC, datetime, time, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core.schedules import next_daily

ZONES = ("Europe/Berlin", "America/St_Johns", "Australia/Lord_Howe", "Pacific/Apia", "UTC")


def utc(*parts):
    return datetime(*parts, tzinfo=UTC)


@pytest.mark.parametrize(
    ("after", "at", "expected"),
    [
        (utc(2027, 1, 10, 0, 0), time(2, 0), utc(2027, 1, 10, 1, 0)),
        (utc(2027, 1, 10, 1, 0), time(2, 0), utc(2027, 1, 11, 1, 0)),
        (utc(2027, 3, 27, 12, 0), time(2, 30), utc(2027, 3, 28, 1, 30)),  # that night there is no half past two
        (utc(2027, 3, 28, 1, 30), time(2, 30), utc(2027, 3, 29, 0, 30)),
        (utc(2027, 10, 30, 12, 0), time(2, 30), utc(2027, 10, 31, 0, 30)),  # that night there are two
        (utc(2027, 10, 31, 0, 30), time(2, 30), utc(2027, 11, 1, 1, 30)),
    ],
)
def test_summer_time_comes_and_goes_in_berlin(after, at, expected):
    assert next_daily(after, at, "Europe/Berlin") == expected


@given(st.datetimes(datetime(2000, 1, 1), datetime(2035, 1, 1)), st.times(), st.sampled_from(ZONES))
def test_the_next_time_lies_ahead_within_a_day_and_an_hour_and_is_shown_by_the_clock(after, at, zone):
    after = after.replace(tzinfo=UTC)
    found = next_daily(after, at, zone)
    # Apia left a whole day out once, at the end of 2011.
    assert after < found <= after + timedelta(hours=50 if zone == "Pacific/Apia" else 26)
    shown = found.astimezone(ZoneInfo(zone)).replace(tzinfo=None).time()
    later = (datetime.combine(found.date(), shown) - datetime.combine(found.date(), at)) % timedelta(days=1)
    assert later in (timedelta(0), timedelta(minutes=30), timedelta(hours=1))
