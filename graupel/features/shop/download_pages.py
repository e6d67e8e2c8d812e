"""Downloads in the shop window: what a buyer was given, and what everybody can look into before buying."""

from fastapi import APIRouter, Request
from fastapi.responses import FileResponse, Response

from graupel.context import Context
from graupel.core.downloads import Standing
from graupel.core.errors import NotFound
from graupel.features.downloads import giving
from graupel.features.downloads.giving import Ready
from graupel.features.downloads.responses import Counted
from graupel.features.shop import basket_words, looking, menus, windows
from graupel.features.shop.framing import page_in, say_in, who_of
from graupel.features.shop.heads import Head
from graupel.web.security import Anyone, Ctx

router = APIRouter()
#: A link that leads to nothing any more is gone (RFC 9110, 15.5.11); one that is busy may be asked again.
_STATUSES = {Standing.BUSY: 409}


@router.get("/shop/d/{secret}")
def download(request: Request, ctx: Ctx, signed: Anyone, secret: str) -> Response:
    """Gives out what a buyer was given; it counts when all of it was sent."""
    return _send(request, ctx, secret, counts=True)


@router.get("/shop/d/{secret}/play")
def play(request: Request, ctx: Ctx, signed: Anyone, secret: str) -> Response:
    """The same, to be played in a page: that does not count."""
    if not giving.read(ctx, secret).download.media:
        raise NotFound("This can’t be played.")
    return _send(request, ctx, secret, counts=False)


def _send(request: Request, ctx: Context, secret: str, *, counts: bool) -> Response:
    found = giving.begin(ctx, secret, who_of(request), counts=counts)
    if isinstance(found, Ready):
        return Counted(ctx, found, request.headers.get("Range", ""), inline=not counts)
    window = windows.window(ctx)
    say = say_in(window)
    head = Head(say("Your downloads"), "", "", {}, [], is_found=False)
    return page_in(
        request,
        window,
        "shop/gone.html",
        head=head,
        status=_STATUSES.get(found, 410),
        menu=menus.menu(ctx, window),
        why=basket_words.downloads(window)[found],
        is_busy=found is Standing.BUSY,
    )


@router.get("/shop/look/{download_id:int}")
def look_inside(ctx: Ctx, signed: Anyone, download_id: int) -> Response:
    """What everybody can look into before buying: an excerpt of a live product's download. Raises NotFound."""
    found = ctx.db.run(lambda tx: looking.excerpt_of(tx, download_id))
    path = looking.path_of(ctx, found)
    if path is None or not path.exists():
        raise NotFound("There is nothing to look into.")
    kind = "application/pdf" if found.ending == "pdf" else "application/octet-stream"
    name = found.newest["file_name"]
    return FileResponse(path, media_type=kind, filename=name, content_disposition_type="inline")
