"""Sending a file in parts that are counted: whole, or the part that is asked for (RFC 9110, 14), with flat memory."""

from urllib.parse import quote

import anyio
from starlette.concurrency import run_in_threadpool
from starlette.responses import Response
from starlette.types import Receive, Scope, Send

from graupel.context import Context
from graupel.core import downloads as rules
from graupel.core.downloads import Span
from graupel.features.downloads import giving
from graupel.features.downloads.giving import Ready
from graupel.web import security

CHUNK = 256 * 1024
MEDIA = {"pdf": "application/pdf", "mp4": "video/mp4", "webm": "video/webm", "mp3": "audio/mpeg", "m4a": "audio/mp4"}


class Counted(Response):
    """A file, or a part of it. What was sent is noted however the sending ends; what the network still holds then is
    taken for sent."""

    def __init__(self, ctx: Context, ready: Ready, range_header: str, *, inline: bool) -> None:
        self.ctx, self.ready = ctx, ready
        self.background = None
        headers = {
            "Accept-Ranges": "bytes",
            "ETag": f'"{ready.version_id}-{ready.size}"',
            "Content-Type": MEDIA.get(rules.ending(ready.name), "application/octet-stream"),
            "Content-Disposition": f"{'inline' if inline else 'attachment'}; filename*=UTF-8''{quote(ready.name)}",
            "Cache-Control": "private, no-store",
        }
        try:
            asked = rules.asked_span(range_header, ready.size) if range_header else None
        except ValueError:
            self.span: Span = (0, 0)
            self.status_code = 416
            headers |= {"Content-Range": f"bytes */{ready.size}", "Content-Length": "0"}
        else:
            self.span = asked or (0, ready.size)
            self.status_code = 206 if asked else 200
            headers |= {"Content-Length": str(self.span[1] - self.span[0])}
            if asked:
                headers["Content-Range"] = f"bytes {asked[0]}-{asked[1] - 1}/{ready.size}"
        self.body = b""
        self.init_headers(headers)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        await send({"type": "http.response.start", "status": self.status_code, "headers": self.raw_headers})
        if scope.get(security.HEAD):  # nothing of it is sent, so nothing counts
            await send({"type": "http.response.body", "body": b""})
            return
        async with anyio.create_task_group() as tasks:
            tasks.start_soon(_until_gone, receive, tasks.cancel_scope)
            await self._send(send)
            tasks.cancel_scope.cancel()

    async def _send(self, send: Send) -> None:
        first, end = self.span
        at = first
        try:
            async with await anyio.open_file(self.ready.path, "rb") as file:
                await file.seek(first)
                while at < end and (chunk := await file.read(min(CHUNK, end - at))):
                    await send({"type": "http.response.body", "body": chunk, "more_body": True})
                    at += len(chunk)
            await send({"type": "http.response.body", "body": b"", "more_body": False})
        finally:
            if at > first:
                with anyio.CancelScope(shield=True):
                    await run_in_threadpool(giving.sent, self.ctx, self.ready, (first, at))


async def _until_gone(receive: Receive, scope: anyio.CancelScope) -> None:
    """Ends the sending when the one who asked has hung up: the server would go on as if all were well."""
    while (await receive())["type"] != "http.disconnect":
        pass
    scope.cancel()
