"""The tables of orders and of what is reported of them."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from graupel.db import Tx
from graupel.db.rows import Named
from graupel.features.orders.rows import OrderLineRow, OrderNamedRow, OrderRow, ReportRow, SkuRow

_ORDER = """SELECT id, destination, code, trial, paid, sent, cancelled, returned, made_at, version FROM shop_order"""
_REPORT = "SELECT id, code, order_id, told, reported_lines, stock_lines, at, by_name FROM order_report"


def report(tx: Tx, destination: str, code: str) -> ReportRow | None:
    return tx.row(
        ReportRow,
        f"{_REPORT} WHERE destination = %s AND code = %s",
        [destination, code],
    )


def reports_of(tx: Tx, order_id: int) -> list[ReportRow]:
    return tx.rows(
        ReportRow,
        f"{_REPORT} WHERE order_id = %s ORDER BY id",
        [order_id],
    )


def insert_report(tx: Tx, values: Mapping[str, Any]) -> None:
    tx.run(
        """INSERT INTO order_report (destination, code, order_id, told, reported_lines, stock_lines, at, by_name)
           VALUES (%(destination)s, %(code)s, %(order_id)s, %(told)s, %(reported_lines)s, %(stock_lines)s, %(at)s,
                   %(by_name)s)""",
        values,
    )


def order(tx: Tx, destination: str, code: str) -> OrderRow | None:
    """An order, locked: what is reported of it is taken in one after the other."""
    return tx.row(
        OrderRow,
        f"{_ORDER} WHERE destination = %s AND code = %s FOR UPDATE",
        [destination, code],
    )


def order_of(tx: Tx, order_id: int, *, lock: bool = False) -> OrderRow | None:
    return tx.row(OrderRow, f"{_ORDER} WHERE id = %s {'FOR UPDATE' if lock else ''}", [order_id])


def insert_order(tx: Tx, destination: str, code: str, at: datetime, *, trial: bool = False) -> int:
    return tx.insert(
        "INSERT INTO shop_order (destination, code, made_at, trial) VALUES (%s, %s, %s, %s)",
        [destination, code, at, trial],
    )


def name_order(tx: Tx, order_id: int, code: str) -> None:
    tx.run("UPDATE shop_order SET code = %s WHERE id = %s", [code, order_id])


def set_standing(tx: Tx, order_id: int, values: Mapping[str, Any]) -> None:
    sets = ", ".join(f"{name} = %({name})s" for name in values)
    tx.run(f"UPDATE shop_order SET {sets}, version = version + 1 WHERE id = %(id)s", {**values, "id": order_id})


def lines_of(tx: Tx, order_id: int) -> list[OrderLineRow]:
    return tx.rows(
        OrderLineRow,
        """SELECT id, order_id, sku, variant_id, product_id, reserved, taken, returned, version FROM order_line
           WHERE order_id = %s ORDER BY id""",
        [order_id],
    )


def insert_line(tx: Tx, values: Mapping[str, Any]) -> int:
    return tx.insert(
        """INSERT INTO order_line (order_id, sku, variant_id, product_id, reserved, taken, returned)
           VALUES (%(order_id)s, %(sku)s, %(variant_id)s, %(product_id)s, %(reserved)s, %(taken)s, %(returned)s)""",
        values,
    )


def update_line(tx: Tx, line_id: int, values: Mapping[str, Any]) -> None:
    sets = ", ".join(f"{name} = %({name})s" for name in values)
    tx.run(f"UPDATE order_line SET {sets}, version = version + 1 WHERE id = %(id)s", {**values, "id": line_id})


def by_skus(tx: Tx, skus: Sequence[str]) -> dict[str, SkuRow]:
    """Variants by their SKUs, upper case. The rows of variants are read, not locked: an import may hold them."""
    if not skus:
        return {}
    rows = tx.rows(
        SkuRow,
        "SELECT UPPER(v.sku) AS sku, v.id AS variant_id, v.product_id FROM variant v WHERE v.sku IN %s",
        [list(skus)],
    )
    return {row["sku"]: row for row in rows}


def claimed(tx: Tx, product_id: int) -> set[int]:
    """The variants of a product that orders name."""
    rows = tx.all("SELECT DISTINCT variant_id FROM order_line WHERE product_id = %s", [product_id])
    return {row["variant_id"] for row in rows if row["variant_id"]}


def names(tx: Tx, ids: Sequence[int]) -> list[Named]:
    return tx.rows(Named, "SELECT id, code AS name FROM shop_order WHERE id IN %s", [list(ids) or [0]])


def line_names(tx: Tx, ids: Sequence[int]) -> list[OrderNamedRow]:
    return tx.rows(
        OrderNamedRow,
        """SELECT l.id, l.sku, o.code, l.product_id FROM order_line l JOIN shop_order o ON o.id = l.order_id
           WHERE l.id IN %s""",
        [list(ids) or [0]],
    )
