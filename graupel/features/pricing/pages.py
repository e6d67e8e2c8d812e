"""Prices: the time line of the shop, sales, why something costs what it costs; and the part of the product editor."""

from collections.abc import Mapping
from datetime import timedelta
from typing import Any
from urllib.parse import parse_qs

from fastapi import APIRouter, Depends, Request
from fastapi.responses import JSONResponse, Response

from graupel.context import Context
from graupel.core import moments, sale_plans
from graupel.core.changes import journal_values
from graupel.core.errors import Outdated, Refused
from graupel.core.problems import Problem, by_field
from graupel.core.roles import Actor, Identity, Role
from graupel.core.sales import Sale, TakesOff
from graupel.core.tables import TableState
from graupel.core.time_lines import PART_WIDTH, SHORT_NAMES, draw
from graupel.db import Tx
from graupel.features.destinations.service import Seen
from graupel.features.pricing import lines, margins, overview, promotions, quantities, selling, why
from graupel.features.pricing.overview import Overview
from graupel.features.pricing.schemas import (
    SPANS,
    Asked,
    GoodsAsked,
    Looked,
    Margin,
    Moved,
    QuantityPricesTyped,
    SaleTyped,
)
from graupel.features.pricing.selling import Goods
from graupel.features.products import asking, table
from graupel.features.products import service as products
from graupel.features.products.service import Product
from graupel.web.frame import page
from graupel.web.looking import at_once
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

router = APIRouter(prefix="/prices", dependencies=[Depends(from_our_own_page)])
#: How far the time line of a product reaches.
PRODUCT_WEEKS = 20


# --- the whole shop ------------------------------------------------------------------------------------------


@router.get("")
@at_once
def index(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Looked]) -> Response:
    """What is valid when."""
    return _index(request, ctx, signed, asked)


def _index(
    request: Request, ctx: Context, signed: Identity, asked: Looked, *, status: int = 200, **data: Any
) -> Response:
    found = overview.read(ctx, signed.actor, int(asked.weeks), asked.near, asked.only)
    shown = {"panel": None, "said": "", "trouble": [], **data}
    if shown["panel"] is None and asked.sale is not None:
        shown["panel"] = _panel(ctx, signed, overview.one(ctx, signed.actor, asked.sale))
    return page(
        request,
        "pricing/prices.html",
        part="pricing/prices_part.html",
        status=status,
        found=found,
        asked=asked,
        spans=SPANS,
        may_edit=signed.actor.may(Role.EDITOR),
        **shown,
    )


def _panel(
    ctx: Context, signed: Identity, one: Overview | None, typed: Mapping[str, str] | None = None, **data: Any
) -> dict[str, Any]:
    """The form of a sale beside what it means."""
    zone = selling.zone_of(ctx)
    place = ctx.db.run(lambda tx: selling.place_of(ctx, tx))
    sale = one.sale if one else None
    begun = sale_plans_text(sale, zone) if sale else {}
    return {
        "one": one,
        "typed": {**begun, **(typed or {})},
        "showing": journal_values(selling.columns(sale)) if sale else {},
        "destinations": place.destinations,
        "promotions": promotions.every(ctx, signed.actor),
        "zone": zone,
        "problems": {},
        "marks_then": None,
        "goods": None,
        **data,
    }


def sale_plans_text(sale: Sale, zone: Any) -> dict[str, str]:
    """What stands in the fields of a sale's form."""
    return {
        "title": sale.title,
        "destination": sale.destination,
        "amount": sale_plans.typed_reduction(sale.reduction),
        "ends_so": "yes" if sale.reduction.ends_so else "",
        "joined": "yes" if sale.joined else "",
        "begins": moments.typed(sale.begins, zone),
        "ends": moments.typed(sale.ends, zone),
        "promotion": str(sale.promotion_id or ""),
    }


@router.get("/sales/{sale_id:int}")
@at_once
def show(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Looked], sale_id: int) -> Response:
    """One sale, on the time line and below it."""
    one = overview.one(ctx, signed.actor, sale_id)
    return _index(request, ctx, signed, asked, panel=_panel(ctx, signed, one))


# --- planning ------------------------------------------------------------------------------------------------


@router.get("/new")
def begin(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[GoodsAsked]) -> Response:
    """An empty form for a sale, for the goods that are asked for."""
    signed.actor.require(Role.EDITOR)
    goods = overview.goods_asked(ctx, signed.actor, asked.products, asked.query)
    now = ctx.db.run(ctx.now).replace(second=0, microsecond=0)
    begins = moments.typed(now + timedelta(days=1), selling.zone_of(ctx))[:10] + "T00:00"
    typed = {"amount": "", "begins": begins, "ends": "", "ends_so": "yes", "destination": ""}
    return _index(request, ctx, signed, asked, panel=_panel(ctx, signed, None, typed, goods=goods))


