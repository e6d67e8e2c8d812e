"""The products table as it was at a moment: what was otherwise of the products that it shows now."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

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
    """A page of such a table. ``total``: of how many products; ``next``: the product after which more stand."""

    at: datetime
    lines: Sequence[LineThen]
    total: int
    next: int | None


def read(ctx: Context, actor: Actor, state: TableState, at: datetime, after: int = 0) -> TableThen:
    """The products that fit a view now, as they were at a moment, UTC. Raises Refused for one ahead, or forgotten."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> TableThen:
        now = ctx.now(tx)
        if at > now:
            raise Refused.because("moment.ahead", "That moment is still to come. Choose one in the past.", "at")
        keeping.refuse_forgotten(tx, at)
        fitting = table.matching(ctx, tx, state)
        ids = [one for one in fitting if one > after][: PAGE_SIZE + 1]
        more = ids[PAGE_SIZE - 1] if len(ids) > PAGE_SIZE else None
        return TableThen(at, _lines(ctx, tx, ids[:PAGE_SIZE], at, now), len(fitting), more)

    return ctx.db.run(work)


def _lines(ctx: Context, tx: Tx, ids: Sequence[int], at: datetime, now: datetime) -> list[LineThen]:
    past = as_of.of_records(tx, ctx.settings.language, "product", ids, ("variant",), [at, now])
    names = Names(categories.current(ctx, tx).path, vocabulary.names_of(tx, "brand").get)
    found = []
    for product_id in ids:
        then, there = (_line(past.then[moment], product_id, names) for moment in (at, now))
        found.append(LineThen(product_id, then, there or {}))
    return found


def _line(states: Wanted, product_id: int, names: Names) -> dict[str, str] | None:
    variants = [one for (kind, _), one in states.items() if kind == "variant" and one]
    mine = [one for one in variants if one.get("product_id") == product_id]
    return past_table.line(states.get(("product", product_id)), mine, names)
