"""What the area reads of sales and of what they are for; the tables are those of the area terms."""

import json
from collections.abc import Sequence
from datetime import datetime

from graupel.core.declarations.products import CHOICES
from graupel.db import Tx
from graupel.features.pricing.rows import GoodsNameRow, MomentRow, PriceChangeRow, QuantityNameRow, TermsChangeRow
from graupel.features.products.columns import VARIES


def hold_sales(tx: Tx) -> None:
    """Be alone in planning sales until the transaction ends."""
    tx.run("UPDATE held SET times = times + 1 WHERE name = 'sales'")


def titles(tx: Tx, ids: Sequence[int]) -> dict[int, str]:
    """What sales are called: by their title, else by what they are for."""
    rows = tx.all(
        """SELECT s.id, s.title, (SELECT t.name FROM product_text t WHERE t.product_id =
             (SELECT g.product_id FROM sale_goods g WHERE g.sale_id = s.id ORDER BY g.id LIMIT 1) LIMIT 1) AS name
           FROM sale s WHERE s.id IN %s""",
        [list(ids) or [0]],
    )
    return {row["id"]: row["title"] or row["name"] or "All goods" for row in rows}


def goods_named(tx: Tx, code: str) -> tuple[int, int] | None:
    """Product and variant that a SKU means, the product that a code means; 0 for all of a product."""
    row = tx.one(
        f"""SELECT v.product_id, IF({VARIES.format(product="v.product_id")}, v.id, 0) AS variant_id
            FROM variant v WHERE v.sku = %(code)s
            UNION ALL SELECT p.id, 0 FROM product p WHERE p.code = %(code)s LIMIT 1""",
        {"code": code},
    )
    return (int(row["product_id"]), int(row["variant_id"])) if row else None


def choice_of_variants(tx: Tx, product_id: int, attribute: str, label: str) -> int | None:
    """A choice that variants of a product have, by its attribute and its label in any case of letters."""
    found = tx.value(
        f"""SELECT h.id FROM variant v JOIN attribute_choice h ON h.id IN ({", ".join(f"v.{one}" for one in CHOICES)})
            JOIN attribute a ON a.id = h.attribute_id
            WHERE v.product_id = %s AND LOWER(a.name) = LOWER(%s) AND LOWER(h.label) = LOWER(%s)
            ORDER BY h.label = BINARY %s DESC LIMIT 1""",
        [product_id, attribute, label, label],
    )
    return None if found is None else int(found)


def choice_names(tx: Tx, ids: Sequence[int]) -> dict[int, str]:
    rows = tx.all(
        """SELECT h.id, CONCAT(a.name, ' = ', h.label) AS name FROM attribute_choice h
           JOIN attribute a ON a.id = h.attribute_id WHERE h.id IN %s""",
        [list(ids) or [0]],
    )
    return {row["id"]: row["name"] for row in rows}


def skus_of(tx: Tx, ids: Sequence[int]) -> dict[int, str]:
    """The SKUs of variants."""
    return {row["id"]: row["sku"] for row in tx.all("SELECT id, sku FROM variant WHERE id IN %s", [list(ids) or [0]])}


def promotion_names(tx: Tx, ids: Sequence[int]) -> dict[int, str]:
    rows = tx.all("SELECT id, name FROM promotion WHERE id IN %s", [list(ids) or [0]])
    return {row["id"]: row["name"] for row in rows}


def goods_names(tx: Tx, ids: Sequence[int]) -> list[GoodsNameRow]:
    """Goods of sales by their ids."""
    return tx.rows(GoodsNameRow, f"{_GOODS} WHERE g.id IN %(ids)s GROUP BY g.id", {"ids": list(ids) or [0]})


def goods(tx: Tx, sale_id: int, lang: str, limit: int, after: int = 0) -> list[GoodsNameRow]:
    """What a sale is for, in the order in which it was put there."""
    return tx.rows(
        GoodsNameRow,
        f"""{_GOODS} AND t.lang = %(lang)s WHERE g.sale_id = %(sale)s AND g.id > %(after)s
            GROUP BY g.id ORDER BY g.id LIMIT %(limit)s""",
        {"sale": sale_id, "lang": lang, "after": after, "limit": limit},
    )


_GOODS = """SELECT g.id, g.sale_id, g.product_id, g.variant_id, g.choice_id, COALESCE(MIN(t.name), '') AS name,
              MIN(v.sku) AS sku, MIN(h.label) AS choice
            FROM sale_goods g LEFT JOIN variant v ON v.id = g.variant_id
            LEFT JOIN attribute_choice h ON h.id = g.choice_id
            LEFT JOIN product_text t ON t.product_id = g.product_id"""


def quantity_price_names(tx: Tx, ids: Sequence[int]) -> list[QuantityNameRow]:
    return tx.rows(
        QuantityNameRow,
        "SELECT id, product_id, from_quantity FROM quantity_price WHERE id IN %s",
        [list(ids) or [0]],
    )


def moments(tx: Tx, ids: Sequence[int]) -> list[MomentRow]:
    return tx.rows(MomentRow, "SELECT id, sale_id, what FROM sale_moment WHERE id IN %s", [list(ids) or [0]])


def add_moment(tx: Tx, sale_id: int, what: str) -> int:
    return tx.insert("INSERT INTO sale_moment (sale_id, what) VALUES (%s, %s)", [sale_id, what])


