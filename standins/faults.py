"""Faults that can be switched on: what outside services do on a bad day."""

import asyncio
import json
from enum import StrEnum

from starlette.types import ASGIApp, Message, Receive, Scope, Send


class Fault(StrEnum):
    """One kind of bad day."""

    SLOW = "slow"  # answers after some seconds
    HANGS = "hangs"  # takes the request and never answers
    BUSY = "busy"  # 503 with Retry-After
    REFUSES = "refuses"  # 422 whatever is sent
    LOSES_ANSWER = "loses_answer"  # does the work, and breaks off while answering
    ANSWERS_TWICE = "answers_twice"  # does the work twice, as after a repeated request on the way
    LIES = "lies"  # says 200 and something that means nothing


class Faults:
    """Holds the fault that is on, and for how many more requests; works on everything under /v1."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app
        self.fault: Fault | None = None
        self.times = 0
        self.seconds = 2.0
        self.asked = 0

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        self.asked += scope["type"] == "http" and scope["path"].startswith("/v1/listings") and scope["method"] == "GET"
        if scope["type"] != "http" or not scope["path"].startswith("/v1/") or self.fault is None or not self.times:
            await self.app(scope, receive, send)
            return
        self.times -= 1
        await self._misbehave(self.fault, scope, receive, send)

    async def _misbehave(self, fault: Fault, scope: Scope, receive: Receive, send: Send) -> None:
        match fault:
            case Fault.SLOW:
                await asyncio.sleep(self.seconds)
                await self.app(scope, receive, send)
            case Fault.HANGS:
                while (await receive())["type"] != "http.disconnect":
                    pass
            case Fault.BUSY:
                await _answer(send, 503, {"error": "The hall is full."}, {"retry-after": str(int(self.seconds))})
            case Fault.REFUSES:
                reasons = [{"code": "closed", "field": "", "message": "The hall takes nothing today."}]
                await _answer(send, 422, {"reasons": reasons})
            case Fault.LOSES_ANSWER:
                await self.app(scope, receive, _swallow)
                await send({"type": "http.response.start", "status": 200, "headers": [(b"content-length", b"1000")]})
                await send({"type": "http.response.body", "body": b"{"})
            case Fault.ANSWERS_TWICE:
                again = await _replayable(receive)
                await self.app(dict(scope), again(), _swallow)
                await self.app(scope, again(), send)
            case Fault.LIES:
                await _answer(send, 200, {"state": "splendid", "greeting": "Good morning"})


async def _swallow(message: Message) -> None:
    return None


async def _replayable(receive: Receive):  # type: ignore[no-untyped-def]
    messages = []
    while True:
        messages.append(await receive())
        if not messages[-1].get("more_body"):
            break

    def player() -> Receive:
        left = list(messages)

        async def play() -> Message:
            return left.pop(0) if left else {"type": "http.disconnect"}

        return play

    return player


async def _answer(send: Send, status: int, body: dict[str, object], headers: dict[str, str] | None = None) -> None:
    raw = json.dumps(body).encode()
    all_headers = {"content-type": "application/json", "content-length": str(len(raw)), **(headers or {})}
    await send(
        {
            "type": "http.response.start",
            "status": status,
            "headers": [(k.encode(), v.encode()) for k, v in all_headers.items()],
        }
    )
    await send({"type": "http.response.body", "body": raw})
