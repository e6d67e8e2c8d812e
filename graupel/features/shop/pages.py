"""The shop window's pages, open to everybody."""

from collections.abc import Callable
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import RedirectResponse, Response

from graupel.core.phrases import phrase
from graupel.core.products import Status
from graupel.core.typed import number, numbers
from graupel.features.shop import articles, service
from graupel.features.shop.service import Window
from graupel.web.frame import page
from graupel.web.security import Anyone, Ctx

router = APIRouter()


def _number(address: str) -> int:
    head = address.partition("-")[0]
    return number(head) or 0


def _chosen(text: str) -> tuple[int, ...]:
    """The filters of an address; what can't be read is left out."""
    return tuple(dict.fromkeys(numbers(text.split("."))))[:40]


def _say(window: Window) -> Callable[..., str]:
    """The shop window's own words in the language of the shop."""
    return lambda key, *values: phrase(key, window.seen.language, *values)


@router.get("/shop")
@router.get("/shop/{where}")
def home(
    request: Request,
    ctx: Ctx,
    signed: Anyone,
    where: str = "",
    after: Annotated[int, Query(ge=0)] = 0,
    f: str = "",
) -> Response:
    """What is new."""
    window = service.window(ctx, where)
    shelf = service.shelf(ctx, window, None, after, _chosen(f))
    return _page(request, window, "shop/shelf.html", shelf=shelf, menu=shelf.menu)


def _page(request: Request, window: Window, template: str, **data: Any) -> Response:
    return page(request, template, window=window, say=_say(window), **window.shown, **data)


@router.get("/shop/c/{address}")
@router.get("/shop/{where}/c/{address}")
def category(
    request: Request,
    ctx: Ctx,
    signed: Anyone,
    address: str,
    where: str = "",
    after: Annotated[int, Query(ge=0)] = 0,
    f: str = "",
) -> Response:
    """The goods of a category; an old address leads to the one that it has now."""
    window = service.window(ctx, where)
    shelf = service.shelf(ctx, window, _number(address) or -1, after, _chosen(f))
    right = shelf.menu.path_of(shelf.category) if shelf.category else ""
    if request.url.path != right:
        return RedirectResponse(right, 301)
    return _page(request, window, "shop/shelf.html", shelf=shelf, menu=shelf.menu)


@router.get("/shop/p/{address}")
@router.get("/shop/{where}/p/{address}")
def article(
    request: Request, ctx: Ctx, signed: Anyone, address: str, where: str = "", v: Annotated[int, Query(ge=0)] = 0
) -> Response:
    """One article, in one of its variants; a draft only for those signed in, and named as such."""
    window = service.window(ctx, where)
    product = service.product(ctx, window, _number(address), signed.actor if signed else None)
    right = articles.path_of(product, window)
    if request.url.path != right:
        variant = f"?v={v}" if v else ""
        return RedirectResponse(right + variant, 301 if product.values.status is Status.LIVE else 302)
    return _page(
        request,
        window,
        "shop/article.html",
        product=product,
        article=articles.article(ctx, product, v, window),
        menu=service.menu(ctx, window),
        preview=product.values.status is not Status.LIVE,
    )
