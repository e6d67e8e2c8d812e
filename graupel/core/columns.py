"""What is done with the cells of a file on their way into a field: chosen once for a column, done for every row.

Cells go through a rule in this order: split, the part that is wanted, replaced, joined with others that go into the
same field, given a unit, and turned into the way in which the field is read: numbers by their decimal sign, days by
the order of their parts.
"""

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, fields, replace
from datetime import date
from enum import StrEnum
from typing import Any

from graupel.core import bars, identifiers
from graupel.core.errors import Refused
from graupel.core.records import FieldKind

LONGEST_TEXT, MOST_REPLACED, MOST_PARTS = 2_000, 500, 50


class Empty(StrEnum):
    """What an empty cell says."""

    LEAVE = "leave"
    CLEAR = "clear"


class DayOrder(StrEnum):
    """In which order the parts of a day stand, where its signs do not tell."""

    TOLD = ""
    DAY_FIRST = "dmy"
    MONTH_FIRST = "mdy"


@dataclass(frozen=True)
class Rule:
    """Where a field's values come from, and what is done with them.

    ``column``: the index of the column, None for one text for all rows, ``fixed``. ``split``: the sign at which a cell
    is split, of which the ``part`` th is taken, counted from 1, or from the end below 0. ``replaced``: whole cells and
    what stands for them, in any case of letters, ``within``: the same of what stands between bars. ``joined``: what
    stands between this and what came before of the same field. ``decimal``: "." or ",", the sign before decimals, ""
    where each number tells by itself. ``levels``: the sign between the names of a path; ``zeros``: those that a
    spreadsheet ate are put back before codes; ``left_out``: the codes of problems for which a cell says nothing,
    instead of refusing its row.
    """

    field: str
    column: int | None
    fixed: str = ""
    split: str = ""
    part: int = 1
    replaced: tuple[tuple[str, str], ...] = ()
    joined: str = " "
    unit: str = ""
    decimal: str = ""
    days: DayOrder = DayOrder.TOLD
    empty: Empty = Empty.LEAVE
    levels: str = ""
    zeros: bool = False
    left_out: tuple[str, ...] = ()
    within: tuple[tuple[str, str], ...] = ()

    @property
    def is_plain(self) -> bool:
        """The cell is taken as it is."""
        return self == Rule(self.field, self.column, joined=self.joined, empty=self.empty)

    def as_dict(self) -> dict[str, Any]:
        """As it is kept: what is said, and nothing else."""
        start = Rule("", None)
        return {"field": self.field, "column": self.column} | {
            name: value for name, value in asdict(self).items() if value != getattr(start, name)
        }

    @classmethod
    def of(cls, kept: Mapping[str, Any]) -> "Rule":
        """From what is kept."""
        known = {one.name for one in fields(cls)}
        said = {name: value for name, value in kept.items() if name in known}
        replaced, within = (tuple((was, now) for was, now in said.pop(name, ())) for name in ("replaced", "within"))
        left_out = tuple(said.pop("left_out", ()))
        return replace(
            cls(said.pop("field"), said.pop("column")),
            **said | {name: kind(said[name]) for name, kind in _KINDS.items() if name in said},
            replaced=replaced,
            within=within,
            left_out=left_out,
        )


_KINDS: Mapping[str, type[StrEnum]] = {"days": DayOrder, "empty": Empty}


@dataclass(frozen=True)
class Matching:
    """All rules of a file, those of one field together, in order."""

    rules: Mapping[str, tuple[Rule, ...]]

    @classmethod
    def of(cls, rules: Iterable[Rule]) -> "Matching":
        found: dict[str, tuple[Rule, ...]] = {}
        for rule in rules:
            found[rule.field] = (*found.get(rule.field, ()), rule)
        return cls(found)

    @property
    def cleared(self) -> frozenset[str]:
        """The fields that an empty cell empties."""
        return frozenset(name for name, rules in self.rules.items() if rules[-1].empty is Empty.CLEAR)


