"""What changed between two states of a record, and how two people's changes come together."""

import hashlib
import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from typing import Any

Values = Mapping[str, Any]


def journal_value(value: Any) -> Any:
    """A field's value as the journal keeps it: money and quantities as a string with two decimals, a day as it is
    written, the rest as JSON has it."""
    if isinstance(value, Decimal):
        return f"{value:.2f}"
    if isinstance(value, date):
        return value.isoformat()
    return value


def journal_values(values: Values) -> dict[str, Any]:
    """A record's values as the journal keeps them."""
    return {name: journal_value(value) for name, value in values.items()}


def diff(before: Values, after: Values) -> tuple[dict[str, Any], dict[str, Any]]:
    """The fields that differ, as they were and as they are; only fields that ``after`` has count."""
    old, new = journal_values(before), journal_values(after)
    names = [name for name in new if old.get(name) != new[name]]
    return {name: old.get(name) for name in names}, {name: new[name] for name in names}


@dataclass(frozen=True)
class Conflict:
    """One field that two people changed to different values; ``settled``: one of them chose theirs or mine since."""

    field: str
    was: Any
    mine: Any
    theirs: Any
    settled: bool = False


@dataclass(frozen=True)
class Merge:
    """Two people's changes to the same record, brought together.

    ``values`` holds every field: mine where only I changed it, theirs where only they did, mine
    where both did; ``conflicts`` names the latter, ``taken`` the fields in which theirs came in.
    """

    values: dict[str, Any]
    conflicts: list[Conflict] = field(default_factory=list)
    taken: list[str] = field(default_factory=list)


def merge(base: Values, mine: Values, theirs: Values, settled: Mapping[str, str] | None = None) -> Merge:
    """A three-way merge by fields of journal values.

    ``settled``: conflicts in which somebody chose, with the mark of ``theirs`` that was shown; a choice counts as long
    as that is what stands there.
    """
    base, mine, theirs = journal_values(base), journal_values(mine), journal_values(theirs)
    merged, conflicts, taken = dict(mine), [], []
    for name, value in theirs.items():
        if name not in mine or value in (mine[name], base.get(name)):
            continue
        if mine[name] == base.get(name):
            merged[name] = value
            taken.append(name)
        else:
            chosen = (settled or {}).get(name) == marks({name: value})[name]
            conflicts.append(Conflict(name, base.get(name), mine[name], value, chosen))
    return Merge(merged, conflicts, taken)


def marks(values: Values) -> dict[str, str]:
    """A short mark of each value: by these a page knows later what it showed, without carrying all of it."""
    return {
        name: hashlib.sha256(json.dumps(value, sort_keys=True, default=str).encode()).hexdigest()[:12]
        for name, value in journal_values(values).items()
    }


#: What stood there when the page was made is neither mine nor theirs.
_SOMETHING_ELSE = object()


def meet(known: Mapping[str, str], mine: Values, theirs: Values) -> Merge:
    """A three-way merge where only the ``marks`` are known of what both began with.

    What one of the two has not, such as a fact, is None there; a field without a mark counts as nobody else's.
    """
    names = {*mine, *theirs}
    mine, theirs = ({name: journal_value(side.get(name)) for name in names} for side in (mine, theirs))
    mine_marks, their_marks = marks(mine), marks(theirs)

    def before(name: str) -> Any:
        if known.get(name, their_marks[name]) == their_marks[name]:
            return theirs[name]
        return mine[name] if known[name] == mine_marks[name] else _SOMETHING_ELSE

    return merge({name: before(name) for name in names}, mine, theirs)


def goes_back(after: Values, current: Values | None, wholes: Iterable[Sequence[str]] = ()) -> tuple[str, ...]:
    """The fields of a change that a roll back puts back: those that still hold what it wrote.

    ``wholes``: groups of fields that mean something only together; where one of a group was changed since, all stay.
    """
    if current is None:
        return ()
    now, wrote = journal_values(current), journal_values(after)
    held = {name for name, value in wrote.items() if now.get(name) == value}
    lost = {name for whole in wholes if set(whole) & (wrote.keys() - held) for name in whole}
    return tuple(name for name in wrote if name in held - lost)
