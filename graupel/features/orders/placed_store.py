"""The tables of orders of the shop window: what was ordered, as it was then."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from graupel.core.orders import Stack
from graupel.db import Tx, plain
from graupel.features.orders.rows import (
    DuePaymentRow,
    GoodsRow,
    ListedOrderRow,
    OrderRulesRow,
    PlacedLineRow,
    PlacedRow,
)

_PLACED = tuple(name for name in PlacedRow.__annotations__)
_LINE = tuple(name for name in PlacedLineRow.__annotations__)


def placed(tx: Tx, order_id: int, *, lock: bool = False) -> PlacedRow | None:
    return tx.row(
        PlacedRow,
        f"SELECT {', '.join(_PLACED)} FROM placed_order WHERE id = %s {'FOR UPDATE' if lock else ''}",
        [order_id],
    )


def by_secret(tx: Tx, secret: str) -> PlacedRow | None:
    if not secret.isascii():
        return None
    return tx.row(PlacedRow, f"SELECT {', '.join(_PLACED)} FROM placed_order WHERE secret = %s", [secret])


def insert_placed(tx: Tx, values: Mapping[str, Any]) -> None:
    plain.insert(tx, "placed_order", values)


def update_placed(tx: Tx, order_id: int, values: Mapping[str, Any]) -> None:
    plain.update(tx, "placed_order", order_id, values)


def lines(tx: Tx, order_id: int) -> list[PlacedLineRow]:
    return tx.rows(
        PlacedLineRow, f"SELECT {', '.join(_LINE)} FROM placed_line WHERE order_id = %s ORDER BY position", [order_id]
    )


def insert_line(tx: Tx, values: Mapping[str, Any]) -> None:
    plain.insert(tx, "placed_line", values)


# --- payments ------------------------------------------------------------------------------------------------


def next_look(tx: Tx, after: datetime) -> datetime | None:
    """When the next payment is to be asked about."""
    found: datetime | None = tx.value("SELECT MIN(look_at) FROM placed_order WHERE look_at > %s", [after])
    return found


def due(tx: Tx, now: datetime, limit: int) -> list[DuePaymentRow]:
    """The orders whose payments are to be asked about now."""
    return tx.rows(
        DuePaymentRow,
        "SELECT id, looks FROM placed_order WHERE look_at <= %s ORDER BY look_at LIMIT %s",
        [now, limit],
    )


def looking(tx: Tx, order_id: int) -> DuePaymentRow | None:
    """How often a payment was asked about, locked; None where it is not any more."""
    return tx.row(
        DuePaymentRow,
        "SELECT id, looks FROM placed_order WHERE id = %s AND look_at IS NOT NULL FOR UPDATE",
        [order_id],
    )


# --- the list ------------------------------------------------------------------------------------------------

_SENT_HERE = "EXISTS (SELECT 1 FROM placed_order h WHERE h.id = o.id AND h.ships)"
#: What lies in a stack, as core.orders.stacks has it: a test holds both together.
_LIES_IN = {
    Stack.OPEN: f"NOT o.trial AND NOT o.cancelled AND NOT (o.paid AND o.sent) AND (NOT o.paid OR {_SENT_HERE})",
    Stack.PAY: "NOT o.trial AND NOT o.cancelled AND NOT o.paid",
    Stack.SEND: f"NOT o.trial AND NOT o.cancelled AND o.paid AND NOT o.sent AND {_SENT_HERE}",
    Stack.BACK: "NOT o.trial AND (o.cancelled OR o.returned)",
    Stack.TRIAL: "o.trial",
    Stack.ALL: "TRUE",
}


def listed(tx: Tx, stack: Stack, search: str, before: int, limit: int) -> list[ListedOrderRow]:
    """Orders from the newest on, before an id; ``search``: a beginning of a number, a mail address, a part of a name,
    or a SKU."""
    asked = ""
    if search:
        by_sku = """OR EXISTS (SELECT 1 FROM order_line l WHERE l.order_id = o.id AND l.sku LIKE %(begins)s)
                    OR EXISTS (SELECT 1 FROM placed_line m WHERE m.order_id = o.id AND m.sku LIKE %(begins)s)"""
        asked = f"""AND (o.code LIKE %(begins)s OR p.mail LIKE %(begins)s OR p.name LIKE %(within)s
                         {by_sku if search.isascii() else ""})"""  # SKUs are ASCII, and compare with nothing else
    literal = search.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
    return tx.rows(
        ListedOrderRow,
        f"""SELECT o.id, o.destination, o.code, o.trial, o.paid, o.sent, o.cancelled, o.returned, o.made_at,
                   p.name, p.total, p.currency, p.payment, p.ships
            FROM shop_order o LEFT JOIN placed_order p ON p.id = o.id
            WHERE {_LIES_IN[stack]} AND (%(before)s = 0 OR o.id < %(before)s) {asked}
            ORDER BY o.id DESC LIMIT %(limit)s""",
        {"before": before, "begins": f"{literal}%", "within": f"%{literal}%", "limit": limit},
    )


def goods(tx: Tx, order_ids: Sequence[int]) -> list[GoodsRow]:
    """What orders have, a row each line: by name as it was ordered, of those that were reported by SKU."""
    return tx.rows(
        GoodsRow,
        """SELECT order_id, quantity, name FROM placed_line WHERE order_id IN %(ids)s
           UNION ALL SELECT l.order_id, l.reserved + l.taken, CONVERT(l.sku USING utf8mb4) FROM order_line l
           LEFT JOIN placed_order p ON p.id = l.order_id WHERE l.order_id IN %(ids)s AND p.id IS NULL""",
        {"ids": list(order_ids) or [0]},
    )


def count(tx: Tx, stack: Stack) -> int:
    """How many orders lie in a stack."""
    return int(tx.value(f"SELECT COUNT(*) FROM shop_order o WHERE {_LIES_IN[stack]}"))


# --- how orders go -------------------------------------------------------------------------------------------


def rules(tx: Tx, *, lock: bool = False) -> OrderRulesRow:
    """What is said once."""
    found = tx.row(
        OrderRulesRow,
        f"""SELECT id, transfer, transfer_to, mails, gives_at, version FROM order_rules ORDER BY id LIMIT 1
            {"FOR UPDATE" if lock else ""}""",
    )
    assert found is not None  # the migration made it
    return found


def names_of_rules(tx: Tx, ids: Sequence[int]) -> list[int]:
    return [row["id"] for row in tx.all("SELECT id FROM order_rules WHERE id IN %s", [list(ids) or [0]])]
