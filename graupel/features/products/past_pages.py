"""The page of a product as it was at a moment."""

from datetime import datetime, timedelta

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response

from graupel.context import Context
from graupel.core import moments
from graupel.core.errors import Refused
from graupel.core.problems import Problem, by_field
from graupel.core.roles import Identity, Role
from graupel.features.products import past
from graupel.features.products.editor import shown_in
from graupel.features.products.page_schemas import Moments, PutBack
from graupel.features.products.past import AsOf
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

router = APIRouter(dependencies=[Depends(from_our_own_page)])
#: So far back one looks who names no moment.
USUAL = timedelta(days=7)


@router.get("/products/{product_id:int}/as-of")
def as_of(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Moments], product_id: int) -> Response:
    """What a product was at a moment, beside what it is now or was at another."""
    return _page(request, ctx, signed, product_id, asked.at, asked.other, [])


@router.post("/products/{product_id:int}/as-of")
def put_back(request: Request, ctx: Ctx, signed: Signed, form: FormOf[PutBack], product_id: int) -> Response:
    """Puts back what was chosen of it."""
    try:
        past.put_back(ctx, signed.actor, product_id, past.moment(ctx, form.at, "at"), form.pieces)
    except Refused as refusal:
        return _page(request, ctx, signed, product_id, form.at, "", refusal.problems, list(form.piece))
    return RedirectResponse(f"/products/{product_id}/as-of?at={form.at}", 303)


def _page(
    request: Request,
    ctx: Context,
    signed: Identity,
    product_id: int,
    at: str,
    other: str,
    problems: list[Problem],
    chosen: list[str] | None = None,
) -> Response:
    found: AsOf | None = None
    status, first = 422 if problems else 200, ctx.db.run(ctx.now) - USUAL
    try:
        first = past.moment(ctx, at, "at") if at else first
        second = past.moment(ctx, other, "other") if other else None
        found = past.read(ctx, signed.actor, product_id, first, second, request.state.seen)
        at, other = (moments.typed(one, ctx.zone) for one in (first, second))
    except Refused as refusal:
        problems, status = [*problems, *refusal.problems], 422
    return page(
        request,
        "products/as_of.html",
        status=status,
        product_id=product_id,
        found=found,
        exact=first.strftime("%Y-%m-%dT%H:%M:%SZ") if found else "",
        at=at,
        other=other,
        latest=_now(ctx),
        problems=by_field(problems),
        chosen=chosen or [],
        may_edit=signed.actor.may(Role.EDITOR),
        **shown_in(request.state.seen),
    )


def _now(ctx: Context) -> str:
    now: datetime = ctx.db.run(ctx.now)
    return moments.typed(now, ctx.zone)
