"""Files that go out: what is taken, in which format, and those that were written."""

from fastapi import APIRouter, Depends, Request
from fastapi.responses import FileResponse, JSONResponse, RedirectResponse, Response

from graupel.context import Context
from graupel.core.errors import NotFound, Refused
from graupel.core.roles import Identity
from graupel.features.files import copying, exporting, known
from graupel.features.files.schemas import Asked, Copied, TakenOut
from graupel.tables.writing import OUTS, Out
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

router = APIRouter(prefix="/files/out", dependencies=[Depends(from_our_own_page)])


@router.get("")
def show(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Asked]) -> Response:
    """What can be taken out, and what was."""
    return _page(request, ctx, signed, asked.of)


def _page(
    request: Request,
    ctx: Context,
    signed: Identity,
    query: str | None,
    problem: str = "",
    typed: TakenOut | None = None,
) -> Response:
    found, there = exporting.newest(ctx, signed.actor), known.current(ctx).fields
    return page(
        request,
        "files/out.html",
        part="files/out_list.html",
        status=422 if problem else 200,
        query=query,
        count=exporting.counted(ctx, signed.actor, query),
        outs=OUTS,
        columns=there,
        chosen=typed.fields if typed else list(there),
        form=typed.form if typed else Out.CSV,
        with_pictures=typed.with_pictures if typed else False,
        found=found,
        running=any(one.job and one.job["is_open"] for one in found),
        problem=problem,
    )


@router.post("")
def take_out(request: Request, ctx: Ctx, signed: Signed, form: FormOf[TakenOut]) -> Response:
    """Begins to write a file."""
    query = form.of or None
    try:
        exporting.request(ctx, signed.actor, form.form, form.fields, query, with_pictures=form.with_pictures)
    except Refused as refusal:
        return _page(request, ctx, signed, query, refusal.problems[0].message, form)
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
