"""The lens in the address: read from a request, and carried on by every link and redirect of a page."""

import re
from collections.abc import Mapping
from html import escape
from urllib.parse import parse_qs, parse_qsl, quote, urlencode, urlsplit

from fastapi import Request

NAME = "lens"
_KEY = re.compile(r"[A-Za-z0-9.-]{0,24}")
#: Addresses of our own pages in what a template made; the shop window, files and pictures have no lens.
_OURS = re.compile(r'(\s(?:href|action|hx-get)=")(/(?!static/|shop[/"?#]|media/[0-9a-f]{64}/|/)[^"#]*)(#[^"]*)?"')


def key_of(query: str, current_url: str = "") -> str:
    """The lens of a request: its own, else that of the page that htmx asks from; "" for the default one."""
    for text in (query, urlsplit(current_url).query):
        found = parse_qs(text, keep_blank_values=True).get(NAME)
        if found:
            return found[-1] if _KEY.fullmatch(found[-1]) else ""
    return ""


def of_request(request: Request) -> str:
    """The lens that a request carries."""
    return key_of(request.url.query, request.headers.get("HX-Current-URL", ""))


def carry(html: str, key: str) -> str:
    """A page with the lens in the addresses of all our pages that do not name one."""

    def with_lens(match: re.Match[str]) -> str:
        before, address, place = match[1], match[2], match[3] or ""
        if re.search(rf"[?;&]{NAME}=", address):
            return match[0]
        joint = "&amp;" if "?" in address else "?"
        return f'{before}{address}{joint}{NAME}={escape(quote(key))}{place}"'

    return _OURS.sub(with_lens, html) if key else html


def carry_address(address: str, key: str) -> str:
    """An address of ours with the lens; of the shop window and of others as it is."""
    carried = carry(f' href="{escape(address)}"', key)
    return address if carried == f' href="{escape(address)}"' else _unescape(carried)


def _unescape(attribute: str) -> str:
    return attribute[len(' href="') : -1].replace("&amp;", "&").replace("&#x27;", "'").replace("&quot;", '"')


def same_page(request: Request, key: str) -> str:
    """The address of this page through another lens."""
    pairs = [(name, value) for name, value in parse_qsl(request.url.query) if name not in (NAME, "made", "copied")]
    return f"{request.url.path}?{urlencode([*pairs, (NAME, key)])}"


def carry_headers(headers: Mapping[str, str], key: str) -> dict[str, str]:
    """The redirects among an answer's headers, with the lens."""
    return {
        name: carry_address(headers[name], key)
        for name in ("location", "hx-redirect")
        if key and headers.get(name, "").startswith("/")
    }
