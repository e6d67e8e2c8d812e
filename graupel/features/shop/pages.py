"""The shop window's pages, open to everybody."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Depends, Query, Request
from fastapi.responses import RedirectResponse, Response

from graupel.context import Context
from graupel.core.errors import GraupelError
from graupel.core.problems import Problem
from graupel.core.products import Status
from graupel.core.typed import number, numbers
from graupel.features.products import facet_index
from graupel.features.reviews import service as reviews
from graupel.features.shop import (
    articles,
    button,
    buying,
    heads,
    looking,
    menus,
    price_filter,
    related,
    service,
    windows,
)
from graupel.features.shop.framing import page_in, say_in
from graupel.features.shop.heads import Head
from graupel.features.shop.schemas import Bought
from graupel.features.shop.service import Narrowed, Shelf, ShownProduct
from graupel.features.shop.windows import Window
from graupel.web.frame import page
from graupel.web.looking import at_once
from graupel.web.security import Anyone, Ctx

router = APIRouter(dependencies=[Depends(facet_index.lets_lag)])


def number_of(address: str) -> int:
    """The id that an address begins with, 0 for none."""
    head = address.partition("-")[0]
    return number(head) or 0


class Asked:
    """How a shelf is narrowed, as an address says it; what can't be read is left out."""

    def __init__(
        self,
        after: Annotated[int, Query(ge=0)] = 0,
        f: Annotated[list[str] | None, Query()] = None,
        had: str = "",
        low: Annotated[str, Query(max_length=40)] = "",
        high: Annotated[str, Query(max_length=40)] = "",
    ) -> None:
        self.after, self._choices, self._had, self._prices = after, f or (), had, (low, high)

    def narrowed(self, window: Window) -> Narrowed:
        """For a shop: prices are in its currency."""
        chosen = tuple(dict.fromkeys(one for text in self._choices for one in numbers(text.split("."))))[:40]
        return Narrowed(chosen, self._had == "yes", price_filter.read(*self._prices, window.shop.currency))


@router.get("/shop")
@router.get("/shop/{where}")
@at_once
def home(
    request: Request,
    ctx: Ctx,
    signed: Anyone,
    asked: Annotated[Asked, Depends()],
    where: str = "",
) -> Response:
    """What is new."""
    window = windows.window(ctx, where)
    shelf = service.shelf(ctx, window, None, asked.after, asked.narrowed(window))
    return _shelf(request, window, shelf, asked.after)


def _shelf(request: Request, window: Window, shelf: Shelf, after: int) -> Response:
    say = say_in(window)
    title = shelf.values.name if shelf.category else say("New in")
    head = heads.of_shelf(request.app.state.ctx.settings.address, window, shelf, title, after)
    return page_in(request, window, "shop/shelf.html", shelf=shelf, menu=shelf.menu, title=title, head=head)


def explain(request: Request, status: int) -> Response:
    """What buyers read where a page is not there or can't be shown, in the language of the address."""
    ctx = request.app.state.ctx
    is_gone = status in (400, 404, 405, 410, 422)
    part = request.url.path.removeprefix("/shop").strip("/").partition("/")[0]
    try:
        window = windows.window_or_first(ctx, part)
        menu = menus.menu(ctx, window) if status < 500 else None
    except GraupelError:
        window, menu = windows.no_window(ctx), None
    say = say_in(window)
    title = say("This page is not here") if is_gone else say("This page can’t be shown now")
    why = (
        say("It may have been moved, or what it showed is not for sale any more.")
        if is_gone
        else say("Try again in a moment.")
    )
    head = Head(title, "", "", {}, [], is_found=False)
    return page_in(request, window, "shop/error.html", head=head, status=status, menu=menu, title=title, why=why)


def _moved(request: Request, path: str, status: int) -> Response:
    """To the address that a page has now, with the rest of what was asked."""
    return RedirectResponse(path + (f"?{request.url.query}" if request.url.query else ""), status)


