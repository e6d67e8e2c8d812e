"""What of a record is drawn over time: given by the areas that know its values."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime

from graupel.context import Context
from graupel.core.step_lines import Drawing, Series, began, draw
from graupel.db import Tx


@dataclass(frozen=True)
class Values:
    """Values of one kind over time, drawn together. ``form``: "money" or "quantity"."""

    title: str
    form: str
    series: Sequence[Series]


@dataclass(frozen=True)
class Chart:
    """The same as it is drawn."""

    title: str
    form: str
    drawing: Drawing


#: Tells the values of a record, by its id, between two moments, UTC.
Tell = Callable[[Context, Tx, int, datetime, datetime], Sequence[Values]]
_TELLING: dict[str, list[Tell]] = {}


def register(kind: str, tell: Tell) -> None:
    """Let values of a kind of record be drawn."""
    if tell not in _TELLING.setdefault(kind, []):
        _TELLING[kind].append(tell)


def of(ctx: Context, tx: Tx, kind: str, record_id: int, since: datetime, until: datetime) -> list[Chart]:
    """What is drawn of a record; nothing where no value changed in that time."""
    told = [one for tell in _TELLING.get(kind, ()) for one in tell(ctx, tx, record_id, since, until)]
    begins = [(one, began(one.series, since, until)) for one in told]
    drawn = [(one, draw(one.series, begin, until, ctx.zone)) for one, begin in begins if begin]
    return [Chart(one.title, one.form, drawing) for one, drawing in drawn if drawing]
