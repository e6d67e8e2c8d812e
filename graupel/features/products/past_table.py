"""The products table as it was at a moment, through the lens: what was otherwise of the products that it shows now, and
which were there then and are gone."""

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from graupel.context import Context
from graupel.core.errors import Refused
from graupel.core.roles import Actor, Role
from graupel.core.tables import TableState
from graupel.db import DuplicateKey, Tx
from graupel.features.destinations.service import Seen
from graupel.features.history import as_of, keeping
from graupel.features.history.as_of import Past
from graupel.features.products import past, summary, table, table_cells
from graupel.features.products.table_cells import Row
from graupel.features.terms import stock_store

PAGE_SIZE = 50
MOST_GONE = 200
#: What is another at any moment, whatever happened.
_TIMES = ("changed", "made")


@dataclass(frozen=True)
class LineThen:
    """A product as the table drew it ``then`` and ``now``; None where it was, or is, not there."""

    product_id: int
    then: Row | None
    now: Row | None

    @property
    def differing(self) -> set[int]:
        """The places of the cells that say something else now."""
        if self.then is None or self.now is None:
            return set()
        pairs = enumerate(zip(self.then.cells, self.now.cells, strict=True))
        return {at for at, (then, now) in pairs if (then.text, then.chips, then.was) != (now.text, now.chips, now.was)}

    @property
    def is_renamed(self) -> bool:
        """Whether its name is another now."""
        return self.then is not None and self.now is not None and self.then.name != self.now.name


@dataclass(frozen=True)
class TableThen:
    """A page of such a table. ``columns``: those of which each row has a cell; ``total``: of how many products;
    ``next``: the product after which more stand; ``gone``: with the first page those that were there then and are not
    now, whatever the view, of more than MOST_GONE the last ones; ``around``: what prices and words follow from is as
    of then too."""

    at: datetime
    columns: tuple[str, ...]
    lines: Sequence[LineThen]
    total: int
    next: int | None
    gone: Sequence[LineThen] = ()
    around: bool = True


@dataclass(frozen=True)
class _Wanted:
    """What a page is of: products that fit, how many do, the one after which more stand, those that are gone, and what
    all of them held."""

    ids: Sequence[int]
    total: int
    next: int | None
    gone: Sequence[int]
    held: Past


def read(ctx: Context, actor: Actor, state: TableState, at: datetime, seen: Seen, after: int = 0) -> TableThen:
    """The products that fit a view now, in its columns, as they were at a moment, UTC. Raises Refused for one ahead, or
    forgotten."""
    actor.require(Role.VIEWER)
    columns = tuple(one for one in state.columns if one not in _TIMES)
    wanted = ctx.db.run(lambda tx: _wanted(ctx, tx, state, at, after))
    ids = [*wanted.ids, *wanted.gone]

    def drawn(there: Context, tx: Tx, since: datetime) -> dict[int, Row]:
        stocked = stock_store.changed_since(tx, ids, since)
        rows = [_stocked(row, stocked) for row in table.shown(there, tx, ids, seen)]
        return {row["id"]: table_cells.row(row, columns, seen, ctx.settings.language) for row in rows}

    def drawn_then(there: Context, tx: Tx) -> dict[int, Row]:
        if ids:
            summary.summarise(tx, f"(SELECT id AS product_id FROM product WHERE id IN ({', '.join(map(str, ids))}))")
        return drawn(there, tx, at)

    try:
        then, around = past.then(ctx, wanted.held, ids, at, drawn_then)
    except DuplicateKey as error:
        what = "That moment can’t be shown: a name of then stands for something else now. Choose another one."
        raise Refused.because("moment.doubled", what, "at") from error
    now = ctx.db.run(lambda tx: drawn(ctx, tx, ctx.now(tx)))
    lines = [LineThen(one, then.get(one), now.get(one)) for one in wanted.ids]
    gone = [LineThen(one, then[one], None) for one in wanted.gone if one in then]
    return TableThen(at, columns, lines, wanted.total, wanted.next, gone, around)


def _wanted(ctx: Context, tx: Tx, state: TableState, at: datetime, after: int) -> _Wanted:
    now = ctx.now(tx)
    if at > now:
        raise Refused.because("moment.ahead", "That moment is still to come. Choose one in the past.", "at")
    keeping.refuse_forgotten(tx, at)
    fitting = table.matching(ctx, tx, state)
    begin = bisect_right(fitting, after)  # their ids ascend
    ids = fitting[begin : begin + PAGE_SIZE + 1]
    more = ids[PAGE_SIZE - 1] if len(ids) > PAGE_SIZE else None
    gone = [] if after else as_of.gone_since(tx, "product", at, MOST_GONE)
    held = as_of.of_records(tx, ctx.settings.language, "product", [*ids[:PAGE_SIZE], *gone], [at])
    return _Wanted(ids[:PAGE_SIZE], len(fitting), more, gone, held)


def _stocked(row: dict[str, Any], since: dict[int, Any]) -> dict[str, Any]:
    """With what there was before it changed so much since."""
    return row if row["stock"] is None else row | {"stock": row["stock"] - since.get(row["id"], 0)}
