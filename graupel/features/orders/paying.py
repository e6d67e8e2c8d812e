"""Paying at the till: a payment is opened there, the buyer pays on the till's page, and the till is asked what became
of it, when the buyer comes back and, where nobody does, by the clock.

No transaction stays open while the till is asked. Each try to pay has a reference of its own, so that a repeated
request opens no second payment.
"""

from datetime import datetime, timedelta

from graupel.channels.till import Payment, State, Till
from graupel.context import Context
from graupel.core.backoff import delay
from graupel.core.errors import GraupelError, Refused
from graupel.core.order_forms import PaysBy
from graupel.core.orders import Report, Told
from graupel.core.roles import SYSTEM
from graupel.db import Tx
from graupel.features.history import service as history
from graupel.features.orders import after, placed_store, reading, service, store
from graupel.features.orders.rows import OrderRow, PlacedRow
from graupel.features.orders.service import Reported
from graupel.jobs import JobRequest, JobRun, Urgency, enqueue_once, timekeeping
from graupel.jobs.timekeeping import Timed

NAME = "orders.payments"
FIRST_LOOK = timedelta(seconds=60)
LONGEST_PAUSE = 6 * 3600
#: After so many looks, some ten days, nobody asks any more; a late payment is confirmed by hand.
MOST_LOOKS = 48
AT_ONCE = 50


def till(ctx: Context) -> Till:
    """The till of the settings."""
    return Till(ctx.settings.till_address, ctx.settings.till_key)


def may_pay(order: OrderRow, placed: PlacedRow) -> bool:
    """Whether the buyer of an order can pay it at the till now."""
    return placed["pays_by"] == PaysBy.TILL and not (order["paid"] or order["cancelled"])


def _reference(placed: PlacedRow) -> str:
    return f"{placed['secret'][:16]}-{placed['payment_tries']}"


def start(ctx: Context, secret: str, title: str, back: str) -> str:
    """Open the payment of an order, or find the one that is open; returns where the buyer pays.

    Raises Refused where nothing is to be paid, NotFound, and what the till's client raises.
    """

    def begin(tx: Tx) -> PlacedRow:
        order, placed = _locked(tx, secret)
        if not may_pay(order, placed):
            raise Refused.because("payment.done", "Nothing is to be paid for this order.")
        if placed["payment"] == State.REFUSED or not placed["payment_tries"]:
            placed["payment_tries"] += 1
            values = {"payment": "open", "payment_tries": placed["payment_tries"], "payment_id": ""}
            placed_store.update_placed(tx, placed["id"], values)
        return placed

    placed = ctx.db.run(begin)
    asked = till(ctx).open(_reference(placed), placed["total"], placed["currency"], title, back)

    def note(tx: Tx) -> None:
        _, now = _locked(tx, secret)
        if now["payment_tries"] == placed["payment_tries"] and not now["payment_id"]:
            at = ctx.now(tx) + FIRST_LOOK
            values = {"payment_id": asked.id, "look_at": at.replace(tzinfo=None), "looks": 0}
            placed_store.update_placed(tx, placed["id"], values)
            timekeeping.plan(ctx, tx, NAME, at)

    ctx.db.run(note)
    return till(ctx).page(asked)


def _locked(tx: Tx, secret: str) -> tuple[OrderRow, PlacedRow]:
    found = reading.page_of(tx, secret)
    order = store.order_of(tx, found["id"], lock=True)
    placed = placed_store.placed(tx, found["id"], lock=True)
    assert order is not None  # orders are never taken away
    assert placed is not None
    return order, placed


def look(ctx: Context, order_id: int) -> State | None:
    """Ask the till what became of an order's payment, and note it; None where none is open.

    Raises what the till's client raises.
    """
    placed = ctx.db.run(lambda tx: placed_store.placed(tx, order_id))
    if placed is None or not placed["payment_id"] or placed["payment"] in (State.PAID, State.REFUSED):
        return None
    found = till(ctx).look(placed["payment_id"], _reference(placed), placed["total"], placed["currency"])
    ctx.db.run(lambda tx: _note(ctx, tx, placed, found))
    return found.state


def _note(ctx: Context, tx: Tx, asked: PlacedRow, found: Payment) -> None:
    """Take in what the till said of a payment, once; a newer try is another payment."""
    order = store.order_of(tx, asked["id"], lock=True)
    placed = placed_store.placed(tx, asked["id"], lock=True)
    if order is None or placed is None or placed["payment_id"] != asked["payment_id"]:
        return
    if placed["payment"] == found.state or placed["payment"] == State.PAID:
        return
    ended = found.state in (State.PAID, State.REFUSED)
    placed_store.update_placed(tx, placed["id"], {"payment": str(found.state), **({"look_at": None} if ended else {})})
    if found.state is State.PAID and not order["paid"]:
        title = f"{'Trial order' if order['trial'] else 'Order'} {order['code']} paid"
        with history.change_set(tx, SYSTEM, "order.paid", title) as recorder:
            report = Reported(
                order["destination"], f"{order['code']}-paid-{found.id}", order["code"], Report(Told.PAID)
            )
            service.note(tx, recorder, order["id"], report, ctx.now(tx).replace(tzinfo=None), "the till")
        after.follow(ctx, tx, order["id"], "paid")


# --- by the clock --------------------------------------------------------------------------------------------


def register() -> None:
    """Wake when a payment is to be asked about."""
    timekeeping.register(Timed(NAME, "Ask the till what was paid", _next, _arrive, each=False, urgency=Urgency.REST))


def _next(ctx: Context, tx: Tx, after: datetime) -> datetime | None:
    found = placed_store.next_look(tx, after.replace(tzinfo=None))
    return found.replace(tzinfo=after.tzinfo) if found else None


def _arrive(ctx: Context, tx: Tx, moment: datetime) -> None:
    enqueue_once(tx, SYSTEM, JobRequest(NAME, "Ask the till what was paid", urgency=Urgency.REST))


def fetch(run: JobRun) -> None:
    """Ask about all payments that are due."""
    ctx = run.ctx
    due = ctx.db.run(lambda tx: placed_store.due(tx, ctx.now(tx).replace(tzinfo=None), AT_ONCE))
    told, trouble = 0, ""
    for one in due:
        try:
            told += look(ctx, one["id"]) in (State.PAID, State.REFUSED)
        except GraupelError as error:
            trouble = str(error)
        _ask_later(ctx, one["id"])

    def work(tx: Tx) -> None:
        if len(due) == AT_ONCE:
            run.again(tx, timedelta(0), "More to ask.")
        else:
            run.finish(tx, trouble or f"{told} of {len(due)} decided.")

    ctx.db.run(work)


def _ask_later(ctx: Context, order_id: int) -> None:
    ctx.db.run(lambda tx: _later(ctx, tx, order_id))


def _later(ctx: Context, tx: Tx, order_id: int) -> None:
    """When it is asked about next, where nothing was decided."""
    due = placed_store.looking(tx, order_id)
    if due is None:
        return
    looks = due["looks"] + 1
    at = ctx.now(tx) + delay(looks, base=60, most=LONGEST_PAUSE) if looks < MOST_LOOKS else None
    values = {"looks": looks, "look_at": at.replace(tzinfo=None) if at else None}
    placed_store.update_placed(tx, order_id, values)
    if at:
        timekeeping.plan(ctx, tx, NAME, at)