@router.get("/shop/c/{address}")
@router.get("/shop/{where}/c/{address}")
@at_once
def category(
    request: Request,
    ctx: Ctx,
    signed: Anyone,
    address: str,
    asked: Annotated[Asked, Depends()],
    where: str = "",
) -> Response:
    """The goods of a category; an old address leads to the one that it has now."""
    window = windows.window(ctx, where)
    shelf = service.shelf(ctx, window, number_of(address) or -1, asked.after, asked.narrowed(window))
    right = shelf.paths[window.seen.language]
    if request.url.path != right:
        return _moved(request, right, 301)
    return _shelf(request, window, shelf, asked.after)


@router.get("/shop/p/{address}")
@router.get("/shop/{where}/p/{address}")
@at_once
def article(
    request: Request,
    ctx: Ctx,
    signed: Anyone,
    address: str,
    where: str = "",
    v: Annotated[int, Query(ge=0)] = 0,
    thanks: Annotated[str, Query(max_length=10)] = "",
) -> Response:
    """One article, in one of its variants; a draft only for those signed in, and named as such."""
    window = windows.window(ctx, where)
    found = service.product(ctx, window, number_of(address), signed.actor if signed else None)
    product, right = found.product, found.paths[window.seen.language]
    if request.url.path != right:
        return _moved(request, right, 301 if product.values.status is Status.LIVE else 302)
    return article_page(request, ctx, window, found, v, thanks=bool(thanks))


@router.get("/shop/p/{address}/button")
@router.get("/shop/{where}/p/{address}/button")
@at_once
def buy_button(
    request: Request, ctx: Ctx, signed: Anyone, address: str, where: str = "", v: Annotated[int, Query(ge=0)] = 0
) -> Response:
    """A small page with one article, for the frame of another page."""
    window = windows.window(ctx, where)
    found = service.product(ctx, window, number_of(address), None)
    article = articles.article(ctx, found, v, window)
    return page(
        request,
        "shop/button.html",
        headers=button.HEADERS,
        window=window,
        say=say_in(window),
        product=found.product,
        article=article,
        **window.shown,
    )


def article_page(
    request: Request,
    ctx: Context,
    window: Window,
    found: ShownProduct,
    variant_id: int,
    bought: Bought | None = None,
    problems: Sequence[Problem] = (),
    *,
    review: Mapping[str, str] | None = None,
    review_wrong: Mapping[str, str] | None = None,
    thanks: bool = False,
) -> Response:
    """An article's page. ``bought``: what was sent with it, where it could not be taken (``problems``); ``review``: the
    same of a review (``review_wrong``); ``thanks``: one was taken."""
    product = found.product
    article, menu = articles.article(ctx, found, variant_id, window), menus.menu(ctx, window)
    shown = next((one for one in product.for_sale if one.id == article.variant_id), None)
    sent = bought or Bought(n="")
    offered = ctx.db.run(lambda tx: related.offered(ctx, tx, window, product.id))
    judged = ctx.db.run(lambda tx: reviews.beside(tx, product.id))
    buy = buying.asked(ctx, window, found, shown, sent.raw if bought else None, sent.n, sent.pays, problems)
    return page_in(
        request,
        window,
        "shop/article.html",
        status=422 if problems or review_wrong else 200,
        product=product,
        article=article,
        menu=menu,
        buy=replace(buy, offered=offered, ticked=sent.ticked),
        contained=ctx.db.run(lambda tx: related.contained(ctx, tx, window, product.id)),
        related=ctx.db.run(lambda tx: related.of_article(ctx, tx, window, product)),
        reviews=judged,
        layout=product.type.layout if product.type else "",
        review=review or {"name": "", "stars": "", "text": ""},
        review_wrong=review_wrong or {},
        thanks=thanks,
        then=None,
        head=heads.of_article(ctx.settings.address, window, found, article, menu, judged),
        downloads=ctx.db.run(lambda tx: looking.of_article(tx, window, product.id, article.variant_id)),
        preview=product.values.status is not Status.LIVE,
    )
