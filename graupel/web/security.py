"""What guards every page: sessions, forgery protection, headers, sizes, and a request id for the log."""

import re
import secrets
import time
from collections.abc import Callable
from typing import Annotated
from urllib.parse import urlsplit

import anyio
import structlog
from fastapi import Depends, Request
from starlette.datastructures import FormData, Headers, MutableHeaders
from starlette.responses import PlainTextResponse, Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from graupel.context import Context
from graupel.core.errors import GraupelError, NotAllowed, NotSignedIn, Refused
from graupel.core.roles import Identity
from graupel.core.sent import refuse_endless_numbers
from graupel.db import acts
from graupel.settings import Settings
from graupel.web import lens

SESSION_COOKIE = "graupel_session"
DOOR_COOKIE = "graupel_door"
#: Which browser it is, for those who sign in from it again.
DEVICE_COOKIE = "graupel_browser"
SAFE_METHODS = {"GET", "HEAD", "OPTIONS"}
#: A form has no more: a buyer choice of 500 entries with nine fields each, and room for what stands around it.
MOST_FIELDS = 6_000
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
#: Where the pages are served over TLS, browsers use nothing else any more (RFC 6797).


def _framing(settings: Settings) -> dict[str, str]:
    """The policy with the hosts from which texts may embed something."""
    if not settings.embeds_from:
        return {}
    hosts = " ".join(f"https://{host}" for host in settings.embeds_from if _HOST.fullmatch(host))
    return {"Content-Security-Policy": f"{POLICY}; frame-src {hosts}"}


_HOST = re.compile(r"[a-z0-9-]+(?:\.[a-z0-9-]+)+")
TLS_HEADERS = {"Strict-Transport-Security": "max-age=31536000"}
#: The body of a request is there within so many seconds, and never stops for longer.
BODY_SECONDS = 900.0
PAUSE_SECONDS = 30.0
#: A machine that asks itself, such as a probe of health.
LOOPBACK = {"127.0.0.1", "localhost", "[::1]"}

#: In the scope of a request: only about what could be got was asked, and nothing of it is sent.
HEAD = "graupel.head"

log = structlog.get_logger("web")


def hosts_of(settings: Settings) -> set[str]:
    """The names under which we are reached; a request for another one is somebody's attempt at our links."""
    named = {urlsplit(settings.address).hostname or "", *settings.hosts.replace(",", " ").split()}
    return {name.lower() for name in named if name} | LOOPBACK


def host_of(header: str) -> str:
    """The name in a Host header, without its port."""
    found = re.fullmatch(r"(\[[0-9a-f:.]+\]|[^:/?#@\\\s]+)(?::\d{1,5})?", header.strip().lower())
    return found[1] if found else ""


class PageTooOld(NotAllowed):
    """The page's token is of another session than the one that is signed in."""


Identify = Callable[[Context, str], Identity | None]


def cookie_name(name: str, settings: Settings) -> str:
    """What a cookie is called: under TLS so that browsers take it from this host alone (RFC 6265bis, __Host-)."""
    return f"__Host-{name}" if settings.secure_cookies else name


def cookie_of(request: Request, name: str) -> str:
    """A cookie of ours that came with a request, "" where none did."""
    return request.cookies.get(cookie_name(name, context(request).settings), "")


def set_cookie(
    answer: Response, settings: Settings, name: str, value: str, *, seconds: int | None = None, strict: bool = False
) -> None:
    """Give the browser a cookie that no script reads; without ``seconds`` until the browser is closed."""
    answer.set_cookie(
        cookie_name(name, settings),
        value,
        httponly=True,
        samesite="strict" if strict else "lax",
        secure=settings.secure_cookies,
        max_age=seconds,
    )


def context(request: Request) -> Context:
    """The installation's context."""
    found: Context = request.app.state.ctx
    return found


def anyone(request: Request, ctx: Annotated[Context, Depends(context)]) -> Identity | None:
    """Who is signed in, or None. Each page asks, so what no page can read in an address is refused here."""
    refuse_endless_numbers(text for pair in request.query_params.multi_items() for text in pair)
    secret = cookie_of(request, SESSION_COOKIE)
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
        found = await request.form(max_files=20, max_fields=MOST_FIELDS, max_part_size=2_000_000)
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

    def __init__(self, app: ASGIApp, settings: Settings) -> None:
        self.app = app
        self.most_bytes = settings.upload_megabytes * 1_000_000
        self.headers = HEADERS | _framing(settings) | (TLS_HEADERS if settings.secure_cookies else {})
        self.hosts = hosts_of(settings)

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
                for name, value in self.headers.items():
                    headers.setdefault(name, value)
                headers.setdefault("Cache-Control", "no-store")
                headers["X-Request-Id"] = request_id
                headers.update(lens.carry_headers(headers, _lens_key(scope)))
            if scope["method"] == "HEAD" and message["type"] == "http.response.body":
                message = {**message, "body": b""}
            await send(message)

        try:
            if host_of(Headers(scope=scope).get("host", "")) in self.hosts:
                # What may be got may be asked about: the same answer, without what it holds (RFC 9110, 9.3.2).
                asked = {**scope, "method": "GET", HEAD: True} if scope["method"] == "HEAD" else scope
                await self.app(asked, self._limited(receive), send_with_headers)
            else:
                told = PlainTextResponse("This server does not answer under that name.", 421)
                await told(scope, receive, send_with_headers)
        finally:
            log.info(
                "request",
                method=scope["method"],
                path=scope["path"],
                status=status,
                ms=round((time.perf_counter() - began) * 1000, 1),
            )

    def _limited(self, receive: Receive) -> Receive:
        """Counts what comes in, and how long it takes: a missing or false Content-Length changes nothing, and who
        drips holds nobody up."""
        seen, over = 0, False
        deadline = time.monotonic() + BODY_SECONDS

        async def counted() -> Message:
            nonlocal seen, over
            if over:  # what comes now is that somebody hung up, which may take as long as it takes
                return await receive()
            try:
                with anyio.fail_after(max(0.0, min(PAUSE_SECONDS, deadline - time.monotonic()))):
                    message = await receive()
            except TimeoutError as error:
                raise TooSlow("What was sent came too slowly, and was given up. Try again.") from error
            seen += len(message.get("body", b""))
            over = not message.get("more_body", False)
            if seen > self.most_bytes:
                raise TooLarge(self.most_bytes)
            return message

        return counted


def _lens_key(scope: Scope) -> str:
    current = Headers(scope=scope).get("HX-Current-URL", "")
    return lens.key_of(scope["query_string"].decode("latin-1"), current)


class TooSlow(GraupelError):
    """What was sent did not come in time."""


class TooLarge(Refused):
    """More was sent than is taken."""

    def __init__(self, most_bytes: int) -> None:
        super().__init__(
            Refused.because(
                "size.too_large",
                f"This is larger than the {most_bytes // 1_000_000} MB that are taken at once. Divide it into parts.",
            ).problems
        )
