"""An article as buyers saw it at a moment, or will see it by what is prepared."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from urllib.parse import quote

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from graupel.context import Context
from graupel.core import moments
from graupel.core.errors import NotFound
from graupel.core.roles import Actor, Role
from graupel.db import DuplicateKey, Tx
from graupel.features.products import past, selling
from graupel.features.reviews import service as reviews
from graupel.features.shop import articles, heads, looking, menus, related, service, windows
from graupel.features.shop.framing import page_in
from graupel.features.shop.menus import Menu
from graupel.features.shop.schemas import Then
from graupel.features.shop.service import ShownProduct
from graupel.features.shop.windows import Window
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import QueryOf

router = APIRouter(dependencies=[Depends(from_our_own_page)])


@dataclass(frozen=True)
class _Today:
    """What leads elsewhere: it is shown as it is now, because it leads to the shop of now."""

    now: datetime
    menu: Menu
    contained: Sequence[related.Contained]
    related: Sequence[related.Group]


@router.get("/products/{product_id:int}/as-of/shop")
def article_then(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Then], product_id: int) -> Response:
    """The article through the lens. Raises Refused where the moment is none, or too long ago; NotFound."""
    signed.actor.require(Role.VIEWER)
    at = moments.parse(asked.at, ctx.zone, "at")
    where = request.state.seen.shop_path.removeprefix("/shop").strip("/")
    today = _today(ctx, windows.window(ctx, where), product_id, signed.actor)
    found = ctx.db.run(lambda tx: past.of(tx, ctx, product_id, [at], asked.prepared))
    if found.then[at].get(("product", product_id)) is None:
        raise NotFound("It was not there yet.")

    def shown(then: Context, tx: Tx) -> Response:
        window = windows.window(then, where)
        product = service.product(then, window, product_id, signed.actor)
        product = replace(product, product=selling.without_hidden(product.product, product.selling.hidden))
        return _page(request, then, tx, window, product, at, asked, today)

    try:
        return past.then(ctx, found, product_id, at, shown)[0]
    except DuplicateKey as error:
        raise NotFound("It can't be shown as buyers saw it: a code that it had then is another’s now.") from error


def _today(ctx: Context, window: Window, product_id: int, actor: Actor) -> _Today:
    product = service.product(ctx, window, product_id, actor).product
    contained = ctx.db.run(lambda tx: related.contained(ctx, tx, window, product_id))
    beside = ctx.db.run(lambda tx: related.of_article(ctx, tx, window, product))
    return _Today(ctx.db.run(ctx.now), menus.menu(ctx, window), contained, beside)


def _page(
    request: Request,
    ctx: Context,
    tx: Tx,
    window: Window,
    found: ShownProduct,
    at: datetime,
    asked: Then,
    today: _Today,
) -> Response:
    product = found.product
    article = articles.article(ctx, found, asked.v or 0, window)
    judged = reviews.beside(tx, product.id)
    prepared = f"&prepared={asked.prepared}" if asked.prepared else ""
    return page_in(
        request,
        window,
        "shop/article.html",
        product=product,
        article=article,
        reviews=judged,
        layout=product.type.layout if product.type else "",
        thanks=False,
        head=heads.of_article(ctx.settings.address, window, found, article, today.menu, judged),
        downloads=looking.of_article(tx, window, product.id, article.variant_id),
        preview=True,
        then=at,
        then_said=past.told(product.values.status, is_ahead=at > today.now),
        then_query=f"at={quote(moments.exact(at))}{prepared}",
        menu=today.menu,
        contained=today.contained,
        related=today.related,
    )
