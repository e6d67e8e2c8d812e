"""Files for programs, under /api/v1: brought in with their dry run, and taken out."""

import io
from typing import Annotated

from fastapi import APIRouter, Body, Query
from fastapi.responses import FileResponse
from starlette.background import BackgroundTask

from graupel.context import Context
from graupel.core.errors import NotFound, Refused
from graupel.core.handling import Handling
from graupel.core.record_files import RowsAre
from graupel.core.roles import Actor
from graupel.features.files import exporting, profiles, results, service
from graupel.features.files.api_schemas import ApplyIn, ExportIn, ExportOut, FileOut, export_out, file_out
from graupel.features.products.api import REPEATABLE, RecordId, TokenActor
from graupel.tables.writing import MEDIA_TYPES, Out
from graupel.web.problem import responses
from graupel.web.security import Ctx

router = APIRouter()
Content = Annotated[bytes, Body(media_type="application/octet-stream", description="The file as it is.")]
Name = Annotated[str, Query(min_length=1, max_length=200, description="What the file is called, such as goods.csv")]
Profile = Annotated[str, Query(max_length=120, description="The name of the profile by which it is read")]


@router.post(
    "/files",
    status_code=201,
    response_model=FileOut,
    responses=responses(403, 404, 409, 413, 422),
    dependencies=REPEATABLE,
)
def bring_in(ctx: Ctx, actor: TokenActor, content: Content, name: Name, profile: Profile = "") -> FileOut:
    """Take a file in, and begin its dry run: by a profile, or with its columns as they are guessed.

    Nothing is written until it is applied. Ask for the file until it is planned.
    """
    file_id = service.take(ctx, actor, name, io.BytesIO(content))
    if profile:
        service.use(ctx, actor, file_id, profiles.by_name(ctx, actor, profile)["id"])
        return file_out(service.read(ctx, actor, file_id))
    file = service.read(ctx, actor, file_id)
    try:
        service.request_plan(ctx, actor, file_id, file.rules, Handling.of(file.row))
    except Refused as refusal:  # somebody says on its page which column is what
        return file_out(file, str(refusal))
    return file_out(service.read(ctx, actor, file_id))


@router.get("/files/{file_id}", response_model=FileOut, responses=responses(404))
def read_file(ctx: Ctx, actor: TokenActor, file_id: RecordId) -> FileOut:
    """A file, and how far it is."""
    return file_out(service.read(ctx, actor, file_id))


@router.post(
    "/files/{file_id}/apply",
    status_code=202,
    response_model=FileOut,
    responses=responses(403, 404, 409, 413, 422),
    dependencies=REPEATABLE,
)
def apply_file(ctx: Ctx, actor: TokenActor, file_id: RecordId, body: ApplyIn) -> FileOut:
    """Begin to write what the dry run said, all of it or nothing. Ask for the file until it is applied."""
    confirmed = "" if body.archive is None else str(body.archive)
    service.request_apply(ctx, actor, file_id, leave_out=body.leave_out, confirmed=confirmed)
    return file_out(service.read(ctx, actor, file_id))


@router.get(
    "/files/{file_id}/refused",
    response_class=FileResponse,
    responses={200: {"content": {"text/csv": {}}}, **responses(404)},
)
def read_refused(ctx: Ctx, actor: TokenActor, file_id: RecordId) -> FileResponse:
    """The refused rows in their original form, with a column of reasons: to be mended, and brought in again."""
    return _rows(ctx, actor, file_id, refused=True)


@router.get(
    "/files/{file_id}/rows",
    response_class=FileResponse,
    responses={200: {"content": {"text/csv": {}}}, **responses(404)},
)
def read_rows(ctx: Ctx, actor: TokenActor, file_id: RecordId) -> FileResponse:
    """All rows in their original form, with what became of each, or would."""
    return _rows(ctx, actor, file_id, refused=False)


def _rows(ctx: Context, actor: Actor, file_id: int, *, refused: bool) -> FileResponse:
    path = results.write(ctx, actor, file_id, Out.CSV, refused=refused)
    return FileResponse(path, media_type=MEDIA_TYPES[Out.CSV], background=BackgroundTask(path.unlink, missing_ok=True))


@router.post(
    "/exports",
    status_code=202,
    response_model=ExportOut,
    responses=responses(403, 409, 413, 422),
    dependencies=REPEATABLE,
)
def take_out(ctx: Ctx, actor: TokenActor, body: ExportIn) -> ExportOut:
    """Begin to write the catalogue, or what a view shows. Ask for it until it is ready, then fetch its content."""
    if body.rows is not RowsAre.GOODS:
        asked = exporting.request_records(ctx, actor, body.format, body.rows)
        return export_out(exporting.read(ctx, actor, asked))
    fields = body.columns or list(exporting.all_columns(ctx))
    asked = exporting.request(ctx, actor, body.format, fields, body.view, with_pictures=body.pictures, lens=body.lens)
    return export_out(exporting.read(ctx, actor, asked))


@router.get("/exports/{export_id}", response_model=ExportOut, responses=responses(404))
def read_export(ctx: Ctx, actor: TokenActor, export_id: RecordId) -> ExportOut:
    """A file that goes out, and whether it is ready."""
    return export_out(exporting.read(ctx, actor, export_id))


@router.get(
    "/exports/{export_id}/content",
    response_class=FileResponse,
    responses={200: {"content": {kind: {} for kind in (*MEDIA_TYPES.values(), "application/zip")}}, **responses(404)},
)
def read_content(ctx: Ctx, actor: TokenActor, export_id: RecordId) -> FileResponse:
    """What was written. It is kept for seven days."""
    found = exporting.read(ctx, actor, export_id)
    path = exporting.path_of(ctx, found.row)
    if not found.is_there or not path.exists():
        raise NotFound("This file is not written yet, or not kept any more.")
    return FileResponse(path, media_type=exporting.media_type(found.row), filename=found.file_name)
