"""Bringing a file in: upload, columns, dry run, apply, result; and taking the catalogue out."""

import tempfile
from pathlib import Path

from fastapi import APIRouter, Depends, Request
from fastapi.responses import FileResponse, RedirectResponse, Response
from starlette.background import BackgroundTask

from graupel.core.encodings import ENCODINGS
from graupel.core.errors import Refused
from graupel.core.imports import COLUMNS
from graupel.features.categories import service as categories
from graupel.features.files import counted, exporting, service
from graupel.features.files.reading import DELIMITERS, TextShape
from graupel.features.files.schemas import Applied, Matched, ReadAs, Shown, Uploaded
from graupel.features.history import service as history
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf

router = APIRouter(dependencies=[Depends(from_our_own_page)])


@router.get("/files")
def index(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """The files that came in, and where the next one is chosen."""
    return _index(request, ctx, signed)


def _index(request: Request, ctx: Ctx, signed: Signed, problem: str = "", status: int = 200) -> Response:
    return page(
        request,
        "files/index.html",
        status=status,
        files=service.list_files(ctx, signed.actor),
        problem=problem,
        columns=COLUMNS,
    )


@router.post("/files")
def take(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Uploaded]) -> Response:
    """Takes a file and leads to its columns."""
    file = form.file
    if file is None or not file.filename:
        return _index(request, ctx, signed, "Choose a file first.", 422)
    try:
        file_id = service.take(ctx, signed.actor, file.filename, file.file)
    except Refused as refusal:
        return _index(request, ctx, signed, refusal.problems[0].message, 422)
    return RedirectResponse(f"/files/{file_id}", 303)


@router.get("/files/catalogue.csv")
def catalogue(ctx: Ctx, signed: Signed) -> FileResponse:
    """The whole catalogue as a file that can be brought in again."""
    with tempfile.NamedTemporaryFile(suffix=".csv", delete=False) as file:
        path = Path(file.name)
    exporting.export(ctx, signed.actor, path)
    return FileResponse(path, media_type="text/csv", filename="catalogue.csv", background=BackgroundTask(path.unlink))


@router.get("/files/{file_id}")
def show(request: Request, ctx: Ctx, signed: Signed, file_id: int) -> Response:
    """One file at the step it is at; for htmx the step alone, or the rows of its dry run."""
    return _show(request, ctx, signed, file_id)


def _show(request: Request, ctx: Ctx, signed: Signed, file_id: int, problem: str = "", status: int = 200) -> Response:
    file = service.read(ctx, signed.actor, file_id)
    asked = Shown.from_sent(request.query_params)
    again = asked.columns is not None and file.row["state"] != "applied"
    step = "matching" if again and file.step == "planned" else file.step
    is_listed = step == "planned" or bool(step == "applied" and (file.row["counts"] or {}).get("moved"))
    shown = asked.show if step == "planned" else "moved"
    rows = service.rows_of(ctx, signed.actor, file, shown, asked.q, asked.after or 0) if is_listed else None
    done = file.row["change_set_id"] if step == "applied" else None
    result = history.read(ctx, signed.actor, done) if done else None
    return page(
        request,
        "files/file.html",
        part="files/rows.html" if request.headers.get("HX-Target") == "file-rows" and rows else "files/step.html",
        status=status,
        file=file,
        step=step,
        rows=rows,
        problem=problem,
        columns=COLUMNS,
        delimiters=DELIMITERS,
        encodings=ENCODINGS,
        tree=categories.read_tree(ctx),
        result=result,
        counts_at=counted.shown(ctx, file.row),
    )


@router.post("/files/{file_id}/plan")
def plan(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Matched], file_id: int) -> Response:
    """Begins the dry run with the columns as chosen."""
    try:
        live, show_new = form.new_as == "live", form.new_categories == "shown"
        columns = _chosen_columns(form)
        service.request_plan(
            ctx, signed.actor, file_id, columns, go_live=live, show_new=show_new, counts_at=form.counts_at
        )
    except Refused as refusal:
        return _show(request, ctx, signed, file_id, refusal.problems[0].message, 422)
    return RedirectResponse(f"/files/{file_id}", 303)


@router.post("/files/{file_id}/shape")
def read_as(request: Request, ctx: Ctx, signed: Signed, form: FormOf[ReadAs], file_id: int) -> Response:
    """Reads the file in another encoding, or with another delimiter."""
    try:
        service.read_as(ctx, signed.actor, file_id, TextShape(form.encoding, form.delimiter))
    except Refused as refusal:
        return _show(request, ctx, signed, file_id, refusal.problems[0].message, 422)
    return RedirectResponse(f"/files/{file_id}", 303)


def _chosen_columns(form: Matched) -> dict[str, int]:
    chosen: dict[str, int] = {}
    for index, name in form.column.items():
        if name in chosen:
            raise Refused.because(
                "columns.twice", f"Two columns are matched to {COLUMNS[name].label}. Leave one of them out."
            )
        if name:
            chosen[name] = index
    return chosen


@router.post("/files/{file_id}/apply")
def apply(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Applied], file_id: int) -> Response:
    """Begins to write what the dry run said."""
    try:
        service.request_apply(ctx, signed.actor, file_id, leave_out=form.leave_out)
    except Refused as refusal:
        return _show(request, ctx, signed, file_id, refusal.problems[0].message, 422)
    return RedirectResponse(f"/files/{file_id}", 303)


@router.post("/files/{file_id}/again")
def again(ctx: Ctx, signed: Signed, file_id: int) -> Response:
    """Looks once more at the rows that were left out because their products had changed."""
    return RedirectResponse(f"/files/{service.request_again(ctx, signed.actor, file_id)}", 303)


@router.get("/files/{file_id}/refused.csv")
def refused(ctx: Ctx, signed: Signed, file_id: int) -> Response:
    """The refused rows with their reasons."""
    text = service.refused_rows(ctx, signed.actor, file_id)
    return Response(
        "\ufeff" + text,
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="refused-{file_id}.csv"'},
    )