def _goods(ctx: Context, signed: Identity, form: SaleTyped) -> Goods:
    """For which goods a form's sale is. Raises Refused."""
    if form.reach is None:
        raise Refused.because("sale.goods", "Choose for which goods it is.", "goods")
    if form.query:
        found = ctx.db.run(lambda tx: table.matching(ctx, tx, TableState.read(parse_qs(form.query))))
        return Goods(form.reach, list(found))
    return Goods(form.reach, form.products, form.target)


@router.post("/preview")
@router.post("/preview/{sale_id:int}")
def preview(
    request: Request, ctx: Ctx, signed: Signed, form: FormOf[SaleTyped], sale_id: int | None = None
) -> Response:
    """What a sale would do as it stands in the form; writes nothing."""
    signed.actor.require(Role.EDITOR)
    said: dict[str, Any] = {"check": None, "examples": [], "wrong": []}
    try:
        goods = None if sale_id else _goods(ctx, signed, form)
        said |= overview.tried(ctx, signed.actor, form.raw, goods, sale_id)
    except Refused as refusal:
        said["wrong"] = [problem.message for problem in refusal.problems]
    return page(request, "pricing/does.html", **said)


@router.post("/sales")
def plan(request: Request, ctx: Ctx, signed: Signed, form: FormOf[SaleTyped]) -> Response:
    """Plans a sale."""
    try:
        sale_id = selling.plan(ctx, signed.actor, form.raw, _goods(ctx, signed, form))
    except Refused as refusal:
        goods = overview.goods_asked(ctx, signed.actor, form.products, form.query, form.reach, form.target)
        panel = _panel(ctx, signed, None, form.raw, goods=goods, problems=by_field(refusal.problems))
        return _index(request, ctx, signed, form, panel=panel, status=422)
    return Response(status_code=204, headers={"HX-Redirect": f"/prices/sales/{sale_id}"})


@router.post("/sales/{sale_id:int}")
def save(request: Request, ctx: Ctx, signed: Signed, form: FormOf[SaleTyped], sale_id: int) -> Response:
    """Writes what was typed of a sale."""
    try:
        selling.save(ctx, signed.actor, sale_id, form.raw, form.marks)
    except Refused as refusal:
        return _again(request, ctx, signed, sale_id, form, refusal.problems)
    except Outdated as outdated:
        return _again(request, ctx, signed, sale_id, form, [Problem("sale.changed", str(outdated))], outdated.marks)
    one = overview.one(ctx, signed.actor, sale_id)
    return _index(request, ctx, signed, form, panel=_panel(ctx, signed, one))


def _again(
    request: Request,
    ctx: Context,
    signed: Identity,
    sale_id: int,
    form: SaleTyped,
    problems: list[Problem],
    marks: Any = None,
) -> Response:
    """The form with what was typed, and what is wrong with it."""
    one = overview.one(ctx, signed.actor, sale_id)
    then = marks or form.marks
    panel = _panel(ctx, signed, one, form.raw, problems=by_field(problems), marks_then=then)
    return _index(request, ctx, signed, form, panel=panel, status=422)


@router.post("/sales/{sale_id:int}/move")
def move(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Moved], sale_id: int) -> Response:
    """Moves or stretches a sale on a time line; shows that anew."""
    zone, trouble = selling.zone_of(ctx), []
    try:
        ends = moments.parse(form.ends, zone) if form.ends.strip() else None
        selling.move(ctx, signed.actor, sale_id, moments.parse(form.begins, zone), ends)
    except Refused as refusal:
        trouble = [problem.message for problem in refusal.problems]
    if form.product is not None:
        return part(request, ctx, signed, form.product, trouble=trouble, status=422 if trouble else 200)
    one = overview.one(ctx, signed.actor, form.sale or sale_id)
    panel = _panel(ctx, signed, one)
    return _index(request, ctx, signed, form, panel=panel, trouble=trouble, status=422 if trouble else 200)


@router.post("/sales/{sale_id:int}/end")
def end(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Looked], sale_id: int) -> Response:
    """Ends a sale that is on."""
    trouble = []
    try:
        selling.end_now(ctx, signed.actor, sale_id)
    except Refused as refusal:
        trouble = [problem.message for problem in refusal.problems]
    one = overview.one(ctx, signed.actor, sale_id)
    return _index(request, ctx, signed, form, panel=_panel(ctx, signed, one), trouble=trouble)


