"""The tables of stock: locations, what is there, the record of entries, and how goods are sold."""

from collections.abc import Mapping, Sequence
from datetime import date, datetime
from decimal import Decimal

from graupel.core.stock import Reason
from graupel.db import Tx
from graupel.db.rows import Named
from graupel.features.terms.rows import DayRow, LocationRow, SellingRulesRow, StockAtRow, StockNamedRow, StockRow

#: What is about to be booked, for one transaction.
STAGED = "stock_booking"


# --- locations -----------------------------------------------------------------------------------------------


def locations(tx: Tx) -> list[LocationRow]:
    """All of them in their order of use; there is always one."""
    return tx.rows(LocationRow, "SELECT id, name, position, version FROM location ORDER BY position, id")


def holding(tx: Tx, location_id: int) -> int:
    """Of how many variants a location holds something."""
    return int(tx.value("SELECT COUNT(*) FROM stock_at WHERE location_id = %s AND on_hand <> 0", [location_id]))


# --- what is there -------------------------------------------------------------------------------------------


def of_variants(tx: Tx, variant_ids: Sequence[int], *, lock: bool = False) -> dict[int, StockRow]:
    """What is there of variants, by their ids; nothing of those that were never counted or ordered."""
    if not variant_ids:
        return {}
    rows = tx.rows(
        StockRow,
        f"""SELECT id, product_id, counted, on_hand, reserved, version FROM stock WHERE id IN %s
            ORDER BY id {"FOR UPDATE" if lock else ""}""",
        [list(variant_ids)],
    )
    return {row["id"]: row for row in rows}


def at_locations(tx: Tx, variant_ids: Sequence[int]) -> list[StockAtRow]:
    """What lies where, in the locations' order of use."""
    return tx.rows(
        StockAtRow,
        """SELECT a.variant_id, a.location_id, a.on_hand FROM stock_at a JOIN location l ON l.id = a.location_id
           WHERE a.variant_id IN %s ORDER BY a.variant_id, l.position, l.id""",
        [list(variant_ids) or [0]],
    )


def later_changes(tx: Tx, variant_id: int, location_id: int | None, since: datetime) -> Decimal:
    """By how much stock changed since a moment, UTC, at a location or, with None, in all."""
    found = tx.value(
        """SELECT SUM(amount) FROM stock_entry WHERE variant_id = %(variant)s AND at > %(since)s
           AND (%(at)s IS NULL OR location_id = %(at)s)""",
        {"variant": variant_id, "at": location_id, "since": since},
    )
    return Decimal(found or 0)


def hourly(
    tx: Tx, product_id: int, variant_id: int | None, since: datetime
) -> tuple[Decimal | None, list[tuple[datetime, Decimal]]]:
    """What is there of a product's variants that are counted, or of one of them, None where none is; and by how much
    that changed since a moment, UTC, hour by hour."""
    params = {"product": product_id, "variant": variant_id, "since": since}
    now = tx.value(
        """SELECT SUM(on_hand) FROM stock WHERE product_id = %(product)s AND counted
           AND (%(variant)s IS NULL OR id = %(variant)s)""",
        params,
    )
    rows = tx.all(
        """SELECT MAX(at) AS at, SUM(amount) AS amount FROM stock_entry
           WHERE product_id = %(product)s AND at > %(since)s AND (%(variant)s IS NULL OR variant_id = %(variant)s)
           GROUP BY DATE(at), HOUR(at) ORDER BY at""",
        params,
    )
    return now, [(row["at"], row["amount"]) for row in rows]


def changed_since(tx: Tx, product_ids: Sequence[int], at: datetime) -> dict[int, Decimal]:
    """By how much what is there of products changed since a moment, UTC."""
    rows = tx.all(
        """SELECT product_id, SUM(amount) AS amount FROM stock_entry WHERE product_id IN %s AND at > %s
           GROUP BY product_id""",
        [list(product_ids) or [0], at],
    )
    return {row["product_id"]: row["amount"] for row in rows}


def taken_by(tx: Tx, order_id: int, variant_id: int) -> dict[int, Decimal]:
    """What an order took of a variant and has not given back, by location, in the order in which it took."""
    rows = tx.all(
        """SELECT location_id, -SUM(amount) AS taken FROM stock_entry WHERE order_id = %s AND variant_id = %s
           GROUP BY location_id HAVING taken > 0 ORDER BY MIN(id)""",
        [order_id, variant_id],
    )
    return {row["location_id"]: row["taken"] for row in rows}


