"""The shop window as buyers saw it at a moment, or will see it by what is prepared: the whole of it, or one article."""

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Annotated, Any
from urllib.parse import quote

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response

from graupel.context import Context
from graupel.core import moments
from graupel.core.errors import NotFound, Refused
from graupel.core.products import Status
from graupel.core.roles import Actor, Role
from graupel.core.typed import number
from graupel.db import DuplicateKey, Tx
from graupel.features.products import past, selling
from graupel.features.reviews import service as reviews
from graupel.features.shop import articles, heads, looking, menus, past_window, related, service, windows
from graupel.features.shop.framing import page_in, say_in
from graupel.features.shop.heads import Head
from graupel.features.shop.menus import Menu
from graupel.features.shop.pages import Asked, number_of
from graupel.features.shop.schemas import Then, WindowMoment
from graupel.features.shop.service import ShownProduct
from graupel.features.shop.windows import Window
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import QueryOf

router = APIRouter(dependencies=[Depends(from_our_own_page)])
#: A page of the window, as its address says it behind the shop's.
_PAGE = re.compile(r"[cp]/[0-9]{1,9}")


# --- the whole window ----------------------------------------------------------------------------------------


@dataclass(frozen=True)
class _Looked:
    """At which moment the window is looked at, and with which prepared change; ``said``: as addresses carry both;
    ``typed``: the moment as a field shows it."""

    at: datetime
    prepared: int | None
    said: str
    typed: str
    is_ahead: bool

    @property
    def before(self) -> str:
        """What stands before the addresses of the window then."""
        return f"/as-of/{self.said}"

    def told(self, status: Status = Status.LIVE) -> dict[str, Any]:
        """What the notice of the page says."""
        said = past.told(status, is_ahead=self.is_ahead)
        return {"then": self.at, "then_said": said, "then_typed": self.typed, "then_prepared": self.prepared}


def _looked(ctx: Context, moment: str) -> _Looked:
    """Raises Refused where it is no moment."""
    exact, _, prepared = moment.partition("~")
    at = moments.parse(exact, ctx.zone, "at")
    key = number(prepared) or None
    said = moments.exact(at) + (f"~{key}" if key else "")
    return _Looked(at, key, said, moments.typed(at, ctx.zone), is_ahead=at > ctx.db.run(ctx.now))


@router.get("/as-of/shop")
def choose(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[WindowMoment]) -> Response:
    """To the window of a moment, through the lens or in the shop and language named, and to the page named."""
    signed.actor.require(Role.VIEWER)
    try:
        looked = _looked(ctx, f"{asked.at}~{asked.prepared or ''}")
    except Refused as refusal:
        return _refused(request, refusal, asked.at)
    path = windows.window(ctx, asked.where or windows.where_of(request.state.seen)).path
    rest = f"/{asked.page}" if _PAGE.fullmatch(asked.page) else ""
    return RedirectResponse(f"{looked.before}{path}{rest}", 303)


def _shown(
    request: Request,
    ctx: Context,
    actor: Actor,
    moment: str,
    where: str,
    work: Callable[[Context, Tx, Window, _Looked], Response],
) -> Response:
    """A page of the window then, or why it can't be shown. Raises NotFound."""
    actor.require(Role.VIEWER)

    def shown(then: Context, tx: Tx) -> Response:
        return work(then, tx, replace(windows.window(then, where), before=looked.before), looked)

    typed = ""
    try:
        looked = _looked(ctx, moment)
        typed = looked.typed
        return past_window.then(ctx, looked.at, shown, looked.prepared)
    except Refused as refusal:
        return _refused(request, refusal, typed)


def _refused(request: Request, refusal: Refused, typed: str) -> Response:
    return page(request, "shop/no_then.html", status=422, problems=refusal.problems, at=typed)


@router.get("/as-of/{moment}/shop")
@router.get("/as-of/{moment}/shop/{where}")
def home(
    request: Request, ctx: Ctx, signed: Signed, asked: Annotated[Asked, Depends()], moment: str, where: str = ""
) -> Response:
    """What was new then."""

    def work(then: Context, tx: Tx, window: Window, looked: _Looked) -> Response:
        return _shelf(request, then, window, None, asked, looked)

    return _shown(request, ctx, signed.actor, moment, where, work)


@router.get("/as-of/{moment}/shop/c/{address}")
@router.get("/as-of/{moment}/shop/{where}/c/{address}")
def category(
    request: Request,
    ctx: Ctx,
    signed: Signed,
    asked: Annotated[Asked, Depends()],
    moment: str,
    address: str,
    where: str = "",
) -> Response:
    """The goods that a category had then."""

    def work(then: Context, tx: Tx, window: Window, looked: _Looked) -> Response:
        return _shelf(request, then, window, number_of(address) or -1, asked, looked)

    return _shown(request, ctx, signed.actor, moment, where, work)


