"""The client of Ostlerby's HTTP interface."""

import asyncio
from typing import Any
from urllib.parse import quote

import httpx
from pydantic import BaseModel, TypeAdapter, ValidationError

from graupel.channels import protocol
from graupel.channels.errors import ChannelDenied, ChannelMisbehaved, ChannelRefuses, ChannelUnreachable
from graupel.channels.protocol import Answer
from graupel.core.listings import state_after
from graupel.core.problems import Problem
from graupel.core.readiness import ChannelPlace, ChannelTerms

#: Within so many seconds the whole answer must be there, and so large it may be.
SECONDS = 8.0
MOST_BYTES = 20_000_000


class _Range(BaseModel):
    least: int
    most: int


class _Picture(BaseModel):
    least_side: int


class _Terms(BaseModel):
    title: _Range
    picture: _Picture


class _Category(BaseModel):
    code: str
    name: str
    above: str | None
    end: bool


class _Reason(BaseModel):
    code: str
    field: str = ""
    message: str


class _Listing(BaseModel):
    reference: str
    state: str
    page: str | None = None
    reasons: list[_Reason] = []


class _Refusal(BaseModel):
    reasons: list[_Reason]


class Ostlerby:
    """Speaks to one Ostlerby with one seller's key."""

    def __init__(self, address: str, secret: str, *, seconds: float = SECONDS) -> None:
        self._address, self._seconds = address, seconds
        self._headers = {"Authorization": f"Bearer {secret}"}

    def terms(self) -> ChannelTerms:
        """What the hall asks of every listing."""
        terms = self._read(_Terms, self._ask("GET", "/v1/terms"))
        return ChannelTerms(terms.title.least, terms.title.most, terms.picture.least_side)

    def places(self) -> list[ChannelPlace]:
        """Its categories with their paths."""
        found = self._read(list[_Category], self._ask("GET", "/v1/categories"))
        by_code = {category.code: category for category in found}

        def path(category: _Category, steps: int = 0) -> str:
            above = by_code.get(category.above or "")
            return f"{path(above, steps + 1)} > {category.name}" if above and steps < 20 else category.name

        return [ChannelPlace(category.code, path(category), category.end) for category in found]

    def put(self, reference: str, payload: dict[str, Any]) -> Answer:
        """Make or revise a listing."""
        return self._answer(reference, self._ask("PUT", f"/v1/listings/{quote(reference)}", payload))

    def get(self, reference: str) -> Answer | None:
        """Where a listing stands."""
        return self._maybe(reference, self._ask("GET", f"/v1/listings/{quote(reference)}", may_miss=True))

    def end(self, reference: str) -> Answer | None:
        """End a listing."""
        return self._maybe(reference, self._ask("DELETE", f"/v1/listings/{quote(reference)}", may_miss=True))

    def _ask(self, method: str, path: str, body: Any = None, *, may_miss: bool = False) -> httpx.Response:
        try:
            response = asyncio.run(self._exchange(method, path, body))
        except (TimeoutError, httpx.TimeoutException) as error:
            raise ChannelUnreachable("Ostlerby did not answer in time.") from error
        except (httpx.HTTPError, httpx.InvalidURL) as error:
            raise ChannelUnreachable("Ostlerby can't be reached, or broke off while answering.") from error
        if response.is_success or (may_miss and response.status_code == 404):
            return response
        raise _refusal(response)

    async def _exchange(self, method: str, path: str, body: Any) -> httpx.Response:
        """One request with its whole answer, under one deadline: time limits of single steps let a drip go on."""
        client = httpx.AsyncClient(
            base_url=self._address, timeout=self._seconds, headers=self._headers, trust_env=False
        )
        async with asyncio.timeout(self._seconds), client, client.stream(method, path, json=body) as answer:
            content = bytearray()
            async for chunk in answer.aiter_bytes():
                content += chunk
                if len(content) > MOST_BYTES:
                    raise ChannelMisbehaved("Ostlerby gave an answer far too large to be one.")
            return httpx.Response(answer.status_code, headers=_plain(answer.headers), content=bytes(content))

    def _maybe(self, reference: str, response: httpx.Response) -> Answer | None:
        return None if response.status_code == 404 else self._answer(reference, response)

    def _answer(self, reference: str, response: httpx.Response) -> Answer:
        listing = self._read(_Listing, response)
        state = state_after(listing.state)
        if state is None or listing.reference != reference:
            raise ChannelMisbehaved("Ostlerby gave an answer that makes no sense.")
        return Answer(state, listing.page or "", _problems(listing.reasons))

    @staticmethod
    def _read(kind: Any, response: httpx.Response) -> Any:
        try:
            return TypeAdapter(kind).validate_json(response.content)
        except ValidationError as error:
            raise ChannelMisbehaved("Ostlerby gave an answer that makes no sense.") from error


def _plain(headers: httpx.Headers) -> list[tuple[str, str]]:
    """Headers of an answer whose content was unpacked already."""
    return [(name, value) for name, value in headers.items() if name not in ("content-encoding", "content-length")]


def _problems(reasons: list[_Reason]) -> list[Problem]:
    return [Problem(reason.code, reason.message, reason.field or None) for reason in reasons]


def _refusal(response: httpx.Response) -> Exception:
    if response.status_code in (401, 403):
        return ChannelDenied("Ostlerby does not know the key. An owner can correct it under Channels.")
    if response.status_code == 429 or response.status_code >= 500:
        asked = response.headers.get("Retry-After", "")
        return ChannelUnreachable("Ostlerby is busy and asks to come back later.", int(asked) if asked.isdigit() else 0)
    try:
        return ChannelRefuses(_problems(_Refusal.model_validate_json(response.content).reasons))
    except ValidationError:
        return ChannelMisbehaved(f"Ostlerby refused without a reason that can be read (status {response.status_code}).")


def register() -> None:
    """Make this kind of channel known."""
    protocol.register("ostlerby", Ostlerby)
