"""What follows when an order was placed, paid, sent or cancelled: downloads are given or closed, mail is written."""

from graupel.context import Context
from graupel.db import Tx
from graupel.features.downloads import giving
from graupel.features.orders import mails, placed_store, store

#: When downloads are given.
GIVES_AT = ("paid", "ordered")


def follow(ctx: Context, tx: Tx, order_id: int, about: str) -> None:
    """Do what follows for an order of the shop window; ``about``: placed, paid, sent or cancelled."""
    order, placed = store.order_of(tx, order_id), placed_store.placed(tx, order_id)
    if order is None or placed is None:
        return
    if order["cancelled"]:
        giving.close(tx, order_id)
    elif order["paid"] or placed_store.rules(tx)["gives_at"] == "ordered":
        lines = {row["id"]: (row["variant_id"], row["product_id"]) for row in placed_store.lines(tx, order_id)}
        buyer = f"{placed['name']}, {placed['mail']}, {order['code']}"
        giving.give(tx, ctx.now(tx), order_id, lines, buyer)
    mails.plan(ctx, tx, order_id, about)
