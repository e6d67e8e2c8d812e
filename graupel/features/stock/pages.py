"""Stock: by location, below its threshold, its record, counting and moving, and how goods are sold."""

from dataclasses import replace
from datetime import UTC, datetime
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from graupel import mail
from graupel.context import Context
from graupel.core.errors import NotFound, Refused
from graupel.core.problems import Problem
from graupel.core.roles import Identity, Role
from graupel.core.showing import plural
from graupel.core.stock import TYPED_REASONS
from graupel.features.products import selling
from graupel.features.stock import alerts, counting, places, service, store
from graupel.features.stock.schemas import (
    Booked,
    LocationTyped,
    NoticeTyped,
    RecordAsked,
    RulesTyped,
    Scanned,
    StockAsked,
)
from graupel.features.stock.service import Asked
from graupel.features.vocabulary import service as vocabulary
from graupel.web.attempts import FRESH, Attempt, attempt
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

router = APIRouter(prefix="/stock", dependencies=[Depends(from_our_own_page)])
#: Read by programs that can't sign in: its address has a secret part.
open_router = APIRouter()


@router.get("")
def index(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[StockAsked]) -> Response:
    """Variants with what is there of them."""
    found = service.read(ctx, signed.actor, Asked(asked.show, asked.q, asked.location, asked.after))
    return page(
        request,
        "stock/stock.html",
        part="stock/stock_part.html",
        found=found,
        asked=asked,
        several=len(found.locations) > 1,
        locations=found.locations,
        reasons=TYPED_REASONS,
        may_edit=signed.actor.may(Role.EDITOR),
        wrong={},
        typed="",
    )


@router.post("/book")
def book(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Booked]) -> Response:
    """Books what was typed into a line, and gives the line anew."""
    wrong: list[Problem] = []
    try:
        reason = service.read_reason(form.reason)
        service.book(ctx, signed.actor, form.variant, form.location, form.text, form.shown, reason)
    except Refused as refusal:
        wrong = refusal.problems
    said = service.said(ctx)
    return page(
        request,
        "stock/line.html",
        status=422 if wrong else 200,
        line=service.line(ctx, signed.actor, form.variant),
        locations=said.locations,
        several=said.has_locations,
        may_edit=signed.actor.may(Role.EDITOR),
        wrong={form.location or 0: wrong} if wrong else {},
        typed=form.text if wrong else "",
    )


@router.get("/of/{product_id:int}")
def record(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[RecordAsked], product_id: int) -> Response:
    """What is there of a product, and what changed it."""
    found = service.record(ctx, signed.actor, product_id, asked.variant, asked.before)
    return page(
        request,
        "stock/record.html",
        part="stock/record_part.html",
        found=found,
        asked=asked,
        locations=found.locations,
        several=len(found.locations) > 1,
        reasons=TYPED_REASONS,
        may_edit=signed.actor.may(Role.EDITOR),
        wrong={},
        typed="",
    )


# --- counting and moving ---------------------------------------------------------------------------------------


@router.get("/count")
def count_page(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """Where one types or scans what is counted."""
    return _by_codes(request, ctx, signed, "count", Scanned(began=_now()))


@router.get("/move")
def move_page(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """Where one types or scans what goes from one location to another."""
    return _by_codes(request, ctx, signed, "move", Scanned())


def _now() -> str:
    return datetime.now(UTC).replace(tzinfo=None).isoformat(timespec="milliseconds")


def _by_codes(
    request: Request,
    ctx: Context,
    signed: Identity,
    act: str,
    form: Scanned,
    problems: list[Problem] | None = None,
    said: str = "",
) -> Response:
    signed.actor.require(Role.VIEWER)
    found = counting.by_codes(ctx, signed.actor, form.codes, form.location)
    of_selling = service.said(ctx)
    wrong = problems if problems is not None else list(found.problems)
    return page(
        request,
        f"stock/{act}.html",
        part=f"stock/{act}_part.html",
        status=422 if problems else 200,
        found=found,
        typed=form,
        problems=wrong,
        locations=of_selling.locations,
        several=of_selling.has_locations,
        may_edit=signed.actor.may(Role.EDITOR),
        said=said,
    )


@router.post("/count/look")
def look_at_count(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Scanned]) -> Response:
    """What a count would change; writes nothing."""
    return _by_codes(request, ctx, signed, "count", form)


@router.post("/count")
def count(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Scanned]) -> Response:
    """Books a count."""
    try:
        changed = counting.count(ctx, signed.actor, form.codes, form.location, form.began)
    except Refused as refusal:
        return _by_codes(request, ctx, signed, "count", form, refusal.problems)
    said = f"Counted: {plural(changed, 'variant')} changed." if changed else "Counted: everything was as it stands."
    return _by_codes(request, ctx, signed, "count", Scanned(began=_now(), location=form.location), said=said)


