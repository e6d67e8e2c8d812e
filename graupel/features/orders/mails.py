"""Mail about orders: to the buyer in the language of the shop, and to those of the shop who want to hear of orders."""

import json
from collections.abc import Callable, Sequence

from graupel import mail
from graupel.context import Context
from graupel.core import languages, products
from graupel.core.order_forms import PaysBy
from graupel.core.phrases import phrase
from graupel.core.roles import SYSTEM
from graupel.core.stock import show
from graupel.db import Tx
from graupel.features.destinations import service as destinations
from graupel.features.orders import placed_store, store
from graupel.features.orders.rows import OrderRow, PlacedLineRow, PlacedRow
from graupel.features.products import many
from graupel.jobs import JobRequest, JobRun, Urgency, enqueue
from graupel.web import formats

KIND = "orders.mail"
_TITLES = {
    "placed": "Write to the buyer that the order came in",
    "notice": "Tell the shop of an order",
    "paid": "Write to the buyer that it is paid",
    "sent": "Write to the buyer that it was sent",
    "cancelled": "Write to the buyer that it was cancelled",
}


def plan(ctx: Context, tx: Tx, order_id: int, about: str) -> None:
    """Have a buyer written to; of a new order also those of the shop who want to hear of it."""
    if not mail.is_set_up(ctx.settings):
        return
    telling = [about, *(["notice"] if about == "placed" and placed_store.rules(tx)["mails"] else [])]
    for one in telling:
        payload = {"order_id": order_id, "about": one}
        enqueue(tx, SYSTEM, JobRequest(KIND, _TITLES[one], payload, f"/orders/{order_id}", urgency=Urgency.OFFERS))


def write(run: JobRun) -> None:
    """Send one. It is noted as sent after the server took it: a repetition has the same Message-ID."""
    ctx, order_id, about = run.ctx, int(run.payload["order_id"]), str(run.payload["about"])

    def look(tx: Tx) -> tuple[OrderRow | None, PlacedRow | None, list[PlacedLineRow], str]:
        return (
            store.order_of(tx, order_id),
            placed_store.placed(tx, order_id),
            placed_store.lines(tx, order_id),
            placed_store.rules(tx)["mails"],
        )

    order, placed, lines, mails = ctx.db.run(look)
    notes = ctx.db.run(lambda tx: _notes(ctx, tx, order, placed, lines)) if about == "sent" else []
    if order is None or placed is None:
        ctx.db.run(lambda tx: run.finish(tx, "The order is not there any more."))
        return
    to = [one.strip() for one in mails.split(",")] if about == "notice" else [placed["mail"]]
    shop = next((one for one in destinations.read_all(ctx).all if one.code == order["destination"]), None)
    name = shop.name if shop else ctx.settings.shop_name
    subject, text = (
        _notice(ctx, order, placed, lines) if about == "notice" else _told(ctx, order, placed, lines, about, notes)
    )
    mail.send(ctx.settings, to, f"{subject} · {name}", text, f"order-{order_id}-{about}")
    ctx.db.run(lambda tx: run.finish(tx, f"Written to {', '.join(to)}."))


def page_address(ctx: Context, placed: PlacedRow) -> str:
    """Where a buyer finds the order."""
    return f"{ctx.settings.address}/shop/o/{placed['secret']}"


def _notes(
    ctx: Context, tx: Tx, order: OrderRow | None, placed: PlacedRow | None, lines: Sequence[PlacedLineRow]
) -> list[str]:
    """What goes out with goods that were sent, parts of kits too, in the buyer's language: each note once."""
    if order is None or placed is None:
        return []
    parts = [part["product_id"] for row in lines for part in json.loads(row["parts"])]
    ids = [*(row["product_id"] for row in lines), *parts]
    found = many.load_priced(ctx, tx, list(dict.fromkeys(ids)))
    lens = destinations.current(ctx, tx).lens(order["destination"], placed["lang"])
    notes = (products.seen(found[key].values, lens).sent_note for key in dict.fromkeys(ids) if key in found)
    return list(dict.fromkeys(filter(None, notes)))


def _told(
    ctx: Context,
    order: OrderRow,
    placed: PlacedRow,
    lines: list[PlacedLineRow],
    about: str,
    notes: Sequence[str] = (),
) -> tuple[str, str]:
    lang = placed["lang"]

    def say(words: str, *values: str) -> str:
        return phrase(words, lang, *values)

    begins = {
        "placed": say("Thank you for your order."),
        "paid": say("We have received your payment."),
        "sent": say("Your order is on its way."),
        "cancelled": say("Your order was cancelled."),
    }[about]
    parts = [say("Hello {},", placed["name"]), "", begins, ""]
    parts += [say("This is a trial: nothing will be sent, and nothing is to be paid."), ""] if order["trial"] else []
    parts += goods(placed, lines, say)
    parts += [line for note in notes for line in ("", note)]
    if about == "placed" and placed["pays_by"] == PaysBy.TRANSFER:
        said = placed_transfer(ctx)
        parts += ["", say("Please transfer {} with the words “{}” to:", money(placed), order["code"]), said]
    parts += ["", say("Your order:"), page_address(ctx, placed)]
    return say("Order {}", order["code"]), "\n".join(parts)


def placed_transfer(ctx: Context) -> str:
    """To where buyers transfer."""
    return ctx.db.run(lambda tx: placed_store.rules(tx)["transfer_to"])


def money(placed: PlacedRow) -> str:
    """The total, as its buyer reads it."""
    return formats.money(placed["total"], placed["currency"], languages.locale(placed["lang"]))


def goods(placed: PlacedRow, lines: list[PlacedLineRow], say: Callable[..., str]) -> list[str]:
    """What was ordered, a line each, with delivery and the total."""
    locale = languages.locale(placed["lang"])

    def amount(value: object) -> str:
        return formats.money(value, placed["currency"], locale)  # type: ignore[arg-type]

    found = []
    for one in lines:
        name = ", ".join(filter(None, (one["name"], one["variant"])))
        found.append(f"{show(one['quantity'])} × {name}: {amount(one['amount'])}")
        found += [f"    {chosen['label']}: {chosen['said']}" for chosen in json.loads(one["chosen"])]
    if placed["delivery"]:
        found.append(f"{say('Delivery')}: {amount(placed['delivery'])}")
    return [*found, f"{say('Total')}: {amount(placed['total'])}"]


def _notice(ctx: Context, order: OrderRow, placed: PlacedRow, lines: list[PlacedLineRow]) -> tuple[str, str]:
    trial = ", a trial" if order["trial"] else ""
    lines_said = goods(placed, lines, lambda words: words)
    parts = [f"Ordered by {placed['name']}, {placed['mail']}{trial}", "", *lines_said, ""]
    return f"Order {order['code']}", "\n".join([*parts, f"{ctx.settings.address}/orders/{order['id']}"])
