"""What orders register."""

from graupel.core.declarations import stock as declared
from graupel.features.history import records
from graupel.features.history.records import RecordKind, Shown
from graupel.features.orders import store
from graupel.features.products import claims, summary


def register(language: str) -> None:
    """Orders as records that are never put back, and the products of which more or less sells by them."""
    records.register(
        RecordKind(
            declared.ORDER,
            lambda tx, ids: {row["id"]: Shown(f"Order {row['name']}") for row in store.names(tx, ids)},
            reversible=False,
            flows=True,
        )
    )
    records.register(
        RecordKind(
            declared.ORDER_LINE,
            lambda tx, ids: {
                row["id"]: Shown(f"{row['sku']}, order {row['code']}", f"/products/{row['product_id']}#stock")
                for row in store.line_names(tx, ids)
            },
            reversible=False,
            flows=True,
            telling=("reserved", "taken", "returned"),
        )
    )
    claims.register(store.claimed)
    summary.register_restocked(
        "order_line",
        """SELECT DISTINCT p.id AS product_id FROM change_row r JOIN order_line l ON l.id = r.record_id
           JOIN product p ON p.id = l.product_id WHERE r.change_set_id = %(set)s AND r.record_kind = 'order_line'""",
    )
