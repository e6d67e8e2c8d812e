"""A choice as it is typed: read from a form's texts, and told as texts again."""

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from datetime import date
from decimal import Decimal
from typing import Any, TypeVar

from graupel.core import quantities, terms
from graupel.core.choice_answers import LINE_LENGTH, TEXT_LENGTH, day_of
from graupel.core.choices import (
    CODE_LENGTH,
    HELP_LENGTH,
    LABEL_LENGTH,
    NAME_LENGTH,
    PICKED,
    AddsBy,
    Choice,
    Entry,
    Kind,
    Limits,
    Looks,
    problems_of,
)
from graupel.core.errors import Refused
from graupel.core.problems import Problem
from graupel.core.product_fields import one_line

T = TypeVar("T")
#: What a form sends of a choice, and of each of its entries.
FIELDS = (
    *("name", "label", "kind", "looks", "help", "needed", "message", "default_text", "least", "most", "places"),
    *("first_day", "last_day", "ahead_days", "within_days", "closed_weekdays", "closed_days"),
    *("file_kinds", "megabytes", "when"),
)
ENTRY_FIELDS = ("entry", "label", "adds", "once", "weight", "sku_code", "unshipped", "state", "swatch", "picture")
DEFAULT, SOLD_OUT = "default", "sold_out"
_WRITTEN = (Kind.LINE, Kind.TEXT)
_COUNTED = (Kind.SEVERAL, Kind.AMOUNTS, *_WRITTEN)
#: The kinds of choice in which a field means something; those not named here stand with all.
FIELD_KINDS: Mapping[str, tuple[Kind, ...]] = {
    "looks": (Kind.ONE,),
    "default_text": (*_WRITTEN, Kind.NUMBER),
    "least": (*_COUNTED, Kind.NUMBER),
    "most": (*_COUNTED, Kind.NUMBER),
    "places": (Kind.NUMBER,),
    **dict.fromkeys(
        ("first_day", "last_day", "ahead_days", "within_days", "closed_weekdays", "closed_days"), (Kind.DAY,)
    ),
    **dict.fromkeys(("file_kinds", "megabytes"), (Kind.FILE,)),
}
MESSAGE_LENGTH = 200
MOST_DAYS, MOST_MEGABYTES, MOST_CLOSED = 730, 100, 150
#: Kinds of file that a buyer may be asked for.
FILE_KINDS = ("jpg", "jpeg", "png", "webp", "pdf", "txt", "csv", "zip", "mp3", "mp4", "svg")
_CODE = re.compile(r"[A-Za-z0-9._/+-]*")
_SWATCH = re.compile(r"#[0-9A-Fa-f]{6}")
_MOST = Decimal(99_999_999)


class _Reading:
    """Reads texts one by one, and gathers what is wrong with them."""

    def __init__(self, raw: Mapping[str, str], place: int | None = None) -> None:
        self.raw, self.place = raw, place
        self.problems: list[Problem] = []

    def text(self, name: str) -> str:
        return self.raw.get(name, "").strip()

    def of(self, name: str, read: Callable[[str], T], empty: T) -> T:
        """A text as what it stands for; ``empty`` where nothing stands there, or what can't be read."""
        text = self.text(name)
        if not text:
            return empty
        try:
            return read(text)
        except Refused as refusal:
            at = name if self.place is None else f"{name}-{self.place}"
            self.problems += [one.at(field=at) for one in refusal.problems]
            return empty


def read(
    raw: Mapping[str, str],
    rows: Sequence[Mapping[str, str]],
    start: Choice,
    currency: str,
    others: Mapping[int, Choice],
) -> tuple[Choice, list[Problem]]:
    """A choice as typed, and what is wrong with it. ``rows``: its entries; ``start``: its id, product and version."""
    said = raw.get("kind", "").strip()
    kind = Kind(said) if said in tuple(Kind) else Kind.ONE
    # What was typed for another kind is left behind.
    reading = _Reading({name: text for name, text in raw.items() if kind in FIELD_KINDS.get(name, tuple(Kind))})
    looks = Looks(reading.text("looks")) if reading.text("looks") in tuple(Looks) else Looks.LIST
    entries, wrong = _entries(rows, kind, currency)
    when, _, when_entry = reading.text("when").partition(".")
    choice = replace(
        start,
        name=reading.of("name", lambda text: one_line(text, NAME_LENGTH, "A name", "choice"), ""),
        label=reading.of("label", lambda text: one_line(text, LABEL_LENGTH, "What buyers read", "choice"), ""),
        kind=kind,
        looks=looks,
        help=reading.of("help", lambda text: one_line(text, HELP_LENGTH, "The help", "choice"), ""),
        needed=bool(reading.text("needed")),
        message=reading.of("message", lambda text: one_line(text, MESSAGE_LENGTH, "The sentence", "choice"), ""),
        default=_default(reading, kind),
        limits=_limits(reading, kind),
        entries=entries,
        when=int(when) if when.isascii() and when.isdigit() and len(when) < 10 else None,
        when_entry=int(when_entry) if when_entry.isascii() and when_entry.isdigit() and len(when_entry) < 10 else None,
    )
    found = reading.problems + wrong
    told = {problem.field for problem in found}
    return choice, found + [one for one in problems_of(choice, others) if one.field not in told]


