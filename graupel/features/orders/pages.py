"""Orders: all of them, one with its lines as they were when it was ordered, and how orders go."""

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import FileResponse, Response

from graupel import mail
from graupel.context import Context
from graupel.core import languages
from graupel.core.errors import NotFound
from graupel.core.orders import Stack, Told
from graupel.core.roles import Identity, Role
from graupel.features.destinations import service as destinations
from graupel.features.orders import buyer_files, handling, reading, rules
from graupel.features.orders.page_schemas import OrderRulesTyped, OrdersAsked, ReturnedTyped
from graupel.features.orders.reading import Order
from graupel.web import formats
from graupel.web.attempts import FRESH, Attempt, attempt
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

router = APIRouter(prefix="/orders", dependencies=[Depends(from_our_own_page)])
#: How stacks of orders are called.
STACKS = {
    Stack.OPEN: "Open",
    Stack.PAY: "To be paid",
    Stack.SEND: "To be sent",
    Stack.BACK: "Cancelled or come back",
    Stack.TRIAL: "Trials",
    Stack.ALL: "All",
}


@router.get("")
def index(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[OrdersAsked]) -> Response:
    """The orders, the newest first."""
    found = reading.list_orders(ctx, signed.actor, asked.stack, asked.q, asked.before)
    return page(request, "orders/orders.html", found=found, asked=asked, stacks=STACKS, shops=_shops(ctx))


def _shops(ctx: Context) -> dict[str, str]:
    """The names of the shops by code."""
    return {one.code: one.name for one in destinations.read_all(ctx).shops}


@router.get("/rules")
def show_rules(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """How orders go."""
    return _rules(request, ctx, signed)


@router.post("/rules")
def save_rules(request: Request, ctx: Ctx, signed: Signed, form: FormOf[OrderRulesTyped]) -> Response:
    """Writes how orders go."""
    tried = attempt(lambda: rules.save(ctx, signed.actor, form.raw, form.marks), "rules", form.raw, form.marks)
    return _rules(request, ctx, signed, tried)


def _rules(request: Request, ctx: Context, signed: Identity, tried: Attempt = FRESH) -> Response:
    row = rules.read(ctx, signed.actor)
    return page(
        request,
        "orders/rules.html",
        part="orders/rules_part.html",
        t=tried.typed if tried.problems else rules.values_of(row),
        marks=rules.values_of(row),
        may_change=signed.actor.may(Role.OWNER),
        has_till=bool(ctx.settings.till_address),
        mail_works=mail.is_set_up(ctx.settings),
        **tried.shown,
    )


@router.get("/{order_id:int}")
def show(request: Request, ctx: Ctx, signed: Signed, order_id: int) -> Response:
    """One order."""
    return _page(request, ctx, signed, order_id)


def _page(request: Request, ctx: Context, signed: Identity, order_id: int, tried: Attempt = FRESH) -> Response:
    found = reading.read(ctx, signed.actor, order_id)
    return page(
        request,
        "orders/order.html",
        part="orders/order_part.html",
        found=found,
        shops=_shops(ctx),
        may_edit=signed.actor.may(Role.EDITOR),
        in_money=in_money(ctx, found),
        days=_days(ctx, found),
        **tried.shown,
    )


def _days(ctx: Context, found: Order) -> str:
    """Between which days it arrives, as the buyer was told."""
    days = [found.placed["first_day"], found.placed["last_day"]] if found.placed else []
    locale = languages.locale(ctx.settings.language)
    return " to ".join(dict.fromkeys(formats.date_of(day, locale) for day in days if day))


def in_money(ctx: Context, found: Order) -> Any:
    """Shows amounts in the currency of the order."""
    currency = found.placed["currency"] if found.placed else ctx.settings.currency
    return lambda amount: formats.money(amount, currency, languages.locale(ctx.settings.language))


@router.post("/{order_id:int}/paid")
def paid(request: Request, ctx: Ctx, signed: Signed, order_id: int) -> Response:
    """Confirms a payment by hand."""
    return _told(request, ctx, signed, order_id, Told.PAID)


@router.post("/{order_id:int}/sent")
def sent(request: Request, ctx: Ctx, signed: Signed, order_id: int) -> Response:
    """Notes that it was sent."""
    return _told(request, ctx, signed, order_id, Told.SENT)


@router.post("/{order_id:int}/cancelled")
def cancelled(request: Request, ctx: Ctx, signed: Signed, order_id: int) -> Response:
    """Cancels it: what it reserved is free, what it took is given back."""
    return _told(request, ctx, signed, order_id, Told.CANCELLED)


@router.post("/{order_id:int}/returned")
def returned(request: Request, ctx: Ctx, signed: Signed, form: FormOf[ReturnedTyped], order_id: int) -> Response:
    """Notes what of it came back."""
    tried = attempt(lambda: handling.tell(ctx, signed.actor, order_id, Told.RETURNED, form.back), "order", form.back)
    return _page(request, ctx, signed, order_id, tried)


def _told(request: Request, ctx: Context, signed: Identity, order_id: int, told: Told) -> Response:
    tried = attempt(lambda: handling.tell(ctx, signed.actor, order_id, told), "order")
    return _page(request, ctx, signed, order_id, tried)


@router.get("/{order_id:int}/files/{kept_as}")
def buyers_file(ctx: Ctx, signed: Signed, order_id: int, kept_as: str) -> Response:
    """A file that the buyer handed in; it is never shown, only given out."""
    signed.actor.require(Role.VIEWER)
    found = ctx.db.run(lambda tx: buyer_files.find(tx, kept_as))
    if found is None or found["order_id"] != order_id or not buyer_files.path_of(ctx, found["sha256"]).exists():
        raise NotFound("There is no such file.")
    return FileResponse(
        buyer_files.path_of(ctx, found["sha256"]), media_type="application/octet-stream", filename=found["name"]
    )