def _shelf(
    request: Request, then: Context, window: Window, category_id: int | None, asked: Asked, looked: _Looked
) -> Response:
    try:
        shelf = service.shelf(then, window, category_id, asked.after, asked.narrowed(window))
    except NotFound as error:
        raise NotFound("This category was empty, or not there.") from error
    title = shelf.values.name if shelf.category else say_in(window)("New in")
    head = Head(title, "", "", shelf.paths, [], is_found=False)
    here = f"c/{category_id}" if category_id else ""
    return page_in(
        request,
        window,
        "shop/shelf.html",
        shelf=shelf,
        menu=shelf.menu,
        title=title,
        head=head,
        here=here,
        **looked.told(),
    )


@router.get("/as-of/{moment}/shop/p/{address}")
@router.get("/as-of/{moment}/shop/{where}/p/{address}")
def article_of_window(
    request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Then], moment: str, address: str, where: str = ""
) -> Response:
    """An article that the shop showed then."""

    def work(then: Context, tx: Tx, window: Window, looked: _Looked) -> Response:
        product_id = number_of(address)
        try:
            found = service.product(then, window, product_id, None)
        except NotFound as error:
            raise NotFound("This article was not for sale then.") from error
        beside = _beside(then, window, found)
        return _page(request, then, tx, window, found, asked, beside, here=f"p/{product_id}", **looked.told())

    return _shown(request, ctx, signed.actor, moment, where, work)


# --- one article, whatever became of the rest ----------------------------------------------------------------


@router.get("/products/{product_id:int}/as-of/shop")
def article_then(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Then], product_id: int) -> Response:
    """The article through the lens; what leads elsewhere leads to the shop of now. Raises Refused where the moment is
    none, or too long ago; NotFound."""
    signed.actor.require(Role.VIEWER)
    looked = _looked(ctx, f"{asked.at}~{asked.prepared or ''}")
    where = windows.where_of(request.state.seen)
    today = _today(ctx, windows.window(ctx, where), product_id, signed.actor)
    found = ctx.db.run(lambda tx: past.of(tx, ctx, product_id, [looked.at], asked.prepared))
    if found.then[looked.at].get(("product", product_id)) is None:
        raise NotFound("It was not there yet.")

    def shown(then: Context, tx: Tx) -> Response:
        window = windows.window(then, where)
        product = service.product(then, window, product_id, signed.actor)
        product = replace(product, product=selling.without_hidden(product.product, product.selling.hidden))
        prepared = f"&prepared={asked.prepared}" if asked.prepared else ""
        return _page(
            request,
            then,
            tx,
            window,
            product,
            asked,
            today,
            then_query=f"at={quote(moments.exact(looked.at))}{prepared}",
            then_window=f"{looked.before}{window.path}",
            **looked.told(product.product.values.status),
        )

    try:
        return past.then(ctx, found, [product_id], looked.at, shown)[0]
    except DuplicateKey as error:
        raise NotFound("It can't be shown as buyers saw it: a name of then is another’s now.") from error


# --- an article's page ---------------------------------------------------------------------------------------


@dataclass(frozen=True)
class _Beside:
    """What leads elsewhere from an article."""

    menu: Menu
    contained: Sequence[related.Contained]
    related: Sequence[related.Group]


def _today(ctx: Context, window: Window, product_id: int, actor: Actor) -> _Beside:
    return _beside(ctx, window, service.product(ctx, window, product_id, actor))


def _beside(ctx: Context, window: Window, found: ShownProduct) -> _Beside:
    product = found.product
    contained = ctx.db.run(lambda tx: related.contained(ctx, tx, window, product.id))
    groups = ctx.db.run(lambda tx: related.of_article(ctx, tx, window, product))
    return _Beside(menus.menu(ctx, window), contained, groups)


def _page(
    request: Request,
    ctx: Context,
    tx: Tx,
    window: Window,
    found: ShownProduct,
    asked: Then,
    beside: _Beside,
    **told: Any,
) -> Response:
    product = found.product
    article = articles.article(ctx, found, asked.v or 0, window)
    judged = reviews.beside(tx, product.id)
    return page_in(
        request,
        window,
        "shop/article.html",
        product=product,
        article=article,
        reviews=judged,
        layout=product.type.layout if product.type else "",
        thanks=False,
        head=heads.of_article(ctx.settings.address, window, found, article, beside.menu, judged),
        downloads=looking.of_article(tx, window, product.id, article.variant_id),
        preview=True,
        menu=beside.menu,
        contained=beside.contained,
        related=beside.related,
        **told,
    )
