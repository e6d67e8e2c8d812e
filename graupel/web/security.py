"""What guards every page: sessions, forgery protection, headers, sizes, and a request id for the log."""

import secrets
import time
from collections.abc import Callable
from typing import Annotated

import structlog
from fastapi import Depends, Request
from starlette.datastructures import FormData, Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from graupel.context import Context
from graupel.core.errors import NotAllowed, NotSignedIn, Refused
from graupel.core.roles import Identity
from graupel.core.sent import refuse_endless_numbers
from graupel.db import acts
from graupel.web import lens

SESSION_COOKIE = "graupel_session"
DOOR_COOKIE = "graupel_door"
SAFE_METHODS = {"GET", "HEAD", "OPTIONS"}
POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data: blob:; media-src 'self'; "
    "font-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
)
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "X-Frame-Options": "DENY",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Permissions-Policy": "camera=(), geolocation=(), microphone=()",
}

log = structlog.get_logger("web")


class PageTooOld(NotAllowed):
    """The page's token is of another session than the one that is signed in."""


Identify = Callable[[Context, str], Identity | None]


def context(request: Request) -> Context:
    """The installation's context."""
    found: Context = request.app.state.ctx
    return found


def anyone(request: Request, ctx: Annotated[Context, Depends(context)]) -> Identity | None:
    """Who is signed in, or None. Each page asks, so what no page can read in an address is refused here."""
    refuse_endless_numbers(text for pair in request.query_params.multi_items() for text in pair)
    secret = request.cookies.get(SESSION_COOKIE, "")
    identify: Identify = request.app.state.identify
    with acts.doing(None):  # that a session was used is no part of what is done with it
        found = identify(ctx, secret) if secret else None
    request.state.signed = found
    if found:
        request.state.seen = request.app.state.see(ctx, lens.of_request(request))
    return found


def signed_in(signed: Annotated[Identity | None, Depends(anyone)]) -> Identity:
    """Who is signed in. Raises NotSignedIn."""
    if signed is None:
        raise NotSignedIn("Sign in first.")
    return signed


async def form_of(request: Request) -> FormData:
    """The form that was sent; empty where none was."""
    kind = request.headers.get("content-type", "")
    if kind.startswith(("multipart/form-data", "application/x-www-form-urlencoded")):
        found = await request.form(max_files=20, max_fields=2000, max_part_size=2_000_000)
        refuse_endless_numbers(text for pair in found.multi_items() for text in pair if isinstance(text, str))
        return found
    return FormData()


def from_our_own_page(
    request: Request, signed: Annotated[Identity, Depends(signed_in)], form: Annotated[FormData, Depends(form_of)]
) -> None:
    """Refuse a write that does not carry the session's own token (OWASP synchronizer token)."""
    if request.method in SAFE_METHODS:
        return
    given = request.headers.get("X-CSRF-Token") or str(form.get("csrf", ""))
    if not secrets.compare_digest(given.encode(), signed.csrf.encode()):
        raise PageTooOld("This page is too old to be trusted. Load it again, then repeat what you did.")


Ctx = Annotated[Context, Depends(context)]
Form = Annotated[FormData, Depends(form_of)]
Signed = Annotated[Identity, Depends(signed_in)]
Anyone = Annotated[Identity | None, Depends(anyone)]


class Guard:
    """Headers on every answer, a limit on the size of what is sent, and one line of log for each request."""

    def __init__(self, app: ASGIApp, *, most_bytes: int) -> None:
        self.app = app
        self.most_bytes = most_bytes

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        request_id, began, status = secrets.token_hex(8), time.perf_counter(), 500
        structlog.contextvars.clear_contextvars()
        structlog.contextvars.bind_contextvars(request_id=request_id)

        async def send_with_headers(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                headers = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    headers.setdefault(name, value)
                headers.setdefault("Cache-Control", "no-store")
                headers["X-Request-Id"] = request_id
                headers.update(lens.carry_headers(headers, _lens_key(scope)))
            await send(message)

        try:
            await self.app(scope, self._limited(receive), send_with_headers)
        finally:
            log.info(
                "request",
                method=scope["method"],
                path=scope["path"],
                status=status,
                ms=round((time.perf_counter() - began) * 1000, 1),
            )

    def _limited(self, receive: Receive) -> Receive:
        """Counts what comes in, so that a missing or false Content-Length changes nothing."""
        seen = 0

        async def counted() -> Message:
            nonlocal seen
            message = await receive()
            seen += len(message.get("body", b""))
            if seen > self.most_bytes:
                raise TooLarge(self.most_bytes)
            return message

        return counted


def _lens_key(scope: Scope) -> str:
    current = Headers(scope=scope).get("HX-Current-URL", "")
    return lens.key_of(scope["query_string"].decode("latin-1"), current)


class TooLarge(Refused):
    """More was sent than is taken."""

    def __init__(self, most_bytes: int) -> None:
        super().__init__(
            Refused.because(
                "size.too_large",
                f"This is larger than the {most_bytes // 1_000_000} MB that are taken at once. Divide it into parts.",
            ).problems
        )
