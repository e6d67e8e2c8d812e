"""What the page of prices shows: the time line of the shop, what is worth a look, and one sale."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any
from urllib.parse import parse_qs

from graupel.context import Context
from graupel.core.errors import NotFound
from graupel.core.products import Status
from graupel.core.roles import Actor, Role
from graupel.core.sales import Reach, Sale
from graupel.core.showing import plural
from graupel.core.tables import TableState
from graupel.core.time_lines import Drawing, draw
from graupel.db import Tx
from graupel.features.history import service as history
from graupel.features.pricing import checks, lines, selling, store
from graupel.features.pricing.checks import Check
from graupel.features.pricing.rows import GoodsNameRow
from graupel.features.pricing.selling import Goods
from graupel.features.products import facet_index, table
from graupel.features.products import service as products
from graupel.features.products import store as product_store
from graupel.features.terms import service as terms
from graupel.features.terms import store as terms_store
from graupel.features.terms.rows import SaleRow

MOST_SALES = 200
SOON = timedelta(days=7)
#: So many goods of a sale are named.
NAMED = 60


@dataclass(frozen=True)
class Shop:
    """The time line of the shop. ``counts``: sales that are worth a look, by why; ``planned``: products with plans.

    ``left_out``: sales that had no room.
    """

    drawing: Drawing
    counts: Mapping[str, int]
    planned: int
    goods: int
    left_out: int


def read(ctx: Context, actor: Actor, weeks: int, shift: int, only: str) -> Shop:
    """What is valid when, in so many weeks; ``only``: sales of which this is worth a look."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> Shop:
        now = ctx.now(tx)
        since, until = lines.lens_span(now, weeks, shift)
        rows = terms_store.sales_between(tx, _naive(since), _naive(until), MOST_SALES)
        found = checks.of_many(ctx, tx, rows, _naive(now))
        marked = {key: [row for row in rows if _is(key, row, found, now)] for key in _WHYS}
        shown = marked[only] if only else rows
        names = store.titles(tx, [row["id"] for row in shown])
        drawn = lines.of_shop(ctx, tx, shown, names, now, since, until)
        return Shop(
            draw(drawn, since, until, now, selling.zone_of(ctx)),
            {key: len(sales) for key, sales in marked.items()},
            _with_plans(ctx, tx, now),
            _goods(ctx, tx),
            max(0, len(shown) - sum(len({p.sale for p in line.pieces if p.sale}) for line in drawn)),
        )

    return ctx.db.run(work)


def _with_plans(ctx: Context, tx: Tx, now: datetime) -> int:
    """How many products have a sale of their own, worked out again each minute."""
    minute = _naive(now).replace(second=0, microsecond=0)
    key = (history.written_stamp(tx), "products with plans", minute)
    return ctx.counts.get(key, lambda: store.products_with_plans(tx, _naive(now)))


def _goods(ctx: Context, tx: Tx) -> int:
    """How many products there are, archived ones left out."""
    with facet_index.may_lag(), facet_index.held(ctx, tx) as index:
        return len(index) - len(index.select({"status": (str(Status.ARCHIVED),)}))


def _naive(at: datetime) -> datetime:
    return at.astimezone(UTC).replace(tzinfo=None)


_WHYS = ("raised", "below_cost", "not_below", "soon")


def _is(why: str, row: SaleRow, found: Mapping[int, Check], now: datetime) -> bool:
    """Whether a sale is worth a look for a reason."""
    if why == "soon":
        return now < terms.utc(row["begins"]) < now + SOON
    check = found.get(row["id"])
    return check is not None and getattr(check, why) > 0


@dataclass(frozen=True)
class Overview:
    """One sale: what it is called, for which goods, whether it is on, and what is worth a look."""

    sale: Sale
    name: str
    goods: Sequence[GoodsNameRow]
    count: int
    check: Check
    is_on: bool
    is_over: bool
    summary: str