@router.post("/move/look")
def look_at_move(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Scanned]) -> Response:
    """What a move would take and bring; writes nothing."""
    return _by_codes(request, ctx, signed, "move", form)


@router.post("/move")
def move(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Scanned]) -> Response:
    """Moves goods."""
    try:
        moved = counting.move(ctx, signed.actor, form.codes, form.location or 0, form.to or 0)
    except Refused as refusal:
        return _by_codes(request, ctx, signed, "move", form, refusal.problems)
    kept = Scanned(location=form.location, to=form.to)
    return _by_codes(request, ctx, signed, "move", kept, said=f"Moved: {plural(moved, 'variant')}.")


# --- rules, locations, notices ---------------------------------------------------------------------------------


@router.get("/rules")
def rules(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """How goods are sold, where they lie, and who is told."""
    return _rules(request, ctx, signed)


def _rules(request: Request, ctx: Context, signed: Identity, tried: Attempt = FRESH) -> Response:
    signed.actor.require(Role.VIEWER)
    said = service.said(ctx)
    rows: dict[int | str, Any] = {"shop": said.shop} | dict(said.types.items())
    words = vocabulary.read(ctx)
    return page(
        request,
        "stock/rules.html",
        part="stock/rules_part.html",
        texts={key: places.texts(row) for key, row in rows.items()},
        marks={key: places.flat(row) for key, row in rows.items()},
        none_said=places.texts(None),
        above_shop=selling.above(replace(said, shop=None), None),
        above_types=selling.above(said, None),
        types={key: one.name for key, one in words.types.items()},
        locations=said.locations,
        mails=ctx.db.run(store.notice)["mails"],
        mail_works=mail.is_set_up(ctx.settings),
        feed=ctx.settings.address + alerts.feed_path(ctx) if signed.actor.may(Role.EDITOR) else "",
        may_edit=signed.actor.may(Role.EDITOR),
        may_change=signed.actor.may(Role.OWNER),
        **tried.shown,
    )


@router.post("/rules/shop")
@router.post("/rules/types/{type_id:int}")
def save_rules(
    request: Request, ctx: Ctx, signed: Signed, form: FormOf[RulesTyped], type_id: int | None = None
) -> Response:
    """Writes the rules of the shop or of a type."""
    at = f"rules-{type_id or 'shop'}"
    if type_id is not None and type_id not in vocabulary.read(ctx).types:
        raise NotFound("This product type is not there any more.")
    tried = attempt(lambda: places.save(ctx, signed.actor, type_id, form.typed, form.marks), at, form.typed, form.marks)
    return _rules(request, ctx, signed, tried)


@router.post("/locations")
def add_location(request: Request, ctx: Ctx, signed: Signed, form: FormOf[LocationTyped]) -> Response:
    """A further location."""
    tried = attempt(lambda: places.add(ctx, signed.actor, form.name), "location-0", {"name": form.name})
    return _rules(request, ctx, signed, tried)


@router.post("/locations/{location_id:int}")
def rename_location(
    request: Request, ctx: Ctx, signed: Signed, form: FormOf[LocationTyped], location_id: int
) -> Response:
    """Another name."""
    at, typed = f"location-{location_id}", {"name": form.name}
    return _rules(
        request, ctx, signed, attempt(lambda: places.rename(ctx, signed.actor, location_id, form.name), at, typed)
    )


@router.post("/locations/{location_id:int}/earlier")
def use_earlier(request: Request, ctx: Ctx, signed: Signed, location_id: int) -> Response:
    """Uses a location before the one above it."""
    places.use_earlier(ctx, signed.actor, location_id)
    return _rules(request, ctx, signed)


@router.post("/locations/{location_id:int}/delete")
def delete_location(request: Request, ctx: Ctx, signed: Signed, location_id: int) -> Response:
    """Takes a location away."""
    tried = attempt(lambda: places.remove(ctx, signed.actor, location_id), f"location-{location_id}")
    return _rules(request, ctx, signed, tried)


@router.post("/notices")
def save_notice(request: Request, ctx: Ctx, signed: Signed, form: FormOf[NoticeTyped]) -> Response:
    """Who is written to."""
    tried = attempt(lambda: places.save_notice(ctx, signed.actor, form.mails), "notice", {"mails": form.mails})
    return _rules(request, ctx, signed, tried)


@open_router.get("/stock/low/{key}.atom")
def feed(ctx: Ctx, key: str) -> Response:
    """What fell below its threshold, for programs that read feeds."""
    return Response(alerts.feed(ctx, key), media_type="application/atom+xml")
