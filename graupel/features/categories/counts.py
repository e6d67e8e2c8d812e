"""How many products the categories have: told by the area that holds the products."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from graupel.context import Context
from graupel.db import Tx


@dataclass(frozen=True)
class Counts:
    """Products by category id: ``own`` stand in it, ``below`` in it or anywhere below, each counted once."""

    own: Mapping[int, int] = field(default_factory=dict)
    below: Mapping[int, int] = field(default_factory=dict)


#: Names of products that stand in a category, for choosing its lead: told by the same area.
Leads = Callable[[Context, int, int | None], list[tuple[int, str]]]
_LEADS: list[Leads] = []


def register_leads(leads: Leads) -> None:
    """Make the naming known."""
    _LEADS[:] = [leads]


def leads(ctx: Context, category_id: int, chosen: int | None) -> list[tuple[int, str]]:
    """Products of a category and all below it with their names, the chosen one among them."""
    return _LEADS[0](ctx, category_id, chosen) if _LEADS else []


Counter = Callable[[Context, Tx], Counts]
_COUNTERS: list[Counter] = []


def register(counter: Counter) -> None:
    """Make the counting known."""
    _COUNTERS[:] = [counter]


def of(ctx: Context) -> Counts:
    """The counts as they are now."""
    return ctx.db.run(lambda tx: _COUNTERS[0](ctx, tx)) if _COUNTERS else Counts()
