"""Pictures coming in from the editor, and going out to everybody."""

from fastapi import APIRouter, Depends, Request
from fastapi.responses import FileResponse, Response
from starlette.datastructures import UploadFile

from graupel.core.errors import NotFound, Refused
from graupel.features.media import service
from graupel.web.frame import page
from graupel.web.security import Ctx, Form, Signed, from_our_own_page

router = APIRouter()


@router.post("/media", dependencies=[Depends(from_our_own_page)])
def take(request: Request, ctx: Ctx, signed: Signed, form: Form) -> Response:
    """Takes one picture in; answers with its tile for the editor."""
    file = form.get("file")
    if not isinstance(file, UploadFile):
        return page(request, "media/tile_problem.html", status=422, message="No file came with this. Choose a picture.")
    try:
        media = service.take(ctx, signed.actor, file.filename or "picture", file.file.read())
    except Refused as refusal:
        return page(request, "media/tile_problem.html", status=422, message=refusal.problems[0].message)
    return page(request, "media/tile.html", media=media, alt="", may_edit=True)


@router.get("/media/tile/{media_id}")
def tile(request: Request, ctx: Ctx, signed: Signed, media_id: int, alt: str = "") -> Response:
    """The tile of one picture for the editor."""
    found = service.read_many(ctx, [media_id]).get(media_id)
    if found is None:
        raise NotFound("This picture is not there any more.")
    return page(request, "media/tile.html", media=found, alt=alt[:300], may_edit=True)


@router.get("/media/{sha256}/{size}")
def give(ctx: Ctx, sha256: str, size: str) -> FileResponse:
    """A picture. Its name is made from its bytes, so it may be kept for ever."""
    path, media_type = service.find(ctx, sha256, size)
    return FileResponse(path, media_type=media_type, headers={"Cache-Control": "public, max-age=31536000, immutable"})
