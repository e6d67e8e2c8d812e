"""Asking a service outside: one deadline for the whole answer, a limit to its size, and a connection that is kept.

Time limits of single steps would let an answer drip for ever, so requests run in a loop of their own, where the whole
of one can be given up.
"""

import asyncio
import re
import threading
from collections.abc import Coroutine
from contextlib import suppress
from datetime import UTC, datetime
from email.utils import parsedate_to_datetime
from functools import cache
from typing import Any, TypeVar

import httpx

from graupel.channels.errors import ChannelMisbehaved, ChannelUnreachable

T = TypeVar("T")
#: Within so many seconds the whole answer must be there, and so large it may be.
SECONDS = 8.0
MOST_BYTES = 20_000_000
LONGEST_WAIT = 3600


class Exchange:
    """Requests to one service. ``name``: what it is called where something is said about it."""

    def __init__(self, name: str, address: str, headers: dict[str, str], *, seconds: float = SECONDS) -> None:
        self.name, self._seconds = name, seconds
        self._client = httpx.AsyncClient(base_url=address, timeout=seconds, headers=headers, trust_env=False)

    def ask(self, method: str, path: str, body: Any = None, params: Any = None) -> httpx.Response:
        """The whole answer, whatever its status. Raises ChannelUnreachable, ChannelMisbehaved."""
        try:
            return _run(self._whole(method, path, body, params))
        except (TimeoutError, httpx.TimeoutException) as error:
            raise ChannelUnreachable(f"{self.name} did not answer in time.") from error
        except (httpx.HTTPError, httpx.InvalidURL) as error:
            raise ChannelUnreachable(f"{self.name} can't be reached, or broke off while answering.") from error

    async def _whole(self, method: str, path: str, body: Any, params: Any) -> httpx.Response:
        async with (
            asyncio.timeout(self._seconds),
            self._client.stream(method, path, json=body, params=params) as answer,
        ):
            content = bytearray()
            async for chunk in answer.aiter_bytes():
                content += chunk
                if len(content) > MOST_BYTES:
                    raise ChannelMisbehaved(f"{self.name} gave an answer far too large to be one.")
            return httpx.Response(answer.status_code, headers=_plain(answer.headers), content=bytes(content))


def asked_to_wait(response: httpx.Response) -> int:
    """For how many seconds an answer asks to wait, at most an hour; 0 where it says nothing that can be read.

    RFC 9110, 10.2.3: seconds, or a date; a clock that is off by a day is not waited for.
    """
    asked = response.headers.get("Retry-After", "").strip()
    if re.fullmatch("[0-9]{1,9}", asked):
        return min(int(asked), LONGEST_WAIT)
    with suppress(ValueError, TypeError):
        left = parsedate_to_datetime(asked) - datetime.now(UTC)
        return max(0, min(int(left.total_seconds()), LONGEST_WAIT))
    return 0


def _plain(headers: httpx.Headers) -> list[tuple[bytes, bytes]]:
    """Headers of an answer whose content was unpacked already, as they came: any byte may stand in them."""
    return [
        (name, value) for name, value in headers.raw if name.lower() not in (b"content-encoding", b"content-length")
    ]


@cache
def _loop() -> asyncio.AbstractEventLoop:
    """The one loop of this process in which requests run."""
    loop = asyncio.new_event_loop()
    threading.Thread(target=loop.run_forever, name="exchange", daemon=True).start()
    return loop


def _run(work: Coroutine[Any, Any, T]) -> T:
    return asyncio.run_coroutine_threadsafe(work, _loop()).result()
