"""The frame of the shop window's pages: its words, its languages, and the way to the basket."""

import hashlib
from collections.abc import Callable
from typing import Any

from fastapi import Request
from fastapi.responses import Response

from graupel.core.errors import GraupelError
from graupel.core.phrases import phrase
from graupel.features.orders import baskets
from graupel.features.orders.wares import Place
from graupel.features.shop.heads import Head
from graupel.features.shop.windows import Window
from graupel.web.frame import page
from graupel.web.security import context, cookie_of

BASKET_COOKIE = "graupel_basket"


def say_in(window: Window) -> Callable[..., str]:
    """The shop window's own words in the language of the shop."""
    return lambda key, *values: phrase(key, window.seen.language, *values)


def place_of(window: Window) -> Place:
    """Where something is bought."""
    return Place(window.seen, window.shop)


def basket_secret(request: Request) -> str:
    """By what a browser's basket is known; "" where it has none yet."""
    return cookie_of(request, BASKET_COOKIE)


def who_of(request: Request) -> bytes:
    """By what a browser that comes again without a session is known, though not for certain."""
    place = request.client.host if request.client else ""
    return hashlib.sha256(f"{place} {request.headers.get('User-Agent', '')}".encode("utf-8", "replace")).digest()[:16]


def _in_basket(request: Request, window: Window) -> int:
    """How many lines the basket has; none where nobody can be asked, for then an error is shown."""
    secret = basket_secret(request)
    if not secret:
        return 0
    try:
        return baskets.count(context(request), place_of(window), secret)
    except GraupelError:
        return 0


def page_in(
    request: Request,
    window: Window,
    template: str,
    *,
    head: Head,
    status: int = 200,
    headers: dict[str, str] | None = None,
    **data: Any,
) -> Response:
    """A page of the window."""
    query = f"?{request.url.query}" if request.url.query else ""
    tongues = [(*one, (head.paths.get(one[0]) or window.in_language(one[0]).path) + query) for one in window.languages]
    return page(
        request,
        template,
        status=status,
        headers=headers,
        window=window,
        say=say_in(window),
        head=head,
        tongues=tongues,
        in_basket=_in_basket(request, window),
        searched=data.pop("searched", ""),
        **window.shown,
        **data,
    )