def text_of(rules: Sequence[Rule], cells: Sequence[str], kind: FieldKind) -> str:
    """What a row says of a field, as it is read then; "" where it says nothing. Raises Refused."""
    found = ""
    for rule in rules:
        text = _taken(rule, cells)
        if text:
            found = f"{found}{rule.joined}{text}" if found else text
    return converted(rules[-1], found, kind) if found else ""


def _taken(rule: Rule, cells: Sequence[str]) -> str:
    if rule.column is None:
        return rule.fixed.strip()
    text = cells[rule.column].strip() if rule.column < len(cells) else ""
    if rule.split and text:
        parts = [part.strip() for part in text.split(rule.split)]
        place = rule.part - 1 if rule.part > 0 else len(parts) + rule.part
        text = parts[place] if 0 <= place < len(parts) else ""
    if rule.replaced:
        text = _lookup(rule.replaced).get(_key(text), text)
    return _within(rule, text) if rule.within and text else text


def _within(rule: Rule, text: str) -> str:
    """A list with some of its parts read as others."""
    lookup = _lookup(rule.within)
    return bars.joined(lookup.get(_key(part), part) for part in bars.parted(text))


def _key(text: str) -> str:
    """A value as it is compared: in any case of letters, with any blanks, also around the > of a path."""
    return re.sub(r"\s*>\s*", " > ", " ".join(text.split())).casefold()


def mended(rule: Rule, was: str, now: str, *, of_lists: bool = False) -> Rule:
    """The same rule that reads one value as another; what was read as the first is read as the second too.

    ``of_lists``: its cells are lists, of which it is a part."""
    before = rule.within if of_lists else rule.replaced
    pairs = (*((cell, now if _key(read) == _key(was) else read) for cell, read in before), (was, now))
    return replace(rule, within=pairs) if of_lists else replace(rule, replaced=pairs)


_LOOKUPS: dict[tuple[tuple[str, str], ...], dict[str, str]] = {}


def _lookup(replaced: tuple[tuple[str, str], ...]) -> dict[str, str]:
    """Pairs as a dictionary, made once for each; few are in use at a time."""
    found = _LOOKUPS.get(replaced)
    if found is None:
        if len(_LOOKUPS) > 50:
            _LOOKUPS.clear()
        found = _LOOKUPS[replaced] = {_key(was): now.strip() for was, now in replaced}
    return found


NUMBERS = frozenset((FieldKind.MONEY, FieldKind.WEIGHT, FieldKind.QUANTITY, FieldKind.DECIMAL, FieldKind.COUNT))
#: A number of which a unit is not said.
_BARE = re.compile(r"[-+]?[\d.,'’ \u00a0\u202f]+")
#: What parts thousands, by the sign before decimals.
_GROUPED = {
    sign: re.compile(rf"(?<=\d)[{other}'’ \u00a0\u202f](?=\d{{3}}(?!\d))") for sign, other in ((".", ","), (",", "."))
}


def converted(rule: Rule, text: str, kind: FieldKind) -> str:
    """A text in the way in which a field of a kind is read. Raises Refused."""
    if kind in NUMBERS:
        if rule.decimal:
            text = _with_point(text, rule.decimal)
        if rule.unit and _BARE.fullmatch(text):
            text = f"{text} {rule.unit}"
    elif kind is FieldKind.DAY:
        text = day(text, rule.days)
    if rule.levels:
        text = " > ".join(part.strip() for part in text.split(rule.levels) if part.strip())
    return identifiers.with_zeros(text) if rule.zeros else text


_THREE = re.compile(r"[-+]?\d+\.\d{3}")


def _with_point(text: str, sign: str) -> str:
    """A number with a point before its decimals and nothing between its thousands."""
    text = _GROUPED[sign].sub("", text)
    other = "," if sign == "." else "."
    if other in text:
        said = f"“{text[:40]}” has a “{other}”, though “{sign}” stands before decimals in this column."
        raise Refused.because("number.decimal", said)
    text = text.replace(sign, ".")
    if _THREE.fullmatch(text):  # which could be thousands, had nobody said what the sign means
        text = text.rstrip("0").rstrip(".") if text.endswith("0") else f"{text}0"
    return text


