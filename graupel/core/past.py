"""A record as it was at a moment, worked out backwards from what it is now and what the journal has of it."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

#: What a record holds, by field, as the journal keeps it; None where there is no such record.
State = Mapping[str, Any] | None


@dataclass(frozen=True)
class Step:
    """One change of a record. ``version``: the record's, after it; ``was`` and ``became``: the fields that changed, as
    they were and as they are, None where the record was not there."""

    at: datetime
    change_set_id: int
    version: int
    was: State
    became: State


def newest_first(steps: Iterable[Step]) -> list[Step]:
    """The steps of one record in the order in which they are undone.

    That of its versions: a long act carries the moment at which it began, and may have written last.
    """
    return sorted(steps, key=lambda step: (step.version, step.change_set_id), reverse=True)


def undone(now: State, step: Step) -> State:
    """What a record was before a step."""
    if step.was is None or step.became is None:
        return step.was
    return {**(now or {}), **step.was}


def as_of(now: State, steps: Iterable[Step], at: datetime) -> State:
    """What a record was at a moment; ``steps``: all of it since then, more do no harm.

    Undone is all that happened after the moment, and what was written over that.
    """
    waiting = newest_first(steps)
    later = [place for place, step in enumerate(waiting) if step.at > at]
    for step in waiting[: later[-1] + 1] if later else ():
        now = undone(now, step)
    return now