@router.post("/sales/{sale_id:int}/delete")
def delete(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Looked], sale_id: int) -> Response:
    """Takes back a sale that has not begun."""
    try:
        selling.remove(ctx, signed.actor, sale_id)
    except Refused as refusal:
        one = overview.one(ctx, signed.actor, sale_id)
        trouble = [problem.message for problem in refusal.problems]
        return _index(request, ctx, signed, form, panel=_panel(ctx, signed, one), trouble=trouble, status=422)
    return Response(status_code=204, headers={"HX-Redirect": "/prices"})


# --- why, and how much ---------------------------------------------------------------------------------------


@router.get("/why")
def show_why(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Asked]) -> Response:
    """Why something costs what it costs, as the lens sees it."""
    found = why.ask(ctx, signed.actor, asked.product, asked.variant, request.state.seen.lens, asked.quantity)
    return page(
        request,
        "pricing/why.html",
        why=found,
        currency=found.currency,
        takes=TakesOff,
        locale=request.state.seen.locale,
    )


@router.get("/worked-out")
def work_out(ctx: Ctx, signed: Signed, asked: QueryOf[Margin]) -> JSONResponse:
    """The price that a margin or markup gives, or a price with the price ending; and what both are of it."""
    signed.actor.require(Role.VIEWER)
    try:
        return JSONResponse(margins.work_out(ctx, asked))
    except Refused as refusal:
        return JSONResponse({"wrong": [problem.message for problem in refusal.problems]}, 422)


# --- the part of the product editor --------------------------------------------------------------------------


def part_data(ctx: Context, actor: Actor, product: Product, seen: Seen) -> dict[str, Any]:
    zone = selling.zone_of(ctx)

    def work(tx: Tx) -> dict[str, Any]:
        found = asking.of(ctx, tx, product, seen.lens)
        since, until = lines.lens_span(found.now, PRODUCT_WEEKS, 0)
        rows = lines.of_product(ctx, tx, found, since, until)
        here = [one for one in found.sales if one.ends is None or one.ends > found.now]
        return {
            "product": product,
            "drawing": draw(rows, since, until, found.now, zone, PART_WIDTH, SHORT_NAMES),
            "open": here,
            "quantities": found.quantities,
            "texts": [_quantity_texts(one) for one in found.quantities],
            "marks": quantities.flat(found.quantities),
            "marks_then": None,
            "destinations": {one.code: one.name for one in seen.all.all},
            "axes": product.axes,
            "may_edit": actor.may(Role.EDITOR),
            "zone": zone,
            "has_any": bool(found.sales or found.quantities),
        }

    return ctx.db.run(work)


def _quantity_texts(one: Any) -> dict[str, str]:
    return {
        "from": str(one.from_quantity),
        "amount": sale_plans.typed_reduction(one.reduction),
        "destination": one.destination,
        "variant": str(one.variant_id or ""),
    }


def part_mark(data: dict[str, Any]) -> str:
    return "full" if data["open"] or data["quantities"] else "dash"


def part(
    request: Request, ctx: Context, signed: Identity, product_id: int, *, status: int = 200, **data: Any
) -> Response:
    """The part of the editor, as it is under the lens."""
    product = products.read(ctx, signed.actor, product_id)
    shown = part_data(ctx, signed.actor, product, request.state.seen)
    return page(
        request,
        "pricing/part.html",
        status=status,
        product=product,
        data=shown | data.pop("shown", {}),
        may_edit=shown["may_edit"],
        **{"said": "", "trouble": [], "quantity_problems": {}, **data},
    )


@router.post("/products/{product_id:int}/quantities")
def save_quantities(
    request: Request, ctx: Ctx, signed: Signed, form: FormOf[QuantityPricesTyped], product_id: int
) -> Response:
    """Makes the quantity prices of a product what was typed."""
    try:
        quantities.save(ctx, signed.actor, product_id, form.rows, form.marks)
    except Outdated as outdated:
        texts: dict[str, Any] = {"texts": form.rows, "marks_then": outdated.marks}
        wrong = by_field([Problem("quantity.changed", str(outdated), "")])
        return part(request, ctx, signed, product_id, shown=texts, quantity_problems=wrong, opened=True, status=409)
    except Refused as refusal:
        texts = {"texts": form.rows, "marks_then": form.marks}
        return part(
            request,
            ctx,
            signed,
            product_id,
            shown=texts,
            quantity_problems=by_field(refusal.problems),
            opened=True,
            status=422,
        )
    return part(request, ctx, signed, product_id)
