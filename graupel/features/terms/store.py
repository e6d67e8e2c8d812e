"""The tables of taxes, promotions, sales and prices by quantity."""

from collections.abc import Sequence
from datetime import datetime

from graupel.db import Tx
from graupel.features.terms.rows import (
    BoundaryRow,
    PromotionRow,
    QuantityPriceRow,
    RunningRow,
    SaleGoodsRow,
    SaleRow,
    TaxClassRow,
    TaxRateRow,
)

#: How far time has been played for sales (jobs/timekeeping.py).
CLOCK = "sales"
#: SQL of the moment that sets of prices are worked out for: now, or as far as time has been played.
MOMENT = f"""GREATEST(UTC_TIMESTAMP(3), COALESCE((SELECT reached FROM clock WHERE name = '{CLOCK}'),
                                                UTC_TIMESTAMP(3)))"""


# --- taxes ---------------------------------------------------------------------------------------------------


def tax_classes(tx: Tx) -> list[TaxClassRow]:
    return tx.rows(TaxClassRow, "SELECT * FROM tax_class ORDER BY name, id")


def tax_class(tx: Tx, class_id: int, *, lock: bool = False) -> TaxClassRow | None:
    return tx.row(TaxClassRow, f"SELECT * FROM tax_class WHERE id = %s {'FOR UPDATE' if lock else ''}", [class_id])


def tax_rates(tx: Tx) -> list[TaxRateRow]:
    return tx.rows(TaxRateRow, "SELECT * FROM tax_rate ORDER BY tax_class_id, country, begins")


def products_with_class(tx: Tx, class_id: int) -> int:
    return int(tx.value("SELECT COUNT(*) FROM product WHERE tax_class_id = %s", [class_id]))


# --- promotions ----------------------------------------------------------------------------------------------


def promotions(tx: Tx) -> list[PromotionRow]:
    return tx.rows(PromotionRow, "SELECT * FROM promotion ORDER BY begins DESC, id DESC")


def promotion(tx: Tx, promotion_id: int, *, lock: bool = False) -> PromotionRow | None:
    sql = f"SELECT * FROM promotion WHERE id = %s {'FOR UPDATE' if lock else ''}"
    return tx.row(PromotionRow, sql, [promotion_id])


def sales_in(tx: Tx, promotion_id: int) -> int:
    return int(tx.value("SELECT COUNT(*) FROM sale WHERE promotion_id = %s", [promotion_id]))


# --- sales ---------------------------------------------------------------------------------------------------

_FOR_PRODUCT = "(s.reach = 'all' OR s.id IN (SELECT g.sale_id FROM sale_goods g WHERE g.product_id = %(product)s))"


def sales_of(tx: Tx, product_id: int, since: datetime | None) -> list[SaleRow]:
    """The sales that reach a product or some of it, those that ended before ``since`` left out."""
    return tx.rows(
        SaleRow,
        f"""SELECT s.* FROM sale s WHERE {_FOR_PRODUCT}
            AND (%(since)s IS NULL OR s.ends IS NULL OR s.ends > %(since)s) ORDER BY s.begins, s.id""",
        {"product": product_id, "since": since},
    )


def sales_of_many(tx: Tx, product_ids: Sequence[int], since: datetime) -> list[SaleRow]:
    """The sales that reach any of these products or some of them, those that ended before ``since`` left out."""
    return tx.rows(
        SaleRow,
        """SELECT s.* FROM sale s WHERE (s.reach = 'all'
             OR s.id IN (SELECT g.sale_id FROM sale_goods g WHERE g.product_id IN %(products)s))
           AND (s.ends IS NULL OR s.ends > %(since)s) ORDER BY s.begins, s.id""",
        {"products": list(product_ids) or [0], "since": since},
    )


def goods_of_many(tx: Tx, sale_ids: Sequence[int], product_ids: Sequence[int]) -> list[SaleGoodsRow]:
    return tx.rows(
        SaleGoodsRow,
        """SELECT id, sale_id, product_id, variant_id, choice_id, version FROM sale_goods
           WHERE sale_id IN %s AND product_id IN %s ORDER BY sale_id, id""",
        [list(sale_ids) or [0], list(product_ids) or [0]],
    )


def quantity_prices_of_many(tx: Tx, product_ids: Sequence[int]) -> list[QuantityPriceRow]:
    return tx.rows(
        QuantityPriceRow,
        """SELECT id, product_id, variant_id, destination, from_quantity, takes_off, amount, version
           FROM quantity_price WHERE product_id IN %s ORDER BY product_id, variant_id, destination, from_quantity""",
        [list(product_ids) or [0]],
    )


def sales(tx: Tx, ids: Sequence[int]) -> list[SaleRow]:
    return tx.rows(SaleRow, "SELECT * FROM sale WHERE id IN %s ORDER BY begins, id", [list(ids) or [0]])


def sales_after(tx: Tx, last: int, limit: int) -> list[SaleRow]:
    """In the order of their ids."""
    return tx.rows(SaleRow, "SELECT * FROM sale WHERE id > %s ORDER BY id LIMIT %s", [last, limit])


def sale(tx: Tx, sale_id: int, *, lock: bool = False) -> SaleRow | None:
    return tx.row(SaleRow, f"SELECT * FROM sale WHERE id = %s {'FOR UPDATE' if lock else ''}", [sale_id])


