"""Numbers, amounts, weights and times as pages show them. ``locale``: of the language in which they are shown."""

from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from functools import lru_cache
from typing import Any
from zoneinfo import ZoneInfo

from babel.dates import format_date, format_datetime, format_timedelta
from babel.numbers import format_currency, format_decimal, get_decimal_symbol

from graupel.core.quantities import format_money, format_weight

#: The shape that stands beside a product's status.
STATUS_STONES = {"draft": "ring", "live": "full", "archived": "dash"}


@lru_cache(5000)
def number(value: Any, locale: str) -> str:
    """ "2,214" """
    return format_decimal(value, locale=locale)


def amount(value: Decimal | None, locale: str) -> str:
    """An amount as a table of a language shows it; in English as a field does. "" for none."""
    if value is None or locale == "en":
        return format_money(value)
    return format_decimal(value, "#,##0.00", locale=locale)


def money(value: Decimal, currency: str, locale: str) -> str:
    """An amount with its currency."""
    text: str = format_currency(value, currency, locale=locale)
    return text


def weight(grams: int | None, locale: str) -> str:
    """A weight with the decimal mark of a language; "" for none."""
    text = format_weight(grams)
    return text.replace(".", get_decimal_symbol(locale))


def _utc(at: datetime) -> datetime:
    return at.replace(tzinfo=UTC) if at.tzinfo is None else at


def when(at: datetime | None, zone: ZoneInfo, locale: str) -> str:
    """ "3 Nov 2026, 14:05" """
    return "" if at is None else format_datetime(_utc(at).astimezone(zone), "d MMM y, HH:mm", locale=locale)


def day(at: datetime, zone: ZoneInfo, locale: str) -> str:
    """ "21 Nov", with the time where that is not midnight, and with the year where it is not this one."""
    local = _utc(at).astimezone(zone)
    year = "" if local.year == datetime.now(zone).year else " y"
    time = "" if (local.hour, local.minute) == (0, 0) else ", HH:mm"
    return format_datetime(local, f"d MMM{year}{time}", locale=locale)


def short_day(at: datetime, locale: str) -> str:
    """ "21 Nov", of a moment in the shop's time zone."""
    text: str = format_datetime(at, "d MMM", locale=locale)
    return text


#: Languages whose plain locale would put the month first, as only one of their countries does.
_DAY_FIRST = {"en"}


def date_of(day: date, locale: str) -> str:
    """ "24 Dec 2026" """
    return format_date(day, "d MMM y" if locale in _DAY_FIRST else "medium", locale=locale)


def buyers_day(at: datetime, zone: ZoneInfo, locale: str) -> str:
    """A day and time as buyers read it: "8 December 2026, 18:00"; of midnight the day before, which is the last one."""
    local = _utc(at).astimezone(zone)
    if (local.hour, local.minute) == (0, 0):
        return buyers_date(local.date() - timedelta(days=1), locale)
    return f"{buyers_date(local.date(), locale)}, {local:%H:%M}"


def buyers_date(day: date, locale: str) -> str:
    """A day as buyers read it: "8 December 2026"."""
    return format_date(day, "d MMMM y" if locale in _DAY_FIRST else "long", locale=locale)


#: Languages that write the number of a day as an ordinal.
_ORDINAL_DAYS = {"da", "de"}


def weekday(day: date, locale: str) -> str:
    """A day of this or the next week as buyers read it: "Thursday, 3 December"."""
    dot = "." if locale.partition("_")[0] in _ORDINAL_DAYS else ""
    return format_date(day, f"EEEE, d{dot} MMMM", locale=locale)


def ago(at: datetime | None, locale: str) -> str:
    """ "2 hours ago" """
    if at is None:
        return ""
    seconds = int((_utc(at) - datetime.now(UTC)).total_seconds())
    return "just now" if seconds > -45 else _delta(seconds // 30 * 30, locale)


@lru_cache(2000)
def _delta(seconds: int, locale: str) -> str:
    return format_timedelta(seconds, add_direction=True, locale=locale, threshold=1.2)


def size(count: int) -> str:
    """Bytes: "1.2 MB" """
    return f"{count / 1_000_000:.1f} MB" if count >= 1_000_000 else f"{max(1, round(count / 1000)):,} kB"
