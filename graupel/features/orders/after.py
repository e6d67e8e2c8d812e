"""What follows when an order was placed, paid, sent or cancelled: downloads are given or closed, mail is written."""

import json

from graupel.context import Context
from graupel.db import Tx
from graupel.features.downloads import giving
from graupel.features.downloads.giving import Bought
from graupel.features.orders import mails, placed_store, store
from graupel.features.orders.rows import PlacedLineRow

#: When downloads are given.
GIVES_AT = ("paid", "ordered")


def _bought(row: PlacedLineRow) -> list[Bought]:
    """What a line gives downloads of: its goods, and the parts that these are made of."""
    parts = [Bought(row["id"], one["variant_id"], one["product_id"]) for one in json.loads(row["parts"])]
    return [Bought(row["id"], row["variant_id"], row["product_id"]), *parts]


def follow(ctx: Context, tx: Tx, order_id: int, about: str) -> None:
    """Do what follows for an order of the shop window; ``about``: placed, paid, sent or cancelled."""
    order, placed = store.order_of(tx, order_id), placed_store.placed(tx, order_id)
    if order is None or placed is None:
        return
    if order["cancelled"]:
        giving.close(tx, order_id)
    elif order["paid"] or placed_store.rules(tx)["gives_at"] == "ordered":
        goods = [one for row in placed_store.lines(tx, order_id) for one in _bought(row)]
        buyer = f"{placed['name']}, {placed['mail']}, {order['code']}"
        giving.give(tx, ctx.now(tx), order_id, goods, buyer)
    mails.plan(ctx, tx, order_id, about)