def variants_with(tx: Tx, product_id: int, choice_id: int) -> int:
    """How many variants of a product for sale have a choice."""
    among = " OR ".join(f"{name} = %(choice)s" for name in CHOICES)
    sql = f"SELECT COUNT(*) FROM variant WHERE product_id = %(product)s AND NOT archived AND ({among})"
    return int(tx.value(sql, {"product": product_id, "choice": choice_id}))


def products_with_plans(tx: Tx, at: datetime) -> int:
    """How many products have a sale of their own that is on or planned."""
    return int(
        tx.value(
            """SELECT COUNT(DISTINCT g.product_id) FROM sale s JOIN sale_goods g ON g.sale_id = s.id
               WHERE s.ends IS NULL OR s.ends > %s""",
            [at],
        )
    )


_RAISED = """JOIN change_set c ON c.id = r.change_set_id AND c.made_at > %(since)s AND c.made_at < %(until)s
             WHERE g.sale_id = %(sale)s AND CAST(JSON_VALUE(r.was, '$.price') AS DECIMAL(12,2))
               < CAST(JSON_VALUE(r.became, '$.price') AS DECIMAL(12,2))"""


def raised_before(tx: Tx, sale_id: int, since: datetime, until: datetime) -> int:
    """Of the products of a sale, how many had a price raised between two moments, their own or a variant's."""
    return int(
        tx.value(
            f"""SELECT COUNT(DISTINCT product_id) FROM (
                  SELECT g.product_id FROM sale_goods g
                  JOIN change_row r ON r.record_kind = 'product' AND r.record_id = g.product_id {_RAISED}
                  UNION ALL SELECT v.product_id FROM sale_goods g JOIN variant v ON v.product_id = g.product_id
                  JOIN change_row r ON r.record_kind = 'variant' AND r.record_id = v.id {_RAISED}) found""",
            {"sale": sale_id, "since": since, "until": until},
        )
    )


# --- the record of typed prices ------------------------------------------------------------------------------


def price_changes(tx: Tx, product_id: int, variant_ids: Sequence[int], since: datetime) -> list[PriceChangeRow]:
    """Changes of the typed price of a product and its variants since a moment, the latest first."""
    return tx.rows(
        PriceChangeRow,
        """SELECT s.made_at, r.record_kind, r.record_id, JSON_VALUE(r.was, '$.price') AS was, NULL AS `key`
           FROM change_row r JOIN change_set s ON s.id = r.change_set_id
           WHERE ((r.record_kind = 'product' AND r.record_id = %(product)s)
                  OR (r.record_kind = 'variant' AND r.record_id IN %(variants)s))
             AND s.made_at > %(since)s AND JSON_EXISTS(r.became, '$.price') ORDER BY s.made_at DESC, s.id DESC""",
        {"product": product_id, "variants": list(variant_ids) or [0], "since": since},
    )


def own_price_changes(
    tx: Tx, destination: str, product_id: int, variant_ids: Sequence[int], since: datetime
) -> list[PriceChangeRow]:
    """The same of what was typed for a destination."""
    kind, record, field, where = (
        f"COALESCE(o.{name}, JSON_VALUE(r.was, '$.{name}'), JSON_VALUE(r.became, '$.{name}'))"
        for name in ("kind", "record_id", "field", "destination")
    )
    return tx.rows(
        PriceChangeRow,
        f"""SELECT s.made_at, {kind} AS record_kind, CAST({record} AS UNSIGNED) AS record_id,
              JSON_VALUE(r.was, '$.value') AS was, %(destination)s AS `key`
            FROM change_set s STRAIGHT_JOIN change_row r ON r.change_set_id = s.id AND r.record_kind = 'own_value'
            LEFT JOIN own_value o ON o.id = r.record_id
            WHERE s.made_at > %(since)s AND {where} = %(destination)s AND {field} = 'price'
              AND (({kind} = 'product' AND {record} = %(product)s)
                   OR ({kind} = 'variant' AND {record} IN %(variants)s)) ORDER BY s.made_at DESC, s.id DESC""",
        {"destination": destination, "product": product_id, "variants": list(variant_ids) or [0], "since": since},
    )


def terms_changes(tx: Tx, ids: Sequence[int], since: datetime) -> list[TermsChangeRow]:
    """Changes of terms of sale since a moment, the latest first."""
    rows = tx.all(
        """SELECT s.made_at, r.record_id, r.was FROM change_row r STRAIGHT_JOIN change_set s ON s.id = r.change_set_id
           WHERE r.record_kind = 'selling_terms' AND r.record_id IN %s AND s.made_at > %s
           ORDER BY s.made_at DESC, s.id DESC""",
        [list(ids) or [0], since],
    )
    return [
        TermsChangeRow(
            made_at=row["made_at"], record_id=row["record_id"], was=json.loads(row["was"]) if row["was"] else None
        )
        for row in rows
    ]


# --- counts --------------------------------------------------------------------------------------------------


def sales_by_promotion(tx: Tx) -> dict[int, int]:
    rows = tx.all("SELECT promotion_id AS id, COUNT(*) AS n FROM sale WHERE promotion_id IS NOT NULL GROUP BY 1")
    return {row["id"]: row["n"] for row in rows}


def claimed_variants(tx: Tx, product_id: int) -> set[int]:
    """The variants of a product that a sale or a quantity price names."""
    rows = tx.all(
        """SELECT variant_id AS id FROM sale_goods WHERE product_id = %(product)s AND variant_id IS NOT NULL
           UNION SELECT variant_id FROM quantity_price WHERE product_id = %(product)s AND variant_id IS NOT NULL""",
        {"product": product_id},
    )
    return {row["id"] for row in rows}
