"""What the pages of stock read, and the tables of notices and of the rules of selling."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from graupel.core.declarations.stock import LOCATION, SELLING_RULES
from graupel.db import Tx, like
from graupel.features.stock.rows import AlertRow, CodeRow, EntryRow, NoticeRow, StockLineRow
from graupel.features.terms import sells_sql

_CHOICES = """(SELECT GROUP_CONCAT(h.label ORDER BY FIELD(h.id, v.choice_1, v.choice_2, v.choice_3, v.choice_4,
                                   v.choice_5) SEPARATOR ', ')
               FROM attribute_choice h WHERE h.id IN (v.choice_1, v.choice_2, v.choice_3, v.choice_4, v.choice_5))"""
_NAMED = "JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s"
#: Which lines are shown: SQL of where they are found, and what must hold.
SHOWN = {
    "counted": ("variant v FORCE INDEX (variant_sku) STRAIGHT_JOIN stock c ON c.id = v.id AND c.counted", "TRUE"),
    "low": ("stock_alert a STRAIGHT_JOIN variant v ON v.id = a.id", "TRUE"),
    "out": (
        "stock_alert a STRAIGHT_JOIN variant v ON v.id = a.id STRAIGHT_JOIN stock c ON c.id = v.id",
        "c.on_hand <= 0",
    ),
    "uncounted": (
        "variant v FORCE INDEX (variant_sku) LEFT JOIN stock c ON c.id = v.id",
        "(c.id IS NULL OR NOT c.counted)",
    ),
}


def lines(
    tx: Tx,
    shown: str,
    lang: str,
    after: str,
    limit: int,
    *,
    among: Sequence[int] | None = None,
    location: int | None = None,
    only: Sequence[int] | None = None,
) -> list[StockLineRow]:
    """Variants for sale in the order of their SKUs, beyond ``after``. ``among``: of these products; ``location``: of
    which something lies there; ``only``: these variants, whatever they are."""
    source, where = SHOWN[shown]
    if among is not None:  # of few products it is quicker to begin with them
        source = source.replace(" FORCE INDEX (variant_sku)", "")
    if only is not None:
        source, where = "variant v", "v.id IN %(only)s"
    sql = sells_sql.now(tx)
    conditions = [where, "v.sku > %(after)s", *([] if only is not None else ["NOT v.archived"])]
    conditions += ["v.product_id IN %(among)s"] if among is not None else []
    if location:
        conditions.append(
            """EXISTS (SELECT 1 FROM stock_at la WHERE la.variant_id = v.id AND la.location_id = %(location)s
               AND la.on_hand <> 0)"""
        )
    # The few that are shown are found first; what is told of them is worked out for them alone.
    return tx.rows(
        StockLineRow,
        f"""SELECT v.id, v.product_id, v.sku, t.name, {_CHOICES} AS choices, sk.counted, sk.on_hand, sk.reserved,
                   {sql.standing} AS standing, {sql.ready} AS ready, {sql.most} AS most,
                   {sells_sql.RULE["low_stock"]} AS low_stock, {sells_sql.RULE["back_on"]} AS back_on
            FROM (SELECT v.id FROM {source} WHERE {" AND ".join(conditions)} ORDER BY v.sku LIMIT %(limit)s) found
            JOIN variant v ON v.id = found.id JOIN product p ON p.id = v.product_id {_NAMED} {sells_sql.JOINS}
            ORDER BY v.sku""",
        {
            "lang": lang,
            "after": after,
            "limit": limit,
            "among": list(among or [0]),
            "location": location,
            "only": list(only or [0]),
        },
    )


def counts(tx: Tx) -> tuple[int, int]:
    """How many variants are counted, and how many are below their threshold."""
    counted = int(tx.value("SELECT COUNT(*) FROM stock WHERE counted"))
    low = int(tx.value("SELECT COUNT(*) FROM stock_alert a JOIN variant v ON v.id = a.id AND NOT v.archived"))
    return counted, low


def skus_like(tx: Tx, typed: str, limit: int) -> list[int]:
    """The products of variants whose SKU or GTIN begins so."""
    rows = tx.all(
        "SELECT DISTINCT product_id FROM variant WHERE sku LIKE %(like)s OR gtin LIKE %(like)s LIMIT %(limit)s",
        {"like": f"{like(typed)}%", "limit": limit},
    )
    return [row["product_id"] for row in rows]


def by_codes(tx: Tx, codes: Sequence[str], lang: str) -> list[CodeRow]:
    """Variants by SKU or GTIN."""
    known = [code for code in codes if code.isascii()]  # no other can be one
    if not known:
        return []
    return tx.rows(
        CodeRow,
        f"""SELECT v.id, v.product_id, v.sku, v.gtin, t.name, v.archived FROM variant v
            JOIN product p ON p.id = v.product_id {_NAMED} WHERE v.sku IN %(codes)s OR v.gtin IN %(codes)s""",
        {"codes": known, "lang": lang},
    )


# --- the record ----------------------------------------------------------------------------------------------


def entries(tx: Tx, product_id: int, variant_id: int | None, before: int | None, limit: int) -> list[EntryRow]:
    """Entries of a product, or of one of its variants, the newest first; ``before``: older than this one."""
    return tx.rows(
        EntryRow,
        """SELECT e.id, e.variant_id, v.sku, l.name AS location, e.amount, e.reason, e.at, e.change_set_id,
                  c.actor, c.title, o.code AS order_code
           FROM stock_entry e JOIN variant v ON v.id = e.variant_id LEFT JOIN location l ON l.id = e.location_id
           LEFT JOIN change_set c ON c.id = e.change_set_id LEFT JOIN shop_order o ON o.id = e.order_id
           WHERE e.product_id = %(product)s AND (%(variant)s IS NULL OR e.variant_id = %(variant)s)
             AND (%(before)s IS NULL OR e.id < %(before)s) ORDER BY e.id DESC LIMIT %(limit)s""",
        {"product": product_id, "variant": variant_id, "before": before, "limit": limit},
    )


def sum_until(tx: Tx, variant_id: int, entry_id: int) -> Any:
    """What was there of a variant after an entry: the sum of all up to it."""
    sql = "SELECT COALESCE(SUM(amount), 0) FROM stock_entry WHERE variant_id = %s AND id <= %s"
    return tx.value(sql, [variant_id, entry_id])


# --- locations and rules ---------------------------------------------------------------------------------------


def delete_location(tx: Tx, location_id: int) -> None:
    tx.run("DELETE FROM stock_at WHERE location_id = %s", [location_id])
    tx.run(f"DELETE FROM {LOCATION.plain} WHERE id = %s", [location_id])


def delete_rules(tx: Tx, rules_id: int) -> None:
    tx.run(f"DELETE FROM {SELLING_RULES.plain} WHERE id = %s", [rules_id])


def lock_locations(tx: Tx) -> None:
    """Whoever changes locations is alone in it."""
    tx.all("SELECT id FROM location ORDER BY id FOR UPDATE")


# --- what is below its threshold -------------------------------------------------------------------------------


def note_low(tx: Tx, table: str, set_id: int, rules: str) -> int:
    """Note which variants of touched products are below their threshold, and which no more; how many are new.

    ``table``: of the products that a change set touched; ``rules``: SQL of those whose rules it wrote.
    """
    touched = f"(SELECT product_id FROM {table} WHERE restocked UNION {rules})"
    params = {"set": set_id}
    # Looked up before it is deleted: a DELETE that joins waits for whoever writes the goods, such as a file.
    gone = tx.all(
        f"""SELECT a.id FROM stock_alert a JOIN {touched} k ON k.product_id = a.product_id
            LEFT JOIN (variant v JOIN product p ON p.id = v.product_id {sells_sql.JOINS}) ON v.id = a.id
            WHERE v.id IS NULL OR v.archived OR NOT {sells_sql.IS_LOW}""",
        params,
    )
    if gone:
        tx.run("DELETE FROM stock_alert WHERE id IN %s", [[row["id"] for row in gone]])
    return tx.run(
        f"""INSERT IGNORE INTO stock_alert (id, product_id, since)
            SELECT v.id, v.product_id, UTC_TIMESTAMP(3) FROM {touched} k
            STRAIGHT_JOIN variant v ON v.product_id = k.product_id JOIN product p ON p.id = v.product_id
            {sells_sql.JOINS} WHERE NOT v.archived AND {sells_sql.IS_LOW}""",
        params,
    )


_ALERTS = f"""SELECT a.id, a.product_id, v.sku, t.name, a.since, sk.on_hand, sk.reserved,
                     {sells_sql.RULE["low_stock"]} AS low_stock
              FROM stock_alert a JOIN variant v ON v.id = a.id AND NOT v.archived
              JOIN product p ON p.id = v.product_id {_NAMED} {sells_sql.JOINS}"""


def alerts(tx: Tx, lang: str, limit: int) -> list[AlertRow]:
    """What fell below its threshold, the latest first."""
    sql = f"{_ALERTS} ORDER BY a.since DESC, a.id DESC LIMIT %(limit)s"
    return tx.rows(AlertRow, sql, {"lang": lang, "limit": limit})


def unmailed(tx: Tx, lang: str) -> list[AlertRow]:
    """What fell below its threshold and nobody was written of."""
    return tx.rows(AlertRow, f"{_ALERTS} WHERE NOT a.mailed ORDER BY t.name, v.sku", {"lang": lang})


def note_mailed(tx: Tx, ids: Sequence[int]) -> None:
    tx.run("UPDATE stock_alert SET mailed = TRUE WHERE id IN %s", [list(ids) or [0]])


def latest_alert(tx: Tx) -> datetime | None:
    found: datetime | None = tx.value("SELECT MAX(since) FROM stock_alert")
    return found


def notice(tx: Tx, *, lock: bool = False) -> NoticeRow:
    row = tx.row(NoticeRow, f"SELECT * FROM stock_notice WHERE id = 1 {'FOR UPDATE' if lock else ''}")
    assert row is not None, "a migration made it"
    return row


def set_feed_key(tx: Tx, key: str) -> None:
    tx.run("UPDATE stock_notice SET feed_key = %s WHERE id = 1 AND feed_key = ''", [key])


def is_mail_planned(tx: Tx, kind: str) -> bool:
    """Whether a job of this kind waits for its moment, and so will tell of what is new too."""
    return bool(tx.value("SELECT 1 FROM job WHERE kind = %s AND state = 'waiting' LIMIT 1", [kind]))