# --- booking -------------------------------------------------------------------------------------------------


def stage(tx: Tx, rows: Sequence[tuple[int, int, Decimal, Reason, int | None]]) -> None:
    """Put down what is to be booked: variant, location, by how much, why, and the order that it is for."""
    begin(tx)
    tx.many(
        f"""INSERT INTO {STAGED} (variant_id, product_id, location_id, amount, reason, order_id)
            SELECT v.id, v.product_id, %s, %s, %s, %s FROM variant v WHERE v.id = %s""",
        [(location, amount, str(reason), order, variant) for variant, location, amount, reason, order in rows],
    )


def begin(tx: Tx) -> None:
    """An empty table for what is to be booked."""
    tx.run(f"DROP TEMPORARY TABLE IF EXISTS {STAGED}")
    tx.run(
        f"""CREATE TEMPORARY TABLE {STAGED} (id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
              variant_id INT UNSIGNED NOT NULL, product_id INT UNSIGNED NOT NULL, location_id INT UNSIGNED NOT NULL,
              amount DECIMAL(12,2) NOT NULL, reason VARCHAR(12) CHARACTER SET ascii NOT NULL,
              order_id INT UNSIGNED NULL, KEY (variant_id))"""
    )


def count_in(tx: Tx) -> None:
    """Begin to count the variants that are staged and were not counted."""
    tx.run(
        f"""INSERT INTO stock (id, product_id, counted)
            SELECT DISTINCT b.variant_id, b.product_id, TRUE FROM {STAGED} b ORDER BY b.variant_id
            ON DUPLICATE KEY UPDATE version = stock.version + IF(stock.counted, 0, 1), counted = TRUE"""
    )


def write_staged(tx: Tx, change_set_id: int, at: datetime) -> None:
    """Book what is staged: the sums, the locations, the record. The rows of variants are locked first, in order."""
    sums = f"SELECT variant_id, SUM(amount) AS amount FROM {STAGED} GROUP BY variant_id ORDER BY variant_id"
    tx.run(
        f"""UPDATE ({sums}) b STRAIGHT_JOIN stock s ON s.id = b.variant_id
            SET s.on_hand = s.on_hand + b.amount"""
    )
    tx.run(
        f"""INSERT INTO stock_at (variant_id, location_id, on_hand)
            SELECT b.variant_id, b.location_id, SUM(b.amount) FROM {STAGED} b
            GROUP BY b.variant_id, b.location_id ORDER BY b.variant_id, b.location_id
            ON DUPLICATE KEY UPDATE on_hand = stock_at.on_hand + VALUES(on_hand)"""
    )
    tx.run(
        f"""INSERT INTO stock_entry (product_id, variant_id, location_id, amount, reason, order_id, change_set_id, at)
            SELECT b.product_id, b.variant_id, b.location_id, b.amount, b.reason, b.order_id, %s, %s FROM {STAGED} b
            WHERE b.amount <> 0 ORDER BY b.id""",
        [change_set_id, at],
    )


def add_to_products(tx: Tx) -> None:
    """Add what is staged to the sums of products; only what is for sale stands in them.

    The sums are put aside first: an UPDATE that joins variants would wait for whoever writes them, such as a file.
    """
    sums = f"{STAGED}_sum"
    tx.run(f"DROP TEMPORARY TABLE IF EXISTS {sums}")
    tx.run(
        f"""CREATE TEMPORARY TABLE {sums} (product_id INT UNSIGNED NOT NULL PRIMARY KEY,
              amount DECIMAL(12,2) NOT NULL)"""
    )
    tx.run(
        f"""INSERT INTO {sums} (product_id, amount) SELECT b.product_id, SUM(b.amount) FROM {STAGED} b
            STRAIGHT_JOIN variant v ON v.id = b.variant_id AND NOT v.archived GROUP BY b.product_id"""
    )
    tx.run(
        f"""UPDATE {sums} s STRAIGHT_JOIN product_stock x ON x.product_id = s.product_id
            SET x.on_hand = COALESCE(x.on_hand, 0) + s.amount"""
    )