def one(ctx: Context, actor: Actor, sale_id: int) -> Overview:
    """One sale. Raises NotFound."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> Overview:
        row = terms_store.sale(tx, sale_id)
        if row is None:
            raise NotFound("This sale is not there any more.")
        sale, now = terms.sale_of(row, ()), ctx.now(tx)
        count = terms_store.goods_count(tx, [sale_id]).get(sale_id, 0)
        goods = store.goods(tx, sale_id, ctx.settings.language, NAMED)
        return Overview(
            sale,
            store.titles(tx, [sale_id])[sale_id],
            goods,
            count,
            checks.check(ctx, tx, row),
            sale.holds(now),
            sale.ends is not None and sale.ends <= now,
            _summary(sale, goods, count),
        )

    return ctx.db.run(work)


def _summary(sale: Sale, goods: Sequence[GoodsNameRow], count: int) -> str:
    if sale.reach is Reach.ALL:
        return "all goods of the shop"
    if sale.reach is Reach.PRODUCT:
        return plural(count, "product")
    names = ", ".join(
        (row["choice"] if sale.reach is Reach.CHOICE else row["sku"]) or "one that is gone" for row in goods
    )
    what = "all variants with" if sale.reach is Reach.CHOICE else "the variants" if count > 1 else "the variant"
    return f"{what} {names} of {goods[0]['name']}" if goods else "nothing any more"


@dataclass(frozen=True)
class Due:
    """A sale that begins or ends soon; ``at``: UTC."""

    sale_id: int
    name: str
    at: datetime
    begins: bool


def due(ctx: Context, actor: Actor, limit: int) -> list[Due]:
    """The sales that begin or end within the next seven days, the first of them first."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> list[Due]:
        now = ctx.now(tx)
        rows = terms_store.boundaries(tx, _naive(now), _naive(now + SOON), limit)
        names = store.titles(tx, [row["id"] for row in rows])
        return [Due(row["id"], names[row["id"]], terms.utc(row["at"]), row["what"] == "begins") for row in rows]

    return ctx.db.run(work)


def sales_by_promotion(ctx: Context, actor: Actor) -> dict[int, int]:
    """How many sales belong to each promotion."""
    actor.require(Role.VIEWER)
    return ctx.db.run(store.sales_by_promotion)


#: So many products are shown with what a sale makes of their prices.
EXAMPLES = 8


def tried(
    ctx: Context, actor: Actor, raw: Mapping[str, str], goods: Goods | None, sale_id: int | None
) -> dict[str, Any]:
    """What a sale would do: its check, and examples. Raises Refused."""

    def look(tx: Tx, tried_id: int) -> dict[str, Any]:
        row = terms_store.sale(tx, tried_id)
        assert row is not None
        return {"check": checks.check(ctx, tx, row), "examples": checks.examples(ctx, tx, row, EXAMPLES)}

    return selling.tried(ctx, actor, raw, goods, sale_id, look)


# --- for which goods a sale is planned -----------------------------------------------------------------------


@dataclass(frozen=True)
class GoodsAsked:
    """The goods of a form: all, products, or one product with what of it can be chosen. ``query``: of the table."""

    product_ids: Sequence[int]
    names: Sequence[str]
    count: int
    query: str
    choices: Sequence[tuple[int, str, str]]
    variants: Sequence[tuple[int, str]]
    reach: Reach
    targets: Sequence[int]


def goods_asked(
    ctx: Context,
    actor: Actor,
    product_ids: Sequence[int],
    query: str = "",
    reach: Reach | None = None,
    targets: Sequence[int] = (),
) -> GoodsAsked:
    """For which goods a sale may be planned, from chosen products or from the address of the table."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> GoodsAsked:
        found = table.matching(ctx, tx, TableState.read(parse_qs(query))) if query else list(product_ids)
        rows = product_store.names(tx, list(found[:NAMED]), ctx.settings.language)
        choices: list[tuple[int, str, str]] = []
        variants: list[tuple[int, str]] = []
        if len(rows) == 1 and not query:
            product = products.load(ctx, tx, rows[0]["id"])
            choices = [(c.id, c.label, axis.attribute.name) for axis in product.axes for c in axis.choices]
            variants = [(one.id, one.sku) for one in product.for_sale] if product.varies else []
        usual = Reach.PRODUCT if found else Reach.ALL
        return GoodsAsked(
            [] if query else list(product_ids),
            [row["name"] for row in rows],
            len(found),
            query,
            choices,
            variants,
            reach or usual,
            targets,
        )

    return ctx.db.run(work)
