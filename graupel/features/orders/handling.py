"""What somebody of the shop says of an order by hand: paid, sent, cancelled, come back."""

from collections.abc import Mapping
from decimal import Decimal

from graupel.context import Context
from graupel.core.errors import NotFound, Refused
from graupel.core.orders import Report, Told
from graupel.core.roles import Actor, Role
from graupel.core.stock import show
from graupel.db import Tx
from graupel.features.history import service as history
from graupel.features.orders import after, placed_store, reading, service, store
from graupel.features.orders.basket_forms import read_quantity
from graupel.features.orders.service import Reported

_TITLES = {
    Told.PAID: "{} {} paid",
    Told.SENT: "{} {} sent",
    Told.CANCELLED: "{} {} cancelled",
    Told.RETURNED: "Return of {} {}",
}
_DONE = {Told.PAID: "paid", Told.SENT: "sent", Told.CANCELLED: "cancelled"}


def tell(ctx: Context, actor: Actor, order_id: int, told: Told, typed: Mapping[str, str] | None = None) -> None:
    """Note that an order is paid, sent, or cancelled, or what of it came back (``typed``: how many by SKU).

    Said again of what is so already, nothing happens. Raises Refused, naming a SKU, NotFound.
    """
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        order = store.order_of(tx, order_id, lock=True)
        if order is None:
            raise NotFound("There is no such order.")
        if told in _DONE and order[_DONE[told]]:  # type: ignore[literal-required]
            return
        lines: dict[str, Decimal] = {}
        if told is Told.RETURNED:
            lines = _returned(reading.load(tx, order_id).can_return, typed or {})
        what = "trial order" if order["trial"] else "order"
        title = _TITLES[told].format(what, order["code"])
        with history.change_set(tx, actor, f"order.{told}", title[:1].upper() + title[1:]) as recorder:
            number = len(store.reports_of(tx, order_id)) + 1
            report = Reported(
                order["destination"], f"{order['code']}-{told}-by-hand-{number}", order["code"], Report(told, lines)
            )
            service.note(tx, recorder, order_id, report, ctx.now(tx).replace(tzinfo=None), actor.name)
        if placed_store.placed(tx, order_id):
            if told is Told.PAID:
                placed_store.update_placed(tx, order_id, {"payment": "paid", "look_at": None})
            if told in _DONE:
                after.follow(ctx, tx, order_id, _DONE[told])

    ctx.db.run(work)


def _returned(left: Mapping[str, Decimal], typed: Mapping[str, str]) -> dict[str, Decimal]:
    lines: dict[str, Decimal] = {}
    for sku, text in typed.items():
        if not text.strip():
            continue
        number = read_quantity(text)
        most = left.get(sku.upper(), Decimal(0))
        if number is None or number > most:
            said = f"“{text.strip()[:20]}” can’t come back: {show(most)} of {sku[:64]} can."
            raise Refused.because("order.returned", said, sku)
        lines[sku.upper()] = number
    if not lines:
        raise Refused.because("order.returned", "Write how many came back.", "")
    return lines