_ISO = re.compile(r"(\d{4})-(\d{1,2})-(\d{1,2})(?:[T ].*)?")
_PARTS = re.compile(r"(\d{1,2})([./-]) ?(\d{1,2})\2 ?(\d{4}|\d{2})")


def day(text: str, order: DayOrder = DayOrder.TOLD) -> str:
    """A day as 2026-12-24, from that or from its parts in either order; what is no day stays as it is.

    Between points the day stands first, wherever they are used; between slashes only numbers above 12 tell, so anything
    else is refused unless ``order`` says it. Raises Refused.
    """
    if found := _ISO.fullmatch(text):
        return _checked(text, *found.groups())
    found = _PARTS.fullmatch(text)
    if not found:
        return text
    first, sign, second, year = found.groups()
    year = year if len(year) == 4 else f"20{year}"
    if order is DayOrder.TOLD and sign != "." and int(first) <= 12 and int(second) <= 12 and first != second:
        said = f"“{text}” can be two days. Say for its column which of its numbers is the day."
        raise Refused.because("day.ambiguous", said)
    month_first = order is DayOrder.MONTH_FIRST or (order is DayOrder.TOLD and sign != "." and int(second) > 12)
    return _checked(text, year, *((first, second) if month_first else (second, first)))


def _checked(text: str, year: str, month: str, number: str) -> str:
    try:
        return date(int(year), int(month), int(number)).isoformat()
    except ValueError:
        raise Refused.because("day.none", f"“{text[:40]}” is no day. Write it as 2026-12-24.") from None


# --- as typed ------------------------------------------------------------------------------------------------


def read_replaced(text: str) -> tuple[tuple[str, str], ...]:
    """Pairs from lines such as "small = S". Raises Refused."""
    found = []
    for line in text.splitlines():
        if not line.strip():
            continue
        was, sign, now = line.partition("=")
        if not sign or not was.strip():
            said = f"“{line.strip()[:40]}” is no pair. Write what stands in the file, = and what is meant."
            raise Refused.because("replaced.pair", said)
        found.append((was.strip(), now.strip()))
    if len(found) > MOST_REPLACED:
        raise Refused.because("replaced.many", f"At most {MOST_REPLACED} values can be replaced.")
    return tuple(found)


def show_replaced(pairs: Iterable[tuple[str, str]]) -> str:
    """As it is typed."""
    return "\n".join(f"{was} = {now}" for was, now in pairs)


def _replaced_words(rule: Rule) -> list[str]:
    found = []
    for pairs, where in ((rule.replaced, ""), (rule.within, " within lists")):
        if pairs:
            found.append(f"1 value{where} replaced" if len(pairs) == 1 else f"{len(pairs)} values{where} replaced")
    return found


def said(rule: Rule) -> str:
    """In a few words what is done with a cell; "as it is" where nothing is."""
    words = []
    if rule.split:
        which = {1: "first", 2: "second", 3: "third", -1: "last"}.get(rule.part, f"{rule.part}th")
        words.append(f"{which} part between “{rule.split.strip() or 'blanks'}”")
    words += _replaced_words(rule)
    if rule.unit:
        words.append(f"in {rule.unit}")
    if rule.decimal:
        words.append(f"“{rule.decimal}” before decimals")
    if rule.days is not DayOrder.TOLD:
        words.append("day before month" if rule.days is DayOrder.DAY_FIRST else "month before day")
    if rule.levels:
        words.append(f"“{rule.levels}” between names")
    if rule.zeros:
        words.append("zeros put back")
    if rule.left_out:
        words.append("cells that can’t be read left out")
    if rule.empty is Empty.CLEAR:
        words.append("empty cells empty it")
    return ", ".join(words) or "as it is"
