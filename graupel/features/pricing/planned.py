"""Sales as they are planned, one after the other: for programs."""

from collections.abc import Sequence
from dataclasses import dataclass

from graupel.context import Context
from graupel.core.errors import NotFound
from graupel.core.roles import Actor, Role
from graupel.core.sales import Sale
from graupel.db import Tx
from graupel.features.terms import service as terms
from graupel.features.terms import store
from graupel.features.terms.rows import SaleGoodsRow, SaleRow


@dataclass(frozen=True)
class Planned:
    """A sale with its version. ``count``: of its goods; ``goods``: None where they were not asked for."""

    sale: Sale
    version: int
    count: int
    goods: Sequence[SaleGoodsRow] | None = None


def after(ctx: Context, actor: Actor, last: int, limit: int) -> list[Planned]:
    """The sales whose ids come after one, in their order."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> list[Planned]:
        rows = store.sales_after(tx, last, limit)
        counts = store.goods_count(tx, [row["id"] for row in rows])
        return [_planned(row, counts.get(row["id"], 0)) for row in rows]

    return ctx.db.run(work)


def one(ctx: Context, actor: Actor, sale_id: int) -> Planned:
    """A sale with its goods. Raises NotFound."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> Planned:
        row = store.sale(tx, sale_id)
        if row is None:
            raise NotFound("There is no such sale.")
        goods = store.goods_of(tx, [sale_id])
        return _planned(row, len(goods), goods)

    return ctx.db.run(work)


def _planned(row: SaleRow, count: int, goods: Sequence[SaleGoodsRow] | None = None) -> Planned:
    return Planned(terms.sale_of(row, ()), row["version"], count, goods)
