"""The products table as it was at a moment: what was otherwise of the products that it shows now, and which were there
then and are gone."""

from bisect import bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from graupel.context import Context
from graupel.core import past_table
from graupel.core.errors import Refused
from graupel.core.past_table import Names
from graupel.core.roles import Actor, Role
from graupel.core.tables import TableState
from graupel.db import Tx
from graupel.features.categories import service as categories
from graupel.features.history import as_of, keeping
from graupel.features.history.restoring import Wanted
from graupel.features.products import table
from graupel.features.vocabulary import service as vocabulary

PAGE_SIZE = 50
MOST_GONE = 200


@dataclass(frozen=True)
class LineThen:
    """A product ``then``, None where it was not there, and ``now``, by the columns of the table."""

    product_id: int
    then: Mapping[str, str] | None
    now: Mapping[str, str]

    @property
    def differing(self) -> set[str]:
        """The columns that say something else now."""
        return {name for name, text in self.now.items() if self.then is not None and self.then[name] != text}


@dataclass(frozen=True)
class TableThen:
    """A page of such a table. ``total``: of how many products; ``next``: the product after which more stand; ``gone``:
    with the first page those that were there then and are not now, whatever the view, of more than MOST_GONE the last
    ones."""

    at: datetime
    lines: Sequence[LineThen]
    total: int
    next: int | None
    gone: Sequence[LineThen] = ()


def read(ctx: Context, actor: Actor, state: TableState, at: datetime, after: int = 0) -> TableThen:
    """The products that fit a view now, as they were at a moment, UTC. Raises Refused for one ahead, or forgotten."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> TableThen:
        now = ctx.now(tx)
        if at > now:
            raise Refused.because("moment.ahead", "That moment is still to come. Choose one in the past.", "at")
        keeping.refuse_forgotten(tx, at)
        fitting = table.matching(ctx, tx, state)
        begin = bisect_right(fitting, after)  # their ids ascend
        ids = fitting[begin : begin + PAGE_SIZE + 1]
        more = ids[PAGE_SIZE - 1] if len(ids) > PAGE_SIZE else None
        gone = [] if after else _gone(ctx, tx, at, now)
        return TableThen(at, _lines(ctx, tx, ids[:PAGE_SIZE], at, now), len(fitting), more, gone)

    return ctx.db.run(work)


def _lines(ctx: Context, tx: Tx, ids: Sequence[int], at: datetime, now: datetime) -> list[LineThen]:
    past = as_of.of_records(tx, ctx.settings.language, "product", ids, ("variant",), [at, now])
    names = Names(categories.current(ctx, tx).path, vocabulary.names_of(tx, "brand").get)
    then, there = (_by_product(past.then[moment], ids, names) for moment in (at, now))
    return [LineThen(one, then[one], there[one] or {}) for one in ids]


def _gone(ctx: Context, tx: Tx, at: datetime, now: datetime) -> list[LineThen]:
    ids = as_of.gone_since(tx, "product", at, MOST_GONE)
    return [one for one in _lines(ctx, tx, ids, at, now) if one.then is not None] if ids else []


def _by_product(states: Wanted, ids: Sequence[int], names: Names) -> dict[int, dict[str, str] | None]:
    variants: dict[int, list[Mapping[str, Any]]] = {}
    for (kind, _), state in states.items():
        if kind == "variant" and state:
            variants.setdefault(int(state["product_id"]), []).append(state)
    return {one: past_table.line(states.get(("product", one)), variants.get(one, ()), names) for one in ids}
