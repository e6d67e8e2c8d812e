"""Reports of orders, and the orders themselves, for programs, under /api/v1."""

import json
from datetime import UTC
from decimal import Decimal
from typing import Annotated, Any

from fastapi import APIRouter, Query

from graupel.core.orders import Report, Stack, Told
from graupel.features.orders import handling, reading, service
from graupel.features.orders.reading import Order, Position
from graupel.features.orders.rows import ListedOrderRow, PlacedRow
from graupel.features.orders.schemas import (
    BuyerOut,
    ChosenOut,
    OrderedLineOut,
    OrderOut,
    OrderPage,
    OrderSummary,
    PartOut,
    ProblemOut,
    ReportOut,
    ReportsIn,
    ReportsOut,
    StockLineOut,
    ToldIn,
    TotalsOut,
)
from graupel.features.orders.service import Reported
from graupel.features.products.api import RecordId, TokenActor
from graupel.web.problem import responses
from graupel.web.security import Ctx

router = APIRouter()


@router.post("/orders/reports", response_model=ReportsOut, responses=responses(403, 413, 422))
def report_orders(ctx: Ctx, actor: TokenActor, body: ReportsIn) -> ReportsOut:
    """Tell of orders, payments, cancellations and returns: they reserve, take and give back stock.

    Reports may come in any order, and again: each id counts once. Each is taken in by itself, in the order of the
    list; where one is refused, those before it count, and all can be sent again.
    """
    found = []
    for one in body.reports:
        lines: dict[str, Decimal] = {}
        for line in one.lines:
            lines[line.sku] = lines.get(line.sku, Decimal(0)) + line.quantity
        outcome = service.take(ctx, actor, Reported(one.shop, one.id, one.order, Report(Told(one.told), lines), one.at))
        problems = [ProblemOut(code=p.code, sku=p.field or "", message=p.message) for p in outcome.problems]
        found.append(ReportOut(id=outcome.code, repeated=outcome.repeated, problems=problems))
    return ReportsOut(reports=found)


@router.get("/orders", response_model=OrderPage, responses=responses(403, 422))
def list_orders(
    ctx: Ctx,
    actor: TokenActor,
    stack: Stack = Stack.ALL,
    q: Annotated[str, Query(max_length=100, pattern=r"^[^\x00]*$")] = "",
    before: Annotated[int, Query(ge=0, le=2**32 - 1)] = 0,
) -> OrderPage:
    """Orders of the shop window and those that were reported, the newest first.

    `stack`: open (to be paid or sent), pay, send, back, trial, or all; `q`: the beginning of a number, mail address or
    SKU, or a part of a name.
    """
    found = reading.list_orders(ctx, actor, stack, q.strip(), before)
    return OrderPage(items=[OrderSummary(**_summary(row)) for row in found.orders], next_before=found.before or None)


def _summary(row: ListedOrderRow) -> dict[str, Any]:
    told = {name: bool(row[name]) for name in ("trial", "paid", "sent", "cancelled", "returned")}
    known = {"name": row["name"], "total": row["total"], "currency": row["currency"]}
    made_at = row["made_at"].replace(tzinfo=UTC)
    return {"id": row["id"], "number": row["code"], "shop": row["destination"], "made_at": made_at, **told, **known}


@router.get("/orders/{order_id}", response_model=OrderOut, responses=responses(403, 404, 422))
def read_order(ctx: Ctx, actor: TokenActor, order_id: RecordId) -> OrderOut:
    """One order, with its lines as they were when it was ordered."""
    return _order(reading.read(ctx, actor, order_id))


@router.post("/orders/{order_id}/told", response_model=OrderOut, responses=responses(403, 404, 413, 422))
def tell_of_order(ctx: Ctx, actor: TokenActor, order_id: RecordId, body: ToldIn) -> OrderOut:
    """Tell that an order is paid, sent or cancelled, or what of it came back.

    Told again of what is so, nothing happens; a return counts each time.
    """
    handling.tell(ctx, actor, order_id, Told(body.told), {one.sku: f"{one.quantity:f}" for one in body.lines})
    return _order(reading.read(ctx, actor, order_id))


def _order(found: Order) -> OrderOut:
    placed = found.placed
    known: dict[str, Any] = {"name": None, "total": None, "currency": None}
    if placed:
        known = {"name": placed["name"], "total": placed["total"], "currency": placed["currency"]}
    first, last = (placed["first_day"], placed["last_day"]) if placed else (None, None)
    row: Any = {**found.row, **known}
    return OrderOut(
        **_summary(row),
        buyer=_buyer(placed) if placed else None,
        totals=_totals(placed, found) if placed else None,
        pays_by=placed["pays_by"] if placed else None,
        arrives=(first, last) if first and last else None,
        lines=[_line(one) for one in found.positions],
        stock=[
            StockLineOut(sku=one["sku"], reserved=one["reserved"], taken=one["taken"], returned=one["returned"])
            for one in found.reported
        ],
    )


def _buyer(placed: PlacedRow) -> BuyerOut:
    names = ("mail", "name", "street", "postcode", "town", "country", "note")
    return BuyerOut(language=placed["lang"], **{name: placed[name] for name in names})  # type: ignore[literal-required]


def _totals(placed: PlacedRow, found: Order) -> TotalsOut:
    names = ("goods", "goods_net", "delivery", "delivery_net", "total")
    amounts = {name: placed[name] for name in names}  # type: ignore[literal-required]
    return TotalsOut(taxes=dict(found.taxes), **amounts)


def _line(position: Position) -> OrderedLineOut:
    row = position.row
    names = ("sku", "ordered_as", "name", "variant", "quantity", "unit", "piece", "once", "amount", "net", "weight_g")
    chosen = [ChosenOut(label=c.label, said=c.said, amount=c.amount, once=c.once) for c in position.chosen]
    parts = [PartOut(sku=one["sku"], name=one["name"], quantity=one["quantity"]) for one in json.loads(row["parts"])]
    said = {name: row[name] for name in names}  # type: ignore[literal-required]
    return OrderedLineOut(delivered=row["way"], tax_percent=row["percent"], chosen=chosen, parts=parts, **said)
