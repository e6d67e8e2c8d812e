"""The search of the shop window, its map, and what was searched in vain."""

from typing import Annotated

from fastapi import APIRouter, Depends, Query, Request
from fastapi.responses import Response

from graupel.core.roles import Role
from graupel.features.destinations import service as destinations
from graupel.features.products import facet_index
from graupel.features.shop import finding, menus, windows
from graupel.features.shop.framing import page_in, say_in
from graupel.features.shop.heads import Head
from graupel.features.shop.schemas import Seen
from graupel.web.frame import page
from graupel.web.security import Anyone, Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf

router = APIRouter(dependencies=[Depends(facet_index.lets_lag)])
guarded = APIRouter(prefix="/searches", dependencies=[Depends(from_our_own_page)])


@router.get("/shop/search")
@router.get("/shop/{where}/search")
def search(
    request: Request,
    ctx: Ctx,
    signed: Anyone,
    where: str = "",
    q: Annotated[str, Query(max_length=400)] = "",
    after: Annotated[int, Query(ge=0, le=1_000_000)] = 0,
) -> Response:
    """Goods by their names and codes."""
    window = windows.window(ctx, where)
    typed = " ".join(q.replace("\0", " ").split())[:100]
    found = finding.search(ctx, window, typed, after)
    in_vain = not found.rows or found.instead
    if typed and not after and in_vain and signed is None and not facet_index.is_behind(ctx):
        finding.note_unfound(ctx, window, typed)
    title = say_in(window)("Search")
    paths = {code: f"{one.path}/search" for code, one in window.in_languages().items()}
    return page_in(
        request,
        window,
        "shop/search.html",
        head=Head(title, "", "", paths, [], is_found=False),
        menu=menus.menu(ctx, window),
        found=found,
        searched=typed,
    )


@router.get("/robots.txt")
def robots(ctx: Ctx, signed: Anyone) -> Response:
    """What search engines may look at (RFC 9309): the shop window, and where its maps are."""
    shops = [one for one in destinations.read_all(ctx).all if one.is_shop]
    maps = [
        f"Sitemap: {ctx.settings.address}/shop{'/' + one.address_part if one.address_part else ''}/sitemap.xml"
        for one in shops
    ]
    rules = ["User-agent: *", "Allow: /shop", "Allow: /media", "Allow: /static", "Disallow: /"]
    return Response("\n".join([*rules, "", *maps, ""]), media_type="text/plain")


@router.get("/shop/sitemap.xml")
@router.get("/shop/{where}/sitemap.xml")
def site_map(ctx: Ctx, signed: Anyone, where: str = "") -> Response:
    """The index of a shop's map."""
    return Response(finding.parts(ctx, windows.window(ctx, where)), media_type="application/xml")


@router.get("/shop/sitemap/{number:int}.xml")
@router.get("/shop/{where}/sitemap/{number:int}.xml")
def site_map_part(ctx: Ctx, signed: Anyone, number: int, where: str = "") -> Response:
    """A part of a shop's map."""
    return Response(finding.part(ctx, windows.window(ctx, where), number), media_type="application/xml")


@guarded.get("")
def searches(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """What buyers searched in vain."""
    found = finding.unfound(ctx, signed.actor)
    names = {one.code: one.name for one in destinations.read_all(ctx).shops}
    return page(request, "shop/searches.html", found=found, names=names, may_edit=signed.actor.may(Role.EDITOR))


@guarded.post("/seen")
def seen_to(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Seen]) -> Response:
    """Takes lines away that were seen to."""
    finding.take_away(ctx, signed.actor, form.ids)
    return Response(status_code=204, headers={"HX-Redirect": "/searches"})
