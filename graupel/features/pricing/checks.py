"""What is worth a look at sales that are on or planned: what they cost the merchant, and what buyers will notice."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from zoneinfo import ZoneInfo

from graupel.context import Context
from graupel.core.pricing import PriceRange
from graupel.core.sales import Reach
from graupel.core.time_lines import RAISED_WITHIN
from graupel.db import Tx
from graupel.features.destinations import service as destinations
from graupel.features.history import service as history
from graupel.features.pricing import store
from graupel.features.products import resolving
from graupel.features.products import store as product_store
from graupel.features.products.columns import inherited_sql
from graupel.features.terms import service as terms
from graupel.features.terms import store as terms_store
from graupel.features.terms.rows import SaleRow
from graupel.features.terms.service import Written

#: Sales for so many goods are looked at by their products' ids; larger ones in one walk over all.
MOST_NAMED = 5000


@dataclass(frozen=True)
class Check:
    """Of the variants that a sale reaches: how many cost less than they cost the merchant, how many nothing less.

    ``raised``: products whose price was raised shortly before it.
    """

    variants: int
    below_cost: int
    not_below: int
    raised: int


def check(ctx: Context, tx: Tx, sale: SaleRow) -> Check:
    """What is worth a look at one sale."""
    lens = destinations.current(ctx, tx).lens(sale["destination"])
    ids, within = _within(tx, sale)
    found = resolving.select(
        tx, lens, ("price", resolving.ASKED), ctx.settings.language, ids, within=within, only_sale=sale["id"]
    )
    net = _net(ctx, tx, "x.asked")
    row = tx.one(
        f"""SELECT COUNT(*) AS variants, COALESCE(SUM({net} < {inherited_sql("cost")}), 0) AS below_cost,
              COALESCE(SUM(x.asked >= x.price), 0) AS not_below
            FROM ({found.sql}) x JOIN variant v ON v.id = x.variant_id JOIN product p ON p.id = v.product_id
            WHERE x.asked IS NOT NULL AND x.asked_sale IS NOT NULL""",
        found.params,
    )
    assert row is not None
    raised = store.raised_before(tx, sale["id"], sale["begins"] - RAISED_WITHIN, sale["begins"])
    return Check(int(row["variants"]), int(row["below_cost"]), int(row["not_below"]), raised)


@dataclass(frozen=True)
class Example:
    """A product of a sale: the range of its prices without and with it, of the variants that are reached."""

    product_id: int
    name: str
    before: PriceRange
    after: PriceRange


def examples(ctx: Context, tx: Tx, sale: SaleRow, limit: int) -> list[Example]:
    """The first products of a sale with what it makes of their prices."""
    lens = destinations.current(ctx, tx).lens(sale["destination"])
    ids, within = _within(tx, sale)
    lang = ctx.settings.language
    fields = ("price", resolving.ASKED)
    found = resolving.select(tx, lens, fields, lang, ids, within=within, only_sale=sale["id"])
    rows = tx.all(
        f"""SELECT x.product_id, MIN(x.price) AS low, MAX(x.price) AS high, MIN(x.asked) AS then_low,
              MAX(x.asked) AS then_high FROM ({found.sql}) x WHERE x.asked_sale IS NOT NULL AND x.price IS NOT NULL
            GROUP BY x.product_id ORDER BY x.product_id LIMIT {int(limit)}""",
        found.params,
    )
    names = {row["id"]: row["name"] for row in product_store.names(tx, [row["product_id"] for row in rows], lang)}
    return [
        Example(
            row["product_id"],
            names.get(row["product_id"], ""),
            PriceRange(row["low"], row["high"]),
            PriceRange(row["then_low"], row["then_high"]),
        )
        for row in rows
    ]


def _within(tx: Tx, sale: SaleRow) -> tuple[list[int] | None, str]:
    """Of which products it is: their ids where they are few, else SQL."""
    if sale["reach"] == Reach.ALL:
        return None, "TRUE"
    if terms_store.goods_count(tx, [sale["id"]]).get(sale["id"], 0) <= MOST_NAMED:
        return sorted({row["product_id"] for row in terms_store.goods_of(tx, [sale["id"]])}), "TRUE"
    return None, f"p.id IN (SELECT g.product_id FROM sale_goods g WHERE g.sale_id = {int(sale['id'])})"


def _net(ctx: Context, tx: Tx, gross: str) -> str:
    """SQL: an amount without the tax that is in it, by the class of its product in the catalogue's country."""
    written = terms.written(ctx, tx)
    if not written.taxes_set_up or not written.catalogue.typed_with_tax:
        return gross
    today = terms.utc(terms_store.moment(tx)).astimezone(ZoneInfo(ctx.settings.time_zone)).date()
    factors = {key: _factor(written, key, today) for key in written.classes}
    usual = factors.get(written.catalogue.goods_class_id or 0, Decimal(1))
    cases = " ".join(f"WHEN {key} THEN {factor:f}" for key, factor in factors.items())
    return f"{gross} / CASE p.tax_class_id {cases} ELSE {usual:f} END"


def _factor(written: Written, class_id: int, day: date) -> Decimal:
    rate = written.classes[class_id].rate(written.catalogue.country or "", day)
    return 1 + (rate.percent if rate else Decimal(0)) / 100


def of_many(ctx: Context, tx: Tx, sales: Sequence[SaleRow], now: datetime) -> Mapping[int, Check]:
    """The same of those that have not ended, by id; kept until the catalogue changes."""
    found: dict[int, Check] = {}
    stamp = history.written_stamp(tx)
    for one in sales:
        if one["ends"] is None or one["ends"] > now:
            key = (stamp, "sale", one["id"], one["version"])
            found[one["id"]] = ctx.counts.get(key, lambda one=one: check(ctx, tx, one))  # type: ignore[misc]
    return found
