"""Media coming in, the library, and files going out to everybody."""

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import FileResponse, JSONResponse, Response

from graupel.context import Context
from graupel.core.errors import Refused
from graupel.core.media import ENDINGS, MediaKind
from graupel.core.roles import Actor, Identity, Role
from graupel.features.media import library, service
from graupel.features.media.library import Wanted
from graupel.features.media.schemas import Chosen, Link, Shelf, Shown, Successor, Typed, Uploaded
from graupel.features.media.service import Media
from graupel.features.vocabulary import service as vocabulary
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

router = APIRouter()
guarded = [Depends(from_our_own_page)]
KINDS = [
    (MediaKind.PICTURE, "Pictures"),
    (MediaKind.VIDEO, "Videos"),
    (MediaKind.MODEL, "3D models"),
    (MediaKind.LINK, "Links"),
]


def _plain(media: Media) -> dict[str, Any]:
    """What a script needs of a file."""
    return {"id": media.id, "name": media.file_name, "face": media.face("card"), "kind": str(media.kind)}


@router.post("/media", dependencies=guarded)
def take(ctx: Ctx, signed: Signed, form: FormOf[Uploaded]) -> JSONResponse:
    """Takes one file in."""
    file = form.file
    if file is None:
        return JSONResponse({"problem": "No file came with this. Choose one."}, 422)
    try:
        return JSONResponse(_plain(service.take(ctx, signed.actor, file.filename or "file", file.file.read())))
    except Refused as refusal:
        return JSONResponse({"problem": refusal.problems[0].message}, 422)


@router.post("/media/link", dependencies=guarded)
def take_link(ctx: Ctx, signed: Signed, form: FormOf[Link]) -> JSONResponse:
    """Notes a video or recording elsewhere."""
    try:
        found = service.take_link(ctx, signed.actor, form.address, form.title)
    except Refused as refusal:
        return JSONResponse({"problem": refusal.problems[0].message}, 422)
    return JSONResponse(_plain(found))


# --- the library ---------------------------------------------------------------------------------------------


def _library(request: Request, ctx: Context, signed: Identity, *, status: int = 200, **data: Any) -> Response:
    wanted = Shelf.from_sent(request.query_params).wanted
    return page(
        request,
        "media/library.html",
        part="media/shelf.html",
        status=status,
        wanted=wanted,
        shelf=library.shelf(ctx, signed.actor, wanted),
        kinds=KINDS,
        endings=",".join(ENDINGS),
        tag=vocabulary.read(ctx).tags.get(wanted.tag_id or 0, ""),
        may_edit=signed.actor.may(Role.EDITOR),
        **{"said": "", "trouble": "", **data},
    )


@router.get("/media")
def show_library(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """All media, the newest first."""
    return _library(request, ctx, signed)


@router.post("/media/delete", dependencies=guarded)
def delete_many(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Chosen]) -> Response:
    """Deletes files that nothing uses."""
    try:
        number = service.delete(ctx, signed.actor, form.chosen)
    except Refused as refusal:
        return _library(request, ctx, signed, status=422, trouble=refusal.problems[0].message)
    said = f"{number:,} {'file' if number == 1 else 'files'} deleted. History can bring them back."
    return _library(request, ctx, signed, said=said)


@router.get("/media/pick")
def pick(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Shelf]) -> Response:
    """What the library has, for choosing one of it."""
    wanted = asked.wanted
    if asked.pictures:
        wanted = Wanted(wanted.search, MediaKind.PICTURE, before=wanted.before)
    shelf = library.shelf(ctx, signed.actor, wanted)
    return page(request, "media/pick.html", wanted=wanted, shelf=shelf, pictures="1" if asked.pictures else "")


def _detail(request: Request, ctx: Context, signed: Identity, media_id: int, **data: Any) -> Response:
    detail = library.detail(ctx, signed.actor, media_id)
    return page(
        request,
        "media/one.html",
        part="media/one_part.html",
        status=data.pop("status", 200),
        detail=detail,
        showing=service.flat(detail.media.file_name, detail.media.poster_id, detail.tags),
        all_tags=sorted(vocabulary.read(ctx).tags.values()),
        problems={},
        endings=",".join(ENDINGS),
        may_edit=signed.actor.may(Role.EDITOR),
        **{"said": "", "trouble": "", **data},
    )


@router.get("/media/{media_id:int}")
def show_one(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Shown], media_id: int) -> Response:
    """One file: what was measured, and where it is used."""
    said = "The new file stands wherever the old one stood." if asked.replaced else ""
    return _detail(request, ctx, signed, media_id, said=said)


@router.post("/media/{media_id:int}", dependencies=guarded)
def save(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Typed], media_id: int) -> Response:
    """Saves name, poster and tags."""
    service.save(ctx, signed.actor, media_id, form.file_name, form.poster_id, form.tags, form.marks)
    return _detail(request, ctx, signed, media_id, said="Saved.")


@router.post("/media/{media_id:int}/replace", dependencies=guarded)
def replace(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Successor], media_id: int) -> Response:
    """Puts another file in its place, wherever it is used."""
    try:
        successor = _successor(ctx, signed.actor, form)
        new = service.replace(ctx, signed.actor, media_id, successor, keep_old=form.keep_old)
    except Refused as refusal:
        return _detail(request, ctx, signed, media_id, trouble=refusal.problems[0].message, status=422)
    return Response(status_code=204, headers={"HX-Redirect": f"/media/{new.id}?replaced=1"})


def _successor(ctx: Context, actor: Actor, form: Successor) -> int:
    """The file that takes another's place: one that comes in now, or one of the library."""
    if form.file is not None:
        return service.take(ctx, actor, form.file.filename or "file", form.file.file.read()).id
    if form.from_library is not None:
        return form.from_library
    raise Refused.because("media.none", "Choose the file that is to take its place.", "file")


@router.post("/media/{media_id:int}/delete", dependencies=guarded)
def delete(request: Request, ctx: Ctx, signed: Signed, media_id: int) -> Response:
    """Deletes a file that nothing uses."""
    try:
        service.delete(ctx, signed.actor, [media_id])
    except Refused as refusal:
        return _detail(request, ctx, signed, media_id, trouble=refusal.problems[0].message, status=422)
    return Response(status_code=204, headers={"HX-Redirect": "/media"})


# --- files going out -----------------------------------------------------------------------------------------


@router.get("/media/{sha256}/{size}")
@router.get("/media/{sha256}/{size}/{name}")
def give(ctx: Ctx, sha256: str, size: str, name: str = "") -> FileResponse:
    """A file, under whatever name it is asked for. Its address is made from its bytes, so it may be kept for ever."""
    path, media_type, lasting = service.find(ctx, sha256, size)
    kept = "public, max-age=31536000, immutable" if lasting else "no-cache"
    return FileResponse(path, media_type=media_type, headers={"Cache-Control": kept})