def sales_between(tx: Tx, since: datetime, until: datetime, limit: int) -> list[SaleRow]:
    """The sales that hold at some moment between two, the first to begin first."""
    return tx.rows(
        SaleRow,
        """SELECT * FROM sale WHERE begins < %(until)s AND (ends IS NULL OR ends > %(since)s)
           ORDER BY begins, id LIMIT %(limit)s""",
        {"since": since, "until": until, "limit": limit},
    )


def goods_of(tx: Tx, sale_ids: Sequence[int], product_id: int | None = None) -> list[SaleGoodsRow]:
    within = "AND product_id = %(product)s" if product_id is not None else ""
    return tx.rows(
        SaleGoodsRow,
        f"""SELECT id, sale_id, product_id, variant_id, choice_id, version FROM sale_goods
            WHERE sale_id IN %(ids)s {within} ORDER BY sale_id, id""",
        {"ids": list(sale_ids) or [0], "product": product_id},
    )


def goods_count(tx: Tx, sale_ids: Sequence[int]) -> dict[int, int]:
    rows = tx.all(
        "SELECT sale_id, COUNT(*) AS n FROM sale_goods WHERE sale_id IN %s GROUP BY sale_id", [list(sale_ids) or [0]]
    )
    return {row["sale_id"]: row["n"] for row in rows}


def equals_of(tx: Tx, sale_id: int) -> SaleRow | None:
    """A sale that nothing sets apart from this one: as near, for the same goods and place, at the same time."""
    return tx.row(
        SaleRow,
        """SELECT o.* FROM sale s JOIN sale o ON o.id <> s.id AND o.reach = s.reach AND o.destination = s.destination
             AND (s.ends IS NULL OR o.begins < s.ends) AND (o.ends IS NULL OR s.begins < o.ends)
           WHERE s.id = %(id)s AND s.reach = 'all'
           UNION ALL
           SELECT o.* FROM sale s STRAIGHT_JOIN sale_goods a ON a.sale_id = s.id
             STRAIGHT_JOIN sale_goods b ON b.product_id = a.product_id AND b.target = a.target
             STRAIGHT_JOIN sale o ON o.id = b.sale_id AND o.id <> s.id AND o.reach = s.reach
               AND o.destination = s.destination AND (s.ends IS NULL OR o.begins < s.ends)
               AND (o.ends IS NULL OR s.begins < o.ends)
           WHERE s.id = %(id)s LIMIT 1""",
        {"id": sale_id},
    )


def insert_goods(tx: Tx, sale_id: int, product_ids: Sequence[int]) -> None:
    """Put products under a sale, by sets; those that are not there are left out."""
    tx.run(
        "INSERT IGNORE INTO sale_goods (sale_id, product_id) SELECT %s, p.id FROM product p WHERE p.id IN %s",
        [sale_id, list(product_ids) or [0]],
    )


def next_boundary(tx: Tx, after: datetime) -> datetime | None:
    """The first beginning or end of a sale beyond a moment."""
    found: datetime | None = tx.value(
        """SELECT MIN(at) FROM (SELECT MIN(begins) AS at FROM sale WHERE begins > %(after)s
           UNION ALL SELECT MIN(ends) FROM sale WHERE ends > %(after)s) found""",
        {"after": after},
    )
    return found


def boundaries(tx: Tx, after: datetime, until: datetime, limit: int) -> list[BoundaryRow]:
    """The beginnings and ends of sales within a span, the first of them first."""
    return tx.rows(
        BoundaryRow,
        """SELECT id, begins AS at, 'begins' AS what FROM sale WHERE begins > %(after)s AND begins <= %(until)s
           UNION ALL SELECT id, ends, 'ends' FROM sale WHERE ends > %(after)s AND ends <= %(until)s
           ORDER BY at, id LIMIT %(limit)s""",
        {"after": after, "until": until, "limit": limit},
    )


def at_boundary(tx: Tx, moment: datetime) -> list[SaleRow]:
    return tx.rows(SaleRow, "SELECT * FROM sale WHERE begins = %(at)s OR ends = %(at)s ORDER BY id", {"at": moment})


def moment(tx: Tx) -> datetime:
    """The moment that sets of prices are worked out for."""
    found: datetime = tx.value(f"SELECT {MOMENT}")
    return found


def running(tx: Tx, destination: str, at: datetime) -> list[RunningRow]:
    """Which kinds of sale hold at a destination and a moment."""
    return tx.rows(
        RunningRow,
        """SELECT DISTINCT reach, destination FROM sale WHERE destination IN ('', %(where)s)
           AND begins <= %(at)s AND (ends IS NULL OR ends > %(at)s)""",
        {"where": destination, "at": at},
    )


def kind_of(tx: Tx, sale_id: int) -> list[RunningRow]:
    """The kind of one sale, as ``running`` has it."""
    return tx.rows(RunningRow, "SELECT reach, destination FROM sale WHERE id = %s", [sale_id])


# --- prices by quantity --------------------------------------------------------------------------------------


def quantity_prices(tx: Tx, product_id: int) -> list[QuantityPriceRow]:
    return tx.rows(
        QuantityPriceRow,
        """SELECT id, product_id, variant_id, destination, from_quantity, takes_off, amount, version
           FROM quantity_price WHERE product_id = %s ORDER BY variant_id, destination, from_quantity""",
        [product_id],
    )