def sum_up(tx: Tx, product_ids: Sequence[int]) -> None:
    """Work out anew what products have in all.

    What is there is locked meanwhile, so that whoever books at this moment adds to the new sum.
    """
    params = {"ids": list(product_ids)}
    tx.all("SELECT id FROM stock WHERE product_id IN %(ids)s ORDER BY id FOR UPDATE", params)
    tx.run(
        """INSERT INTO product_stock (product_id, on_hand)
            SELECT p.id, SUM(IF(v.archived OR NOT s.counted, NULL, s.on_hand)) FROM product p
            JOIN variant v ON v.product_id = p.id LEFT JOIN stock s ON s.id = v.id
            WHERE p.id IN %(ids)s GROUP BY p.id
            ON DUPLICATE KEY UPDATE on_hand = VALUES(on_hand)""",
        params,
    )


def reserve(tx: Tx, changes: Mapping[int, tuple[int, Decimal]]) -> None:
    """Change what is promised of variants (id -> its product and by how much); counted or not."""
    tx.many(
        """INSERT INTO stock (id, product_id, counted, reserved) VALUES (%s, %s, FALSE, %s)
           ON DUPLICATE KEY UPDATE reserved = reserved + VALUES(reserved)""",
        [(variant, product, amount) for variant, (product, amount) in sorted(changes.items())],
    )


def end_counting(tx: Tx, variant_ids: Sequence[int]) -> None:
    """Not count variants any more, of which nothing is there."""
    tx.run(
        "UPDATE stock SET counted = FALSE, version = version + 1 WHERE id IN %s AND counted",
        [list(variant_ids) or [0]],
    )


# --- how goods are sold --------------------------------------------------------------------------------------


def selling_rules(tx: Tx) -> list[SellingRulesRow]:
    """What is said for the shop, and for types."""
    return tx.rows(
        SellingRulesRow,
        """SELECT id, type_id, at_zero, zero_limit, held_back, least_stock, low_stock, order_least, order_most,
                  order_step, version FROM selling_rules ORDER BY type_key""",
    )


# --- days ----------------------------------------------------------------------------------------------------


def day(tx: Tx) -> date:
    """The day of the shop, as far as time has been played."""
    found: date = tx.value("SELECT COALESCE(MAX(day), UTC_DATE()) FROM shop_day")
    return found


def next_day(tx: Tx, after: date) -> date | None:
    """The next day on which goods are back or come."""
    found: date | None = tx.value("SELECT MIN(day) FROM goods_day WHERE day > %s", [after])
    return found


def note_days(tx: Tx, change_set_id: int) -> int:
    """Note the days that a change set wrote, on which goods are back or come; how many are new."""
    rows = " UNION ".join(
        f"""SELECT JSON_VALUE(r.became, '$.{name}') AS day FROM change_row r
            WHERE r.change_set_id = %(set)s AND r.record_kind IN ('product', 'variant')"""
        for name in ("back_on", "coming_on")
    )
    sql = f"INSERT IGNORE INTO goods_day (day) SELECT found.day FROM ({rows}) found WHERE found.day IS NOT NULL"
    return tx.run(sql, {"set": change_set_id})


def days(tx: Tx, ids: Sequence[int]) -> list[DayRow]:
    return tx.rows(DayRow, "SELECT id, day FROM shop_day WHERE id IN %s", [list(ids) or [0]])


def add_day(tx: Tx, day: date) -> int:
    return tx.insert("INSERT INTO shop_day (day) VALUES (%s)", [day])


# --- names for History ---------------------------------------------------------------------------------------


def rules_names(tx: Tx, ids: Sequence[int]) -> list[Named]:
    return tx.rows(
        Named,
        """SELECT r.id, COALESCE(y.name, 'The shop') AS name FROM selling_rules r
           LEFT JOIN product_type y ON y.id = r.type_id WHERE r.id IN %s""",
        [list(ids) or [0]],
    )


def variant_names(tx: Tx, ids: Sequence[int]) -> list[StockNamedRow]:
    return tx.rows(StockNamedRow, "SELECT id, product_id, sku FROM variant WHERE id IN %s", [list(ids) or [0]])


def entry_names(tx: Tx, ids: Sequence[int]) -> list[StockNamedRow]:
    return tx.rows(
        StockNamedRow,
        """SELECT e.id, v.product_id, CONCAT(v.sku, IF((SELECT COUNT(*) FROM location) > 1, CONCAT(', ', l.name), ''))
             AS sku
           FROM stock_entry e JOIN variant v ON v.id = e.variant_id JOIN location l ON l.id = e.location_id
           WHERE e.id IN %s""",
        [list(ids) or [0]],
    )
