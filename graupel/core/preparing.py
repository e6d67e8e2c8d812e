"""Whether what was prepared can still be done: what of it holds, what is done already, and what was changed since."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from graupel.core.past import State

#: Where more than one value in so many was changed since, it does not rest any more on what it was prepared on.
MOST_MOVED = 10


@dataclass(frozen=True)
class Standing:
    """How a record stands to what was prepared of it.

    ``writes``: the fields that are still as they were, () of one that comes or goes whole; ``moved``: those that
    somebody changed since; ``values``: how many were prepared. ``whole``: whether a record that was to be made, or
    removed, still can be.
    """

    writes: tuple[str, ...] = ()
    moved: tuple[str, ...] = ()
    values: int = 1
    whole: bool = False


def standing(was: State, became: State, now: State, wholes: Iterable[Sequence[str]] = ()) -> Standing:
    """``now``: what the record holds, None where it is not there. ``wholes``: fields that mean something only together,
    so that where one was changed since, all stay."""
    if was is None:
        return Standing(whole=now is None)
    if became is None:
        same = now is not None and all(now.get(name) == value for name, value in was.items())
        return Standing(moved=() if same or now is None else ("",), whole=same)
    if now is None:
        return Standing(moved=tuple(became), values=len(became))
    open_ = [name for name in became if now.get(name) != became[name]]
    moved = {name for name in open_ if now.get(name) != was.get(name)}
    moved |= {name for whole in wholes if moved & set(whole) for name in whole if name in open_}
    writes = tuple(name for name in open_ if name not in moved)
    return Standing(writes, tuple(name for name in open_ if name in moved), len(became))


def rests(standings: Iterable[Standing]) -> bool:
    """Whether so little was changed since that the rest can be done without it."""
    found = list(standings)
    return sum(len(one.moved) for one in found) * MOST_MOVED <= sum(one.values for one in found)