def _default(reading: _Reading, kind: Kind) -> str:
    most = TEXT_LENGTH if kind is Kind.TEXT else LINE_LENGTH
    text = reading.text("default_text")
    if len(text) > most or (kind is not Kind.TEXT and len(text.splitlines()) > 1):
        reading.problems.append(Problem("choice.default", f"At most {most} signs, in one line.", "default_text"))
        return ""
    return text


# --- limits --------------------------------------------------------------------------------------------------


def _limits(reading: _Reading, kind: Kind) -> Limits:
    """What holds of a kind: of a number by its decimals, of everything else in whole numbers."""
    places = reading.of("places", _whole("A number of decimals", 4), None) or 0
    count = _whole("A number of signs" if kind in _WRITTEN else "A number of entries", TEXT_LENGTH)
    bound = _number(places) if kind is Kind.NUMBER else lambda text: Decimal(count(text))
    days = _whole("A number of days", MOST_DAYS)
    return Limits(
        reading.of("least", bound, None),
        reading.of("most", bound, None),
        places,
        reading.of("first_day", _day, None),
        reading.of("last_day", _day, None),
        reading.of("ahead_days", days, None),
        reading.of("within_days", days, None),
        frozenset(int(one) for one in reading.text("closed_weekdays") if one in "0123456"),
        reading.of("closed_days", _days, frozenset()),
        reading.of("file_kinds", _kinds, ()),
        reading.of("megabytes", _whole("A size in MB", MOST_MEGABYTES, 1), None),
    )


def _whole(what: str, most: int, least: int = 0) -> Callable[[str], int]:
    def read_it(text: str) -> int:
        if not (text.isascii() and text.isdigit() and len(text) < 8 and least <= int(text) <= most):
            raise Refused.because("choice.number", f"{what}, please, from {least} to {most}.")
        return int(text)

    return read_it


def _number(places: int) -> Callable[[str], Decimal | None]:
    return lambda text: terms.number(text, "number", least=-_MOST, most=_MOST, places=places)


def _day(text: str) -> date | None:
    found = day_of(text)
    if found is None:
        raise Refused.because("choice.day", f"“{text[:20]}” is not a day. Write it as 2026-12-24.")
    return found


def _days(text: str) -> frozenset[date]:
    words = [word for word in re.split(r"[,;\s]+", text) if word]
    if len(words) > MOST_CLOSED:
        raise Refused.because("choice.days", f"At most {MOST_CLOSED} days are kept.")
    return frozenset(day for word in words if (day := _day(word)))


def _kinds(text: str) -> tuple[str, ...]:
    words = tuple(dict.fromkeys(word.lstrip(".").lower() for word in re.split(r"[,;\s]+", text) if word))
    unknown = [word for word in words if word not in FILE_KINDS]
    if unknown:
        raise Refused.because("choice.kinds", f"“{unknown[0][:20]}” is not known. Known are: {', '.join(FILE_KINDS)}.")
    return words


# --- entries -------------------------------------------------------------------------------------------------


def _entries(rows: Sequence[Mapping[str, str]], kind: Kind, currency: str) -> tuple[list[Entry], list[Problem]]:
    """Entries as typed; of kinds in which nothing is picked the first row alone, for "it was given"."""
    found: list[Entry] = []
    problems: list[Problem] = []
    picked = kind in PICKED
    for place, row in enumerate(rows if picked else rows[:1]):
        if picked and not any(text.strip() for name, text in row.items() if name not in ("entry", "once", "unshipped")):
            continue
        reading = _Reading(row, place)
        entry = _entry(reading, currency, picked=picked)
        if picked and not entry.label and not reading.problems:
            reading.problems.append(Problem("entry.label", "Say what buyers read here.", f"label-{place}"))
        found.append(entry)
        problems += reading.problems
    return (found or ([] if picked else [Entry(0)])), problems


