"""The lowest price of the days before a reduction, from what the record has of typed prices and of sales.

Source of the rule: Directive 98/6/EC, article 6a: a reduction is told together with the lowest price of a period of at
least 30 days before it.
"""

from bisect import bisect_right
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import Decimal
from operator import itemgetter

DAYS = timedelta(days=30)


@dataclass(frozen=True)
class Change:
    """A typed price changed at a moment; ``was``: what stood at ``key`` before, None for nothing."""

    at: datetime
    key: str
    was: Decimal | None


Typed = Mapping[str, Decimal | None]


def states(now: Typed, changes: Iterable[Change], since: datetime, until: datetime) -> list[tuple[datetime, Typed]]:
    """What was typed from when on, between two moments, the earliest first; ``now``: as it is after all changes."""
    state = dict(now)
    found: list[tuple[datetime, Typed]] = []
    for change in sorted(changes, key=lambda one: one.at, reverse=True):
        if change.at <= since:
            break
        if change.at < until:
            found.append((change.at, dict(state)))
        state[change.key] = change.was
    return [(since, state), *reversed(found)]


def state_at(held: Sequence[tuple[datetime, Typed]], at: datetime) -> Typed:
    """What was typed at a moment; ``held``: as of ``states``."""
    return held[bisect_right(held, at, key=itemgetter(0)) - 1][1]


def lowest(
    held: Sequence[tuple[datetime, Typed]],
    boundaries: Iterable[datetime],
    until: datetime,
    ask: Callable[[Typed, datetime], Decimal | None],
) -> Decimal | None:
    """The lowest of what was asked from the first of ``held`` until ``until``; None where nothing was.

    ``boundaries``: moments at which sales began or ended; ``ask``: what was asked with these typed prices at a moment.
    """
    starts = sorted({at for at, _ in held} | {at for at in boundaries if held[0][0] < at < until})
    prices = [ask(state_at(held, at), at) for at in starts]
    return min((price for price in prices if price is not None), default=None)
