"""Reports of orders for programs, under /api/v1."""

from decimal import Decimal

from fastapi import APIRouter

from graupel.core.orders import Report, Told
from graupel.features.orders import service
from graupel.features.orders.schemas import ProblemOut, ReportOut, ReportsIn, ReportsOut
from graupel.features.orders.service import Reported
from graupel.features.products.api import TokenActor
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
