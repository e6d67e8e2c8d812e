"""What a request did, told to the page that asked: the sentence of the change set, and where it can be rolled back.

History notes each change set that it records; the answer carries the last one, so that every act ends with a sentence,
whichever page it was done on (static/done.js).
"""

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from urllib.parse import quote, unquote

from starlette.datastructures import MutableHeaders
from starlette.requests import Request
from starlette.types import ASGIApp, Message, Receive, Scope, Send

SENTENCE, CHANGE_SET = "X-Done", "X-Done-Set"
#: Where a browser goes on to another page by itself, the sentence waits for it here.
COOKIE = "graupel_done"
_SAFE = {"GET", "HEAD", "OPTIONS"}
_MOST = 300


@dataclass
class Noted:
    """The last change set of a request: its id and its title. One of a try that was taken back is overwritten."""

    last: tuple[int, str] | None = None


_noted: ContextVar[Noted | None] = ContextVar("noted", default=None)


def note(change_set_id: int, title: str) -> None:
    """A change set was recorded; outside of a request nobody is told."""
    if (found := _noted.get()) is not None:
        found.last = (change_set_id, title)


def anything() -> bool:
    """Whether the request has recorded a change set so far."""
    found = _noted.get()
    return found is not None and found.last is not None


@contextmanager
def noting() -> Iterator[Noted]:
    """Change sets herein are noted."""
    found = Noted()
    token = _noted.set(found)
    try:
        yield found
    finally:
        _noted.reset(token)


class Done:
    """Around all routes: adds to the answer of a write what was done."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or scope["method"] in _SAFE or scope["path"].startswith("/api/"):
            await self.app(scope, receive, send)
            return

        async def telling(message: Message) -> None:
            if message["type"] == "http.response.start" and message["status"] < 400 and noted.last:
                _tell(message, *noted.last)
            await send(message)

        with noting() as noted:
            await self.app(scope, receive, telling)


def before(request: Request) -> tuple[str, str] | None:
    """The id and the sentence of what was done on the page before this one, where the browser was sent on by itself."""
    change_set_id, _, said = request.cookies.get(COOKIE, "").partition(".")
    return (change_set_id, unquote(said)) if change_set_id.isdigit() and said else None


def _tell(message: Message, change_set_id: int, title: str) -> None:
    headers = MutableHeaders(scope=message)
    said = quote(title[:_MOST], safe="")
    if message["status"] == 303:
        headers.append("Set-Cookie", f"{COOKIE}={change_set_id}.{said}; Max-Age=20; Path=/; SameSite=Lax")
    headers[SENTENCE] = said
    headers[CHANGE_SET] = str(change_set_id)
