"""The lens in the address: read from a request, and carried on by every link and redirect of a page."""

import re
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from urllib.parse import parse_qs, parse_qsl, quote, urlencode

from fastapi import Request

NAME = "lens"
_KEY = re.compile(r"[A-Za-z0-9.-]{0,24}")
#: Addresses of our own pages; the shop window, files and pictures have no lens.
_OURS = re.compile(r"\?|/(?!static/|shop(?:[/?#]|$)|media/[0-9a-f]{64}/|/)")
_NAMED = re.compile(rf"[?;&]{NAME}=")
#: The lens of the page that is being made: its templates' macros see it too.
_shown: ContextVar[str] = ContextVar("lens", default="")


def key_of(query: str, current_url: str = "") -> str:
    """The lens of a request: its own, else that of the page that htmx asks from; "" for the default one."""
    for text in (query, current_url.partition("#")[0].partition("?")[2]):
        found = parse_qs(text, keep_blank_values=True, errors="replace").get(NAME)
        if found:
            return found[-1] if _KEY.fullmatch(found[-1]) else ""
    return ""


def of_request(request: Request) -> str:
    """The lens that a request carries."""
    return key_of(request.url.query, request.headers.get("HX-Current-URL", ""))


@contextmanager
def shown(key: str) -> Iterator[None]:
    """Templates rendered herein carry a lens in their links."""
    before = _shown.set(key)
    try:
        yield
    finally:
        _shown.reset(before)


def to(*parts: object) -> str:
    """The address of a link, a form or a part of a page, put together and with the lens: for templates."""
    return carry("".join(map(str, parts)), _shown.get())


def carry(address: str, key: str) -> str:
    """An address of ours with the lens, where it names none; of the shop window and of others as it is."""
    if not key or not _OURS.match(address) or _NAMED.search(address):
        return address
    path, mark, place = address.partition("#")
    return f"{path}{'&' if '?' in path else '?'}{NAME}={quote(key)}{mark}{place}"


def same_page(request: Request, key: str) -> str:
    """The address of this page through another lens."""
    pairs = [(name, value) for name, value in parse_qsl(request.url.query) if name not in (NAME, "made", "copied")]
    return f"{request.url.path}?{urlencode([*pairs, (NAME, key)])}"


def carry_headers(headers: Mapping[str, str], key: str) -> dict[str, str]:
    """The redirects among an answer's headers, with the lens."""
    return {
        name: carry(headers[name], key)
        for name in ("location", "hx-redirect")
        if key and headers.get(name, "").startswith("/")
    }
