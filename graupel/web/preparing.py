"""Acts that are prepared instead of done: a request that asks for it runs as ever, but what it would have written is
taken down, let go, and kept for somebody's yes.

History takes down each change set of such a request; those who would do something later in the background say so
instead of doing it. What only looks, and what writes no change set, goes on as ever.
"""

import json
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import parse_qs

import anyio
from starlette.datastructures import Headers
from starlette.requests import Request
from starlette.responses import JSONResponse, RedirectResponse, Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from graupel.core.roles import Actor

#: Of a person who prepares all that they save, until they say otherwise.
COOKIE = "graupel_preparing"
#: In the address of a single act.
PARAMETER = "prepare"
#: Where it is done at once: where is decided, what is about the person, the library, and what buyers do.
_DONE_AT_ONCE = ("/prepared", "/sign-", "/account", "/media", "/shop")
#: What was prepared and then looked for, to be shown, is not there yet.
NOT_THERE = 404
_SAFE = {"GET", "HEAD", "OPTIONS"}


@dataclass(frozen=True)
class Act:
    """A change set that was not written: whose, its kind and title, and its rows as the journal would have them."""

    actor: Actor
    kind: str
    title: str
    rows: list[Mapping[str, Any]]


@dataclass(frozen=True)
class Later:
    """Something that would be done in the background. ``kind`` says by whom, ``refers`` of what; ``given``: what else
    they need."""

    actor: Actor
    kind: str
    title: str
    refers: int
    given: Mapping[str, Any] = field(default_factory=dict)


@dataclass
class Preparation:
    """What a request would do."""

    acts: list[Act] = field(default_factory=list)
    later: list[Later] = field(default_factory=list)

    @property
    def actor(self) -> Actor | None:
        """Who would do it; None where nothing would be done."""
        found: list[Act | Later] = [*self.acts, *self.later]
        return found[-1].actor if found else None


_current: ContextVar[Preparation | None] = ContextVar("preparation", default=None)


def current() -> Preparation | None:
    """The preparation under way; None where what is asked is done."""
    return _current.get()


@contextmanager
def preparing() -> Iterator[Preparation]:
    """What is asked for herein is prepared."""
    found = Preparation()
    token = _current.set(found)
    try:
        yield found
    finally:
        _current.reset(token)


def prepares(request: Request) -> bool:
    """Whether this person prepares all that they save."""
    return request.cookies.get(COOKIE) == "1"


Keep = Callable[[Actor, Preparation], int]


class Prepares:
    """Around all routes: keeps what a request prepared, and answers with where it stands.

    ``keep`` takes it and returns its number.
    """

    def __init__(self, app: ASGIApp, *, keep: Keep) -> None:
        self.app, self.keep = app, keep

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or scope["method"] in _SAFE or not _asks(scope):
            await self.app(scope, receive, send)
            return
        answer: list[Message] = []

        async def hold(message: Message) -> None:
            answer.append(message)

        with preparing() as found:
            await self.app(scope, receive, hold)
        if found.actor and (answer[0]["status"] < 400 or answer[0]["status"] == NOT_THERE):
            number = await anyio.to_thread.run_sync(self.keep, found.actor, found)
            await _told(scope, f"/prepared/{number}")(scope, receive, send)
            return
        for message in answer:
            await send(message)


def _asks(scope: Scope) -> bool:
    if scope["path"].startswith(_DONE_AT_ONCE):
        return False
    return bool(parse_qs(scope["query_string"].decode("latin-1")).get(PARAMETER)) or prepares(Request(scope))


def _told(scope: Scope, place: str) -> Response:
    if scope["path"].startswith("/api/"):
        return JSONResponse({"prepared": place}, 202, headers={"Location": place})
    if "hx-request" in Headers(scope=scope):
        return Response(status_code=204, headers={"HX-Redirect": place, "X-Prepared": place})
    return RedirectResponse(place, 303)


def as_text(given: Mapping[str, Any]) -> str:
    """What somebody needs, as it is kept."""
    return json.dumps(dict(given), ensure_ascii=False)
