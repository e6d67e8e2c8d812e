"""What orders register."""

from datetime import time

from graupel.core.declarations import stock as declared
from graupel.core.schedules import next_daily
from graupel.features.history import records
from graupel.features.history.records import RecordKind, Shown
from graupel.features.orders import baskets, mails, paying, store
from graupel.features.products import claims, summary
from graupel.jobs import Urgency, handler, timekeeping
from graupel.jobs.timekeeping import Timed


def register(language: str) -> None:
    """Orders as records that are never put back, and the products of which more or less sells by them."""
    records.register(
        RecordKind(
            declared.ORDER,
            lambda tx, ids: {
                row["id"]: Shown(f"Order {row['name']}", f"/orders/{row['id']}") for row in store.names(tx, ids)
            },
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
    records.register(
        RecordKind(declared.ORDER_RULES, lambda tx, ids: {key: Shown("How orders go", "/orders/rules") for key in ids})
    )
    handler(mails.KIND)(mails.write)
    handler(paying.NAME)(paying.fetch)
    paying.register()
    timekeeping.register(
        Timed(
            "orders.forget",
            "Forget baskets that nobody touched for long",
            lambda ctx, tx, after: next_daily(after, time(4, 20), ctx.settings.time_zone),
            lambda ctx, tx, moment: baskets.forget(ctx, tx),
            each=False,
            urgency=Urgency.REST,
        )
    )
    claims.register(store.claimed)
    summary.register_restocked(
        "order_line",
        """SELECT DISTINCT p.id AS product_id FROM change_row r JOIN order_line l ON l.id = r.record_id
           JOIN product p ON p.id = l.product_id WHERE r.change_set_id = %(set)s AND r.record_kind = 'order_line'""",
    )
