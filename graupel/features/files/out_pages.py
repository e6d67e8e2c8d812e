"""Files that go out: what is taken, in which format, and those that were written."""

from collections.abc import Mapping, Sequence
from functools import partial
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import FileResponse, JSONResponse, RedirectResponse, Response

from graupel.context import Context
from graupel.core import sources
from graupel.core.errors import NotFound, Refused
from graupel.core.problems import Problem
from graupel.core.record_files import ROWS_ARE, RowsAre
from graupel.core.roles import Identity, Role
from graupel.features.files import copying, exporting, known, outlets
from graupel.features.files.rows import OutletRow
from graupel.features.files.schemas import Asked, Copied, RecordsOut, TakenOut
from graupel.tables.writing import OUTS, Out
from graupel.web.attempts import attempt
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

router = APIRouter(prefix="/files/out", dependencies=[Depends(from_our_own_page)])


@router.get("")
def show(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Asked]) -> Response:
    """What can be taken out, and what was; or one of the files that go by themselves, to be changed."""
    if asked.change is None:
        return _page(request, ctx, signed, asked.of)
    row = outlets.read(ctx, signed.actor, asked.change)
    return _page(request, ctx, signed, row["query"] or None, changing=row)


def _page(
    request: Request,
    ctx: Context,
    signed: Identity,
    query: str | None,
    problems: Sequence[Problem] = (),
    typed: TakenOut | None = None,
    changing: OutletRow | None = None,
    told: Mapping[str, str] | None = None,
) -> Response:
    typed = typed or (_typed(changing) if changing else None)
    found, there = exporting.newest(ctx, signed.actor), known.current(ctx).fields
    wrong = {name: [one for one in problems if (one.field or "") == name] for name in ("name", "at")}
    return page(
        request,
        "files/out.html",
        part="files/out_list.html",
        status=422 if problems else 200,
        query=query,
        count=exporting.counted(ctx, signed.actor, query),
        outs=OUTS,
        kinds_of_rows={key: words for key, words in ROWS_ARE.items() if key != RowsAre.GOODS},
        columns=there,
        chosen=["sku", *typed.fields] if typed else list(there),
        typed=typed or TakenOut(at="06:00", seen=request.state.seen.lens.key),
        found=found,
        running=any(one.job and one.job["is_open"] for one in found),
        problems=[one for one in problems if one.field not in wrong],
        wrong={name: some for name, some in wrong.items() if some},
        outlets=outlets.list_all(ctx, signed.actor),
        outlet_file=outlets.file_name,
        next_of=partial(outlets.next_of, ctx),
        shown_minute=sources.shown_minute,
        folder=outlets.OUTGOING,
        changing=changing,
        held=outlets.held(changing) if changing else {},
        told=told,
        may_edit=signed.actor.may(Role.EDITOR),
    )


def _typed(row: OutletRow) -> TakenOut:
    """One of the files that go by themselves, as it would be typed."""
    return TakenOut(
        form=Out(row["format"]),
        with_pictures=bool(row["with_pictures"]),
        fields=[name for name in row["fields"] if name != "sku"],
        of=row["query"],
        seen=row["lens"],
        name=row["name"],
        every="hour" if row["every"] == sources.HOUR else "day",
        at=sources.shown_minute(row["every"], row["minute"]),
    )


@router.post("")
def take_out(request: Request, ctx: Ctx, signed: Signed, form: FormOf[TakenOut]) -> Response:
    """Begins to write a file."""
    query = form.of or None
    try:
        exporting.request(ctx, signed.actor, form.form, form.fields, query, **_beside(form))
    except Refused as refusal:
        return _page(request, ctx, signed, query, refusal.problems, form)
    return RedirectResponse("/files/out", 303)


def _beside(form: TakenOut) -> dict[str, Any]:
    """With what, and as what, the goods go out."""
    return {"with_pictures": form.with_pictures, "lens": form.seen}


@router.post("/records")
def take_records(request: Request, ctx: Ctx, signed: Signed, form: FormOf[RecordsOut]) -> Response:
    """Begins to write a file of what goods refer to."""
    try:
        if form.rows_are is RowsAre.GOODS:
            raise Refused.because("export.records", "Choose what to write.", "rows_are")
        exporting.request_records(ctx, signed.actor, form.form, form.rows_are)
    except Refused as refusal:
        return _page(request, ctx, signed, None, refusal.problems)
    return RedirectResponse("/files/out", 303)


@router.post("/outlets")
def add_outlet(request: Request, ctx: Ctx, signed: Signed, form: FormOf[TakenOut]) -> Response:
    """Has such a file written at set times."""
    return _saved(request, ctx, signed, form, None)


@router.post("/outlets/{outlet_id:int}")
def change_outlet(request: Request, ctx: Ctx, signed: Signed, form: FormOf[TakenOut], outlet_id: int) -> Response:
    """Has it written otherwise."""
    return _saved(request, ctx, signed, form, outlets.read(ctx, signed.actor, outlet_id))


def _saved(request: Request, ctx: Context, signed: Identity, form: TakenOut, row: OutletRow | None) -> Response:
    texts = {"name": form.name, "every": form.every, "at": form.at}
    given = (row["id"] if row else None, texts, form.form, form.fields, form.of or None)
    act = partial(outlets.save, ctx, signed.actor, *given, marks=form.marks, **_beside(form))
    tried = attempt(act, "outlet", form, form.marks)
    if tried.problems:
        return _page(request, ctx, signed, form.of or None, tried.problems, form, row, tried.told)
    return RedirectResponse("/files/out", 303)


@router.post("/outlets/{outlet_id:int}/write")
def write_outlet(ctx: Ctx, signed: Signed, outlet_id: int) -> Response:
    """Writes it at once."""
    outlets.write_now(ctx, signed.actor, outlet_id)
    return RedirectResponse("/files/out", 303)


@router.post("/outlets/{outlet_id:int}/remove")
def remove_outlet(ctx: Ctx, signed: Signed, outlet_id: int) -> Response:
    """Writes it no more."""
    outlets.remove(ctx, signed.actor, outlet_id)
    return RedirectResponse("/files/out", 303)


@router.get("/copy")
def copy(ctx: Ctx, signed: Signed, asked: QueryOf[Copied]) -> Response:
    """What the table shows as text with tabs, for a spreadsheet."""
    try:
        text, number = copying.copied(ctx, signed.actor, asked.of, asked.columns)
    except Refused as refusal:  # the script says it
        return JSONResponse({"detail": refusal.problems[0].message}, 422)
    return Response(text, media_type="text/tab-separated-values; charset=utf-8", headers={"X-Rows": str(number)})


@router.get("/{export_id:int}")
def fetch(ctx: Ctx, signed: Signed, export_id: int) -> Response:
    """A file that was written. Raises NotFound."""
    found = exporting.read(ctx, signed.actor, export_id)
    path = exporting.path_of(ctx, found.row)
    if not found.is_there or not path.exists():
        raise NotFound("This file is not there any more. Take it out again.")
    return FileResponse(path, media_type=exporting.media_type(found.row), filename=found.file_name)
