"""History: the change sets, each with its records, and the roll back."""

import csv
import io
from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, date, datetime, time, timedelta
from itertools import islice
from urllib.parse import urlencode
from zoneinfo import ZoneInfo

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response, StreamingResponse

from graupel.context import Context
from graupel.core import moments
from graupel.core.cells import harmless
from graupel.core.errors import Refused
from graupel.core.keeping import GROUPS
from graupel.core.problems import Problem
from graupel.core.roles import Identity, Role
from graupel.features.history import keeping, one_record, pieces, records, rolling_back, service
from graupel.features.history.schemas import Keeping, OfRecord, Paged, Pieces, Searched
from graupel.web.attempts import FRESH, Attempt, attempt
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

router = APIRouter(dependencies=[Depends(from_our_own_page)])

KINDS = {
    "": "Everything",
    "product.save": "Products changed",
    "product.make": "Products made",
    "product.copy": "Products copied",
    "variants.make": "Variants made",
    "variants.set": "Variants changed",
    "bulk.apply": "Changed in bulk",
    "files.apply": "Files brought in",
    "listing.state": "Sent to channels",
    "category.save": "Categories changed",
    "user.role": "Roles changed",
    "rollback": "Rolled back",
    "rollback.part": "Put back in part",
    "product.restore": "Put back as they were",
}


#: The fields that History can be searched by, of the kinds of record that people ask for.
_SEARCHED = ("product", "variant", "category", "attribute", "brand", "tag", "media", "listing")


def _fields() -> list[tuple[str, list[tuple[str, str]]]]:
    """For each of these kinds its fields, as (key, label)."""
    known = {kind.name: kind for kind in records.kinds()}
    return [
        (known[name].label, [(f"{name}.{one.name}", one.label) for one in known[name].record.fields])
        for name in _SEARCHED
        if name in known
    ]


def _asked(searched: Searched, zone: ZoneInfo) -> service.Asked:
    fields = {key for _, some in _fields() for key, _ in some}
    return service.Asked(
        searched.q,
        searched.who,
        _day(searched.since, zone),
        _day(searched.until, zone, days=1),
        searched.kind if searched.kind in KINDS and searched.kind else None,
        searched.field if searched.field in fields else "",
        searched.product,
    )


def _day(day: date | None, zone: ZoneInfo, days: int = 0) -> datetime | None:
    """The moment at which a day begins in the shop's time zone, or ``days`` later, as UTC."""
    try:
        begins = datetime.combine(day + timedelta(days=days), time(), zone) if day else None
        return begins.astimezone(UTC).replace(tzinfo=None) if begins else None
    except OverflowError:
        return None


@router.get("/history")
def index(request: Request, ctx: Ctx, signed: Signed, searched: QueryOf[Searched]) -> Response:
    """The newest change sets, those that fit a search."""
    query = searched.texts
    asked = _asked(searched, ZoneInfo(ctx.settings.time_zone))
    found = service.list_change_sets(ctx, signed.actor, searched.before, asked=asked)
    kept = {name: value for name, value in query.items() if value}
    if asked.product is not None:
        kept["product"] = str(asked.product)
    return page(
        request,
        "history/index.html",
        found=found,
        kinds=KINDS,
        query=query,
        product=asked.product,
        kept=urlencode(kept),
        fields=_fields(),
    )


@router.get("/history/keeping")
def show_keeping(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """For how long the record is kept."""
    return _keeping(request, ctx, signed)


@router.post("/history/keeping")
def save_keeping(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Keeping]) -> Response:
    """Says for how long."""
    typed = {group.field: getattr(form, group.field) for group in GROUPS}
    tried = attempt(lambda: keeping.save(ctx, signed.actor, typed, form.marks), "keeping", typed, form.marks)
    return _keeping(request, ctx, signed, tried)


def _keeping(request: Request, ctx: Context, signed: Identity, tried: Attempt = FRESH) -> Response:
    held = keeping.read(ctx, signed.actor)
    days = {name: "" if number is None else str(number) for name, number in held.items()}
    may_edit = signed.actor.may(Role.OWNER)
    data = {"groups": GROUPS, "held": held, "days": tried.typed or days, "may_edit": may_edit, **tried.shown}
    return page(request, "history/keeping.html", part="history/keeping_part.html", **data)


@router.get("/history/{change_set_id:int}")
def show(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Paged], change_set_id: int) -> Response:
    """One change set. What a roll back of it would do is worked out while the page is read already."""
    return _change_set(request, ctx, signed, change_set_id, asked.page)


