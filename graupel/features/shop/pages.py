"""The shop window's pages, open to everybody."""

from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import RedirectResponse, Response

from graupel.core.products import Status
from graupel.features.shop import articles, service
from graupel.web.frame import page
from graupel.web.security import Anyone, Ctx

router = APIRouter()


def _number(address: str) -> int:
    head = address.partition("-")[0]
    return int(head) if head.isdecimal() and len(head) < 10 else 0


@router.get("/shop")
def home(request: Request, ctx: Ctx, signed: Anyone, after: Annotated[int, Query(ge=0)] = 0) -> Response:
    """What is new."""
    return page(request, "shop/shelf.html", shelf=service.shelf(ctx, None, after))


@router.get("/shop/c/{address}")
def category(
    request: Request, ctx: Ctx, signed: Anyone, address: str, after: Annotated[int, Query(ge=0)] = 0
) -> Response:
    """The goods of a category; an old address leads to the one that it has now."""
    shelf = service.shelf(ctx, _number(address) or -1, after)
    right = shelf.menu.path_of(shelf.category) if shelf.category else ""
    if f"/shop/c/{address}" != right:
        return RedirectResponse(right, 301)
    return page(request, "shop/shelf.html", shelf=shelf)


@router.get("/shop/p/{address}")
def article(request: Request, ctx: Ctx, signed: Anyone, address: str, v: Annotated[int, Query(ge=0)] = 0) -> Response:
    """One article, in one of its variants; a draft only for those signed in, and named as such."""
    product = service.product(ctx, _number(address), signed.actor if signed else None)
    right = articles.path_of(product)
    if f"/shop/p/{address}" != right:
        variant = f"?v={v}" if v else ""
        return RedirectResponse(right + variant, 301 if product.values.status is Status.LIVE else 302)
    return page(
        request,
        "shop/article.html",
        product=product,
        article=articles.article(ctx, product, v),
        menu=service.menu(ctx),
        preview=product.values.status is not Status.LIVE,
    )