def _entry(reading: _Reading, currency: str, *, picked: bool) -> Entry:
    by, amount = reading.of("adds", lambda text: parse_adds(text, currency), (AddsBy.NOTHING, Decimal(0)))
    return Entry(
        _id(reading.text("entry")) or 0,
        reading.of("label", lambda text: one_line(text, LABEL_LENGTH, "A label", "entry"), "") if picked else "",
        by,
        amount,
        bool(reading.text("once")),
        reading.of("weight", quantities.parse_weight, None),
        reading.of("sku_code", _code, ""),
        bool(reading.text("unshipped")),
        reading.text("state") == SOLD_OUT,
        reading.text("state") == DEFAULT,
        reading.of("swatch", _swatch, ""),
        _id(reading.text("picture")),
    )


def parse_adds(text: str, currency: str) -> tuple[AddsBy, Decimal]:
    """ "2.50", "+2.50", "-1", "10 %", "-5 %": how an entry changes the price, and by how much. Raises Refused."""
    plain = text.strip().replace("−", "-")
    if plain.endswith("%"):
        percent = terms.percentage(plain)
        return (AddsBy.PERCENT, percent) if percent else (AddsBy.NOTHING, Decimal(0))
    signed = plain[:1] in ("+", "-")
    amount = quantities.parse_money(plain[1:].strip() if signed else plain, currency)
    amount = -amount if plain.startswith("-") else amount
    return (AddsBy.FIXED, amount) if amount else (AddsBy.NOTHING, Decimal(0))


def show_adds(entry: Entry) -> str:
    """As it is typed: "+2.50", "-5 %"; "" where it changes nothing."""
    if entry.adds_by is AddsBy.PERCENT:
        return f"{entry.amount.normalize():+f} %"
    return f"{entry.amount:+.2f}" if entry.adds_by is AddsBy.FIXED else ""


def _code(text: str) -> str:
    if len(text) > CODE_LENGTH or not _CODE.fullmatch(text):
        raise Refused.because("entry.code", f"At most {CODE_LENGTH} letters, digits and . _ / + - without spaces.")
    return text


def _id(text: str) -> int | None:
    return int(text) if text.isascii() and text.isdigit() and len(text) < 10 else None


def _swatch(text: str) -> str:
    if not _SWATCH.fullmatch(text):
        raise Refused.because("entry.swatch", "A colour as #8C7AA0: # and six signs from 0 to 9 and A to F.")
    return text.upper()


# --- told as texts -------------------------------------------------------------------------------------------


def texts(choice: Choice) -> dict[str, str]:
    """What stands in the fields of a choice's form."""
    limits = choice.limits
    return {
        "name": choice.name,
        "label": choice.label,
        "kind": str(choice.kind),
        "looks": str(choice.looks),
        "help": choice.help,
        "needed": "yes" if choice.needed else "",
        "message": choice.message,
        "default_text": choice.default,
        "least": _shown(limits.least),
        "most": _shown(limits.most),
        "places": _shown(limits.places or None),
        "first_day": limits.first.isoformat() if limits.first else "",
        "last_day": limits.last.isoformat() if limits.last else "",
        "ahead_days": _shown(limits.ahead),
        "within_days": _shown(limits.within),
        "closed_weekdays": "".join(str(one) for one in sorted(limits.weekdays)),
        "closed_days": ", ".join(one.isoformat() for one in sorted(limits.days)),
        "file_kinds": ", ".join(limits.kinds),
        "megabytes": _shown(limits.megabytes),
        "when": ".".join(str(one) for one in (choice.when, choice.when_entry) if one is not None),
    }


def _shown(value: Decimal | int | None) -> str:
    return "" if value is None else f"{Decimal(value).normalize():f}"


def entry_texts(entry: Entry) -> dict[str, str]:
    """What stands in the fields of an entry."""
    state: Any = SOLD_OUT if entry.sold_out else DEFAULT if entry.is_default else ""
    return {
        "entry": str(entry.id) if entry.id else "",
        "label": entry.label,
        "adds": show_adds(entry),
        "once": "yes" if entry.once else "",
        "weight": quantities.format_weight(entry.weight_g),
        "sku_code": entry.sku_code,
        "unshipped": "yes" if entry.unshipped else "",
        "state": state,
        "swatch": entry.swatch,
        "picture": f"{entry.media_id or ''}",
    }
