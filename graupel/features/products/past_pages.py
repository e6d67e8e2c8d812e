"""The page of a product as it was at a moment."""

from collections.abc import Sequence
from datetime import datetime, timedelta
from urllib.parse import parse_qs

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response

from graupel.context import Context
from graupel.core import moments
from graupel.core.errors import Refused
from graupel.core.problems import Problem, by_field
from graupel.core.roles import Identity, Role
from graupel.core.tables import COLUMNS, NUMBERS, TableState
from graupel.features.prepared import service as prepared
from graupel.features.products import past, past_table, views
from graupel.features.products.editor import shown_in
from graupel.features.products.page_schemas import Moments, PutBack, TableMoment
from graupel.features.products.past import AsOf
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

router = APIRouter(dependencies=[Depends(from_our_own_page)])
#: So far back one looks who names no moment.
USUAL = timedelta(days=7)


@router.get("/products/as-of")
def table_as_of(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[TableMoment]) -> Response:
    """What was otherwise at a moment of the products that the table shows."""
    found, problems = None, list[Problem]()
    typed = asked.at or moments.typed(ctx.db.run(ctx.now) - USUAL, ctx.zone)
    try:
        at = moments.parse(typed, ctx.zone, "at")
        typed = moments.typed(at, ctx.zone)
        state = views.with_columns(TableState.read(parse_qs(asked.of)), views.columns_of(ctx, signed.actor))
        found = past_table.read(ctx, signed.actor, state, at, request.state.seen, asked.after or 0)
    except Refused as refusal:
        problems = list(refusal.problems)
    return page(
        request,
        "products/as_of_table.html",
        status=422 if problems else 200,
        found=found,
        at=typed,
        of=asked.of,
        labels=COLUMNS,
        numbers=NUMBERS,
        most_gone=past_table.MOST_GONE,
        most_around=past.MOST_AROUND,
        problems=problems,
    )


@router.get("/products/{product_id:int}/as-of")
def as_of(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Moments], product_id: int) -> Response:
    """What a product was at a moment, beside what it is now or was at another."""
    return _page(request, ctx, signed, product_id, asked)


@router.post("/products/{product_id:int}/as-of")
def put_back(request: Request, ctx: Ctx, signed: Signed, form: FormOf[PutBack], product_id: int) -> Response:
    """Puts back what was chosen of it."""
    try:
        past.put_back(ctx, signed.actor, product_id, moments.parse(form.at, ctx.zone, "at"), form.pieces)
    except Refused as refusal:
        return _page(request, ctx, signed, product_id, Moments(at=form.at), refusal.problems, list(form.piece))
    return RedirectResponse(f"/products/{product_id}/as-of?at={form.at}", 303)


def _page(
    request: Request,
    ctx: Context,
    signed: Identity,
    product_id: int,
    asked: Moments,
    problems: Sequence[Problem] = (),
    chosen: Sequence[str] = (),
) -> Response:
    found: AsOf | None = None
    now = ctx.db.run(ctx.now)
    at, other, exact = asked.at, asked.other, ""
    status = 422 if problems else 200
    try:
        first = _first(ctx, asked, now)
        second = moments.parse(other, ctx.zone, "other") if other else None
        found = past.read(ctx, signed.actor, product_id, first, second, request.state.seen, asked.prepared)
        at, other = (moments.typed(one, ctx.zone) for one in (first, second))
        exact = moments.exact(first)
    except Refused as refusal:
        problems, status = [*problems, *refusal.problems], 422
    return page(
        request,
        "products/as_of.html",
        status=status,
        product_id=product_id,
        found=found,
        exact=exact,
        at=at,
        other=other,
        now=now,
        soon=timedelta(seconds=2),
        most_around=past.MOST_AROUND,
        prepared=asked.prepared,
        problems=by_field(list(problems)),
        chosen=chosen,
        may_edit=signed.actor.may(Role.EDITOR),
        **shown_in(request.state.seen),
    )


def _first(ctx: Context, asked: Moments, now: datetime) -> datetime:
    """The moment that is asked for: of a prepared change its own, or the next. Raises Refused, NotFound."""
    if asked.at:
        return moments.parse(asked.at, ctx.zone, "at")
    if asked.prepared:
        return prepared.moment_of(ctx, asked.prepared) or now + timedelta(seconds=1)
    return now - USUAL
