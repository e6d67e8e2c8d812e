"""Files that come by themselves: when they are looked for, what is read of a form, and whether one is brought in."""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime, time, timedelta
from typing import Any

from graupel.core.errors import Refused
from graupel.core.file_pictures import is_address
from graupel.core.problems import Problem
from graupel.core.product_fields import one_line
from graupel.core.schedules import next_daily
from graupel.core.showing import plural

HOUR, DAY = "hour", "day"
NAME_LENGTH, PLACE_LENGTH, MOST_PERCENT = 120, 2_000, 100
#: A file in the folder for them: its name, or a pattern of it.
_PATTERN = re.compile(r"[^/\\\0]{1,200}")


@dataclass(frozen=True)
class Source:
    """Where files come from.

    ``place``: an address, or a name or pattern of files in the folder for them; ``minute``: of the hour, or of the day
    in the shop's time zone; ``bound``: it asks where more than so many per cent of prices would change, None never.
    """

    name: str
    place: str
    profile_id: int
    every: str = DAY
    minute: int = 0
    bound: int | None = None
    leave_out: bool = False


def is_fetched(place: str) -> bool:
    """Whether a file is fetched from there, not taken out of the folder."""
    return "://" in place


def shown_minute(every: str, minute: int) -> str:
    """When it is looked for, as it is typed."""
    hours, left = divmod(minute, 60)
    return f"{hours:02}:{left:02}" if every == DAY else f"{left:02}"


def next_after(every: str, minute: int, after: datetime, zone: str) -> datetime:
    """When it is looked for next after a moment; both UTC."""
    if every == DAY:
        return next_daily(after, time(minute // 60 % 24, minute % 60), zone)
    start = after.replace(minute=0, second=0, microsecond=0)
    found = start + timedelta(minutes=minute % 60)
    return (found if found > after else found + timedelta(hours=1)).astimezone(UTC)


def read(texts: Mapping[str, str], profiles: Mapping[int, str]) -> Source:
    """What was typed. Raises Refused with a problem for each field that is wrong."""
    problems: list[Problem] = []

    def tried(name: str, read_one: Any) -> Any:
        try:
            return read_one(texts.get(name, "").strip())
        except Refused as refusal:
            problems.extend(problem.at(field=name) for problem in refusal.problems)
            return None

    name = tried("name", _name)
    place = tried("place", _place)
    bound = tried("bound", _bound)
    every = HOUR if texts.get("every") == HOUR else DAY
    minute = tried("at", lambda text: read_minute(text, every))
    profile = texts.get("profile", "")
    profile_id = int(profile) if profile.isascii() and profile.isdigit() and len(profile) < 10 else 0
    if profile_id not in profiles:
        problems.append(Problem("source.profile", "Choose the profile by which its files are read.", "profile"))
    if problems:
        raise Refused(problems)
    return Source(name, place, profile_id, every, minute, bound, bool(texts.get("leave_out")))


def _name(text: str) -> str:
    found = one_line(text, NAME_LENGTH, "A name", "name")
    if not found:
        raise Refused.because("source.name", "It needs a name, such as Stock of Carrow Mill.")
    return found


def _place(text: str) -> str:
    if len(text) > PLACE_LENGTH:
        raise Refused.because("source.place", f"An address has at most {PLACE_LENGTH:,} signs.")
    if text and (is_address(text) or (_PATTERN.fullmatch(text) and text not in (".", ".."))):
        return text
    said = "Write an address, https://…, or the name of a file in the folder, such as stock-*.csv."
    raise Refused.because("source.place", said)


def read_minute(text: str, every: str) -> int:
    """When it is, as typed: a time of the day, or a minute of the hour. Raises Refused."""
    found = re.fullmatch(r"(?:([01]?\d|2[0-3]):)?([0-5]\d)", text) if text.isascii() else None
    if found is None or (every == DAY and found[1] is None):
        said = "Say when: 06:30 for a day, 15 for a minute of each hour."
        raise Refused.because("source.at", said)
    return int(found[2]) + (int(found[1]) * 60 if every == DAY else 0)


def _bound(text: str) -> int | None:
    if not text:
        return None
    plain = text.removesuffix("%").strip()
    if not plain.isascii() or not plain.isdigit() or len(plain) > 3 or int(plain) > MOST_PERCENT:
        raise Refused.because("source.bound", f"Per cent are a whole number from 0 to {MOST_PERCENT}, or nothing.")
    return int(plain)


def asks(counts: Mapping[str, int], changed_prices: int, bound: int | None, *, leave_out: bool) -> str:
    """Why somebody has to look at a dry run before it is brought in; "" where nobody has to.

    ``counts``: rows by action; ``changed_prices``: rows that change a price.
    """
    if counts.get("archived"):
        return f"It would archive goods: {counts['archived']:,}."
    if counts.get("refused") and not leave_out:
        return f"{plural(counts['refused'], 'row is', 'rows are')} refused."
    there = counts.get("changed", 0) + counts.get("unchanged", 0)
    if bound is not None and there and changed_prices * 100 > bound * there:
        return f"{changed_prices:,} of {there:,} prices would change, more than {bound} per cent."
    return ""
