"""An act that carries a key is done once: a double click, a repetition after a lost answer, a program's second try.

Our pages send the key with every write, programs may (the header Idempotency-Key, as the IETF's draft "The
Idempotency-Key HTTP Header Field" has it). What was answered first is answered again. See db/acts.py for how a
transaction and its act are kept together.
"""

import hashlib
import re
import zlib
from collections.abc import Callable
from typing import TypeVar

import anyio
import structlog
from starlette.datastructures import Headers, QueryParams
from starlette.requests import Request, cookie_parser
from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from graupel.context import Context
from graupel.core.errors import DoneAlready, GraupelError
from graupel.db import Tx, acts
from graupel.db.acts import Act, Answer
from graupel.web.security import SESSION_COOKIE, cookie_name

HEADER = "Idempotency-Key"
#: Forms that the browser sends by itself have no headers: there the address carries the key.
PARAMETER = "once"
_SAFE = {"GET", "HEAD", "OPTIONS"}
_KEY = re.compile(r"[\x21-\x7e]{1,200}")
#: Of an answer, so much is kept, packed; a repetition of one that is larger is only told that it was done.
MOST_KEPT = 1_000_000
#: Who repeats an act that is under way waits so long for its answer.
WAIT_SECONDS = 60.0
_OF_ANSWERS = ("content-type", "location", "hx-redirect", "hx-retarget", "hx-reswap", "etag", "x-done", "x-done-set")

T = TypeVar("T")
Explain = Callable[[Request, Exception], Response]
log = structlog.get_logger("once")


class Once:
    """Around all routes: looks for a key, and does what carries one only once.

    ``explain``: makes of an exception what the one who asks is answered.
    """

    def __init__(self, app: ASGIApp, *, ctx: Context, explain: Explain) -> None:
        self.app, self.ctx, self.explain = app, ctx, explain

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        key = _key_of(scope) if scope["type"] == "http" and scope["method"] not in _SAFE else ""
        if not key:
            await self.app(scope, receive, send)
            return
        asked = _Asked(scope, receive)
        try:
            found = await self._begun(_mark(scope, key, cookie_name(SESSION_COOKIE, self.ctx.settings)))
        except GraupelError as error:
            await self.explain(Request(scope), error)(scope, receive, send)
            return
        if isinstance(found, Act):
            await self._do(found, asked, send)
        else:
            await self._again(found, asked, send)

    async def _begun(self, mark: bytes) -> Act | Answer:
        """The claim to do it, or what was answered; waits for another try that is under way. Raises DoneAlready."""
        with anyio.move_on_after(WAIT_SECONDS):
            pause = 0.02
            while True:
                found = await self._in_database(lambda tx: acts.begin(tx, mark))
                if found is not None:
                    return found
                await anyio.sleep(pause)
                pause = min(0.5, pause * 1.5)
        raise DoneAlready("This is under way already. Look at the page again in a moment.")

    async def _do(self, act: Act, asked: "_Asked", send: Send) -> None:
        given = _Given(send)
        try:
            with acts.doing(act):
                await self.app(asked.scope, asked.receive, given.send)
        except BaseException:
            given.status = 500
            raise
        finally:
            with anyio.CancelScope(shield=True):  # one who hangs up meanwhile may ask again
                await self._keep(act, Answer(asked.mark(), given.status, given.kept_headers(), given.kept_body()))

    async def _keep(self, act: Act, answer: Answer) -> None:
        try:
            await self._in_database(lambda tx: acts.end(tx, act, answer))
        except GraupelError:  # the act stands; who repeats it is told that it was done
            log.exception("the answer to an act was not kept")

    async def _again(self, answer: Answer, asked: "_Asked", send: Send) -> None:
        await asked.drain()
        place = answer.headers.get("hx-redirect") or answer.headers.get("location", "")
        if answer.status is None or answer.body is None or answer.asked != asked.mark():
            where = f" What was made stands at {place}." if place else ""
            told = DoneAlready(f"This was done already, a moment ago.{where} Load the page again to see it.")
            response = await anyio.to_thread.run_sync(self.explain, Request(asked.scope), told)
        else:
            response = Response(zlib.decompress(answer.body), answer.status, headers=dict(answer.headers))
        await response(asked.scope, asked.receive, send)

    async def _in_database(self, work: Callable[[Tx], T]) -> T:
        return await anyio.to_thread.run_sync(lambda: self.ctx.db.run(work))


def _key_of(scope: Scope) -> str:
    key = Headers(scope=scope).get(HEADER, "") or QueryParams(scope["query_string"]).get(PARAMETER, "")
    return key if _KEY.fullmatch(key) else ""


def _mark(scope: Scope, key: str, cookie: str) -> bytes:
    """Keys belong to who sends them and to an address: nobody can ask for another's answers."""
    headers = Headers(scope=scope)
    who = headers.get("Authorization") or cookie_parser(headers.get("Cookie", "")).get(cookie, "")
    return hashlib.sha256("\0".join((who, scope["method"], scope["path"], key)).encode()).digest()


class _Asked:
    """What was asked, as it streams by."""

    def __init__(self, scope: Scope, receive: Receive) -> None:
        self.scope, self._receive = scope, receive
        boundary = re.search(r"boundary=\"?([^\";]{1,200})", Headers(scope=scope).get("content-type", ""))
        # Browsers draw a new boundary each time; all else of a repetition is the same.
        self._boundary = boundary[1].encode() if boundary else b""
        self._sum, self._tail, self._over = hashlib.sha256(), b"", False

    async def receive(self) -> Message:
        message = await self._receive()
        if message["type"] == "http.request":
            self._take(message.get("body", b""))
            self._over = not message.get("more_body", False)
        return message

    def _take(self, chunk: bytes) -> None:
        if not self._boundary:
            self._sum.update(chunk)
            return
        text = (self._tail + chunk).replace(self._boundary, b"")
        kept = len(self._boundary) - 1
        self._sum.update(text[:-kept])
        self._tail = text[-kept:]

    async def drain(self) -> None:
        while not self._over:
            if (await self.receive())["type"] != "http.request":
                return

    def mark(self) -> bytes:
        """SHA-256 of what came so far."""
        whole = self._sum.copy()
        whole.update(self._tail)
        return whole.digest()


class _Given:
    """What is answered, as it streams by."""

    def __init__(self, send: Send) -> None:
        self._send = send
        self.status = 500
        self._headers: dict[str, str] = {}
        self._body: list[bytes] = []

    async def send(self, message: Message) -> None:
        if message["type"] == "http.response.start":
            self.status = message["status"]
            found = Headers(raw=message["headers"])
            self._headers = {name: found[name] for name in _OF_ANSWERS if name in found}
        elif message["type"] == "http.response.body":
            self._body.append(message.get("body", b""))
        await self._send(message)

    def kept_headers(self) -> dict[str, str]:
        return self._headers

    def kept_body(self) -> bytes | None:
        packed = zlib.compress(b"".join(self._body), 1)
        return packed if len(packed) <= MOST_KEPT else None
