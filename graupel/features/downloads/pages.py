"""Downloads: all of them, one with its versions and who took it, the part of the product editor, files in pieces."""

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import FileResponse, Response

from graupel.context import Context
from graupel.core import downloads as rules
from graupel.core.errors import NotFound
from graupel.core.roles import Actor, Identity, Role
from graupel.db import Tx
from graupel.features.destinations.service import Seen
from graupel.features.downloads import giving, keeping, service, store
from graupel.features.downloads.schemas import Came, DownloadTyped, UsesTyped
from graupel.features.products import service as products
from graupel.features.products.service import Product
from graupel.web.attempts import FRESH, Attempt, attempt
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf

router = APIRouter(prefix="/downloads", dependencies=[Depends(from_our_own_page)])


@router.get("")
def index(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """All downloads."""
    return _list(request, ctx, signed)


def _list(request: Request, ctx: Context, signed: Identity, tried: Attempt = FRESH) -> Response:
    found = service.list_all(ctx, signed.actor)
    total = sum(one.download.newest["bytes"] for one in found)
    return page(request, "downloads/downloads.html", found=found, total=total, **tried.shown)


@router.post("")
def make(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Came]) -> Response:
    """Makes a download of a file that came whole."""
    made: list[int] = []
    tried = attempt(
        lambda: made.append(service.make(ctx, signed.actor, form.product, form.file_name, form.upload)), "downloads"
    )
    if form.product:
        return _part(request, ctx, signed, form.product, tried)
    if made:
        return Response(status_code=204, headers={"HX-Redirect": f"/downloads/{made[0]}"})
    return _list(request, ctx, signed, tried)


@router.get("/{download_id:int}")
def show(request: Request, ctx: Ctx, signed: Signed, download_id: int) -> Response:
    """One download."""
    return _page(request, ctx, signed, download_id)


def _page(request: Request, ctx: Context, signed: Identity, download_id: int, tried: Attempt = FRESH) -> Response:
    detail = service.read(ctx, signed.actor, download_id)
    row = detail.download.row
    return page(
        request,
        "downloads/download.html",
        part="downloads/download_part.html",
        detail=detail,
        t=tried.typed if tried.problems and tried.typed else service.texts(row),
        marks=service.flat(row),
        playable=rules.PLAYABLE.get(detail.download.ending, ""),
        may_edit=signed.actor.may(Role.EDITOR),
        **tried.shown,
    )


@router.post("/{download_id:int}")
def save(request: Request, ctx: Ctx, signed: Signed, form: FormOf[DownloadTyped], download_id: int) -> Response:
    """Writes what is said of a download."""
    tried = attempt(
        lambda: service.save(ctx, signed.actor, download_id, form.typed, form.marks), "download", form.typed, form.marks
    )
    return _page(request, ctx, signed, download_id, tried)


@router.post("/{download_id:int}/version")
def new_version(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Came], download_id: int) -> Response:
    """Gives a new version of its file."""
    tried = attempt(lambda: service.new_version(ctx, signed.actor, download_id, form.file_name, form.upload), "version")
    return _page(request, ctx, signed, download_id, tried)


@router.get("/{download_id:int}/versions/{version_id:int}")
def version(ctx: Ctx, signed: Signed, download_id: int, version_id: int) -> Response:
    """A version's file, as it is."""
    signed.actor.require(Role.VIEWER)
    found = ctx.db.run(lambda tx: store.version(tx, version_id))
    path = keeping.path_of(ctx, found["kept_as"]) if found and found["download_id"] == download_id else None
    if found is None or path is None or not path.exists():
        raise NotFound("There is no such file.")
    return FileResponse(path, media_type="application/octet-stream", filename=found["file_name"])


@router.post("/given/{given_id:int}/open")
def open_again(ctx: Ctx, signed: Signed, given_id: int) -> Response:
    """Lets a buyer have a download again."""
    order_id = giving.open_again(ctx, signed.actor, given_id)
    return Response(status_code=204, headers={"HX-Redirect": f"/orders/{order_id}"})


# --- the part of the product editor --------------------------------------------------------------------------


def part_data(ctx: Context, actor: Actor, product: Product, seen: Seen) -> dict[str, Any]:
    """What the editor's part shows."""

    def work(tx: Tx) -> dict[str, Any]:
        used = service.of_product(tx, product.id)
        there = {one.download.id for one in used}
        others = service.load(tx, [row["id"] for row in store.every(tx) if row["id"] not in there][:500])
        distinct = {one.download.id: one.download for one in used}
        return {
            "used": used,
            "marks": service.marks_of(used),
            "free": sorted(others.values(), key=lambda one: one.row["name"]),
            "total": sum(one.newest["bytes"] for one in distinct.values()),
            "variants": [(one.id, one.sku) for one in product.for_sale] if product.varies else [],
        }

    return ctx.db.run(work) | {"may_edit": actor.may(Role.EDITOR)}


def part_mark(data: dict[str, Any]) -> str:
    """The shape of its mark."""
    return "full" if data["used"] else "dash"


product_router = APIRouter(prefix="/products/{product_id}/downloads", dependencies=[Depends(from_our_own_page)])


@product_router.post("")
def arrange(request: Request, ctx: Ctx, signed: Signed, form: FormOf[UsesTyped], product_id: int) -> Response:
    """Makes the downloads of a product these, in this order."""
    product = products.read(ctx, signed.actor, product_id)
    tried = attempt(
        lambda: service.arrange(ctx, signed.actor, product_id, form.wishes, product.values.name, form.marks),
        "downloads",
        form.wishes,
        form.marks,
    )
    return _part(request, ctx, signed, product_id, tried)


def _part(request: Request, ctx: Context, signed: Identity, product_id: int, tried: Attempt) -> Response:
    product = products.read(ctx, signed.actor, product_id)
    data = part_data(ctx, signed.actor, product, request.state.seen)
    return page(request, "downloads/part.html", product=product, data=data, **tried.shown)
