"""Archived goods that stand in a file: told, because they stay so, and put up for sale again where that was chosen."""

from collections.abc import Mapping
from typing import Any

from graupel.db import Tx
from graupel.features.history import journal, records
from graupel.features.products.batch.spoken import JOINED
from graupel.features.products.columns import VARIES

#: What is odd about a row of archived goods that stay so, as core.imports.ODD says it.
ASLEEP = "asleep"
#: SQL: a row means an archived variant by its SKU.
AGAIN = "(v.archived AND b.sku IS NOT NULL)"


def asleep(*, says_status: bool, revive: bool = False) -> str:
    """SQL: what a row means is archived, and stays so. ``says_status``: rows may say it; ``revive``: variants are for
    sale again."""
    said = "b.status IS NULL" if says_status else "TRUE"
    return f"({said} AND (p.status = 'archived' OR {'FALSE' if revive else 'v.archived'}))"


def say_live(tx: Tx, params: Mapping[str, Any]) -> None:
    """Let rows say of archived products that they are live; not those that mean one variant of several alone."""
    products = """batch_row b LEFT JOIN variant v ON v.sku = b.sku
                  STRAIGHT_JOIN product p ON p.id = COALESCE(b.product_id, v.product_id)"""
    tx.run(
        f"""UPDATE {products} SET b.status = 'live'
            WHERE b.batch_id = %(batch)s AND b.action = 'new' AND b.lead IS NULL AND b.status IS NULL
              AND p.status = 'archived' AND (b.code IS NOT NULL OR NOT {VARIES.format(product="p.id")})""",
        params,
    )


def forget_led(tx: Tx, params: Mapping[str, Any]) -> None:
    """A row does not stay archived where the one that speaks for its product says what that is."""
    tx.run(
        f"""UPDATE batch_row b STRAIGHT_JOIN batch_row l ON l.batch_id = b.batch_id AND l.line = b.lead
            SET b.odd = NULLIF(TRIM(BOTH ',' FROM REPLACE(CONCAT(',', b.odd, ','), ',{ASLEEP},', ',')), '')
            WHERE b.batch_id = %(batch)s AND FIND_IN_SET('{ASLEEP}', b.odd) AND l.status IS NOT NULL""",
        params,
    )


def mark_changed(tx: Tx, params: Mapping[str, Any]) -> None:
    """Rows of archived variants change something, whatever else they say."""
    tx.run(
        f"""UPDATE batch_row b STRAIGHT_JOIN variant v ON v.id = b.variant_id
            SET b.action = 'changed', b.only_stock = FALSE
            WHERE b.batch_id = %(batch)s AND b.action IN ('unchanged', 'changed') AND {AGAIN}""",
        params,
    )


def put_up(tx: Tx, params: Mapping[str, Any]) -> None:
    """Put the archived variants of written rows up for sale again."""
    where = f"b.batch_id = %(batch)s AND b.action = 'changed' AND {AGAIN}"
    was, became = {"archived": "v.archived"}, {"archived": "FALSE"}
    if journal.write(tx, params["set"], records.kind_of("variant"), JOINED, where, params, was=was, became=became):
        tx.run(f"UPDATE {JOINED} SET v.archived = FALSE, v.version = v.version + 1 WHERE {where}", params)