@router.post("/history/{change_set_id}/pieces")
def put_back_pieces(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Pieces], change_set_id: int) -> Response:
    """Puts single records and fields of a change set back."""
    try:
        by = pieces.put_back(ctx, signed.actor, change_set_id, form.pieces)
    except Refused as refusal:
        return _change_set(request, ctx, signed, change_set_id, form.page, refusal.problems, form.piece)
    return RedirectResponse(f"/history/{by}", 303)


def _change_set(
    request: Request,
    ctx: Context,
    signed: Identity,
    change_set_id: int,
    number: int,
    problems: Sequence[Problem] = (),
    chosen: Sequence[str] = (),
) -> Response:
    detail = service.read(ctx, signed.actor, change_set_id, number)
    before = detail.change_set["made_at"].replace(tzinfo=UTC) - timedelta(milliseconds=1)
    return page(
        request,
        "history/change_set.html",
        before=moments.exact(before),
        status=422 if problems else 200,
        detail=detail,
        pieces=pieces.beside(ctx, signed.actor, detail.journalled),
        problems=problems,
        chosen=chosen,
        may_edit=signed.actor.may(Role.EDITOR),
    )


@router.get("/history/of/{kind}/{record_id:int}")
def of_record(
    request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[OfRecord], kind: str, record_id: int
) -> Response:
    """What happened to one record and to what belongs to it."""
    found = one_record.read(ctx, signed.actor, kind, record_id, before=asked.before, field=asked.field)
    return page(request, "history/record.html", found=found, field=asked.field, before=asked.before)


@router.get("/history/{change_set_id}/changes.csv")
def as_file(ctx: Ctx, signed: Signed, change_set_id: int) -> Response:
    """All that a change set did, field by field, as a table."""
    rows = service.as_table(ctx, signed.actor, change_set_id)
    name = f"changes-{change_set_id}.csv"
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return StreamingResponse(_lines(rows), media_type="text/csv; charset=utf-8", headers=headers)


def _lines(rows: Iterable[Sequence[str]]) -> Iterator[str]:
    """A table as CSV, some lines at a time; no spreadsheet runs a cell of it."""
    yield "\ufeff"
    for some in _by(rows, 500):
        out = io.StringIO()
        csv.writer(out).writerows([harmless(cell) for cell in row] for row in some)
        yield out.getvalue()


def _by(rows: Iterable[Sequence[str]], number: int) -> Iterator[list[Sequence[str]]]:
    """Rows by so many at a time."""
    left = iter(rows)
    while some := list(islice(left, number)):
        yield some


@router.get("/history/{change_set_id}/plan")
def plan(request: Request, ctx: Ctx, signed: Signed, change_set_id: int) -> Response:
    """What a roll back would do; of a large change set that is worked out when it is asked for."""
    detail = service.read(ctx, signed.actor, change_set_id)
    found, makes = detail.change_set, any(row.made for row in detail.counts)
    outcome, reason = None, ""
    if found["records"] <= rolling_back.AT_ONCE:
        try:
            outcome = rolling_back.plan(ctx, signed.actor, change_set_id)
        except Refused as refusal:
            reason = str(refusal)
    return page(request, "history/plan.html", one=found, plan=outcome, makes=makes, reason=reason)


@router.post("/history/{change_set_id}/plan")
def work_out(ctx: Ctx, signed: Signed, change_set_id: int) -> Response:
    """Begins to work out what a roll back of a large change set would do."""
    job_id = rolling_back.request_plan(ctx, signed.actor, change_set_id)
    return RedirectResponse(f"/history/{change_set_id}/rollback/{job_id}", 303)


@router.post("/history/{change_set_id}/rollback")
def rollback(ctx: Ctx, signed: Signed, change_set_id: int) -> Response:
    """Begins a roll back."""
    job_id = rolling_back.request(ctx, signed.actor, change_set_id)
    return RedirectResponse(f"/history/{change_set_id}/rollback/{job_id}", 303)


@router.get("/history/{change_set_id}/rollback/{job_id}")
def rolling_back_page(request: Request, ctx: Ctx, signed: Signed, change_set_id: int, job_id: int) -> Response:
    """How far a roll back is, or the working out of one; where it made a change set, leads to that in the end."""
    job = rolling_back.job(ctx, signed.actor, job_id)
    here = f"/history/{change_set_id}"
    if job["state"] == "done" and job["link"] != here:
        if "HX-Request" in request.headers:
            return Response(status_code=204, headers={"HX-Redirect": job["link"]})
        return RedirectResponse(job["link"], 303)
    return page(request, "history/rolling.html", part="history/rolling_part.html", job=job, change_set_id=change_set_id)
