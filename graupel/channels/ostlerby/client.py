"""The client of Ostlerby's HTTP interface."""

from collections.abc import Sequence
from typing import Any
from urllib.parse import quote

import httpx
from pydantic import BaseModel, TypeAdapter, ValidationError

from graupel.channels import exchange
from graupel.channels.errors import ChannelDenied, ChannelMisbehaved, ChannelRefuses, ChannelUnreachable
from graupel.channels.exchange import Exchange
from graupel.channels.marketplaces import Answer, Terms
from graupel.core.listings import ChannelPlace, ListingState
from graupel.core.problems import Problem

#: So many listings are asked about at once.
AT_ONCE = 100
#: The hall's words for where a listing stands.
_STATES = {
    "under_review": ListingState.REVIEW,
    "taken": ListingState.ON_SALE,
    "refused": ListingState.REFUSED,
    "ended": ListingState.ENDED,
}


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
    on_sale: bool = False


class _Refusal(BaseModel):
    reasons: list[_Reason]


class OstlerbyClient:
    """Speaks to one hall with one seller's key."""

    def __init__(self, address: str, secret: str, *, seconds: float = exchange.SECONDS) -> None:
        self._exchange = Exchange("Ostlerby", address, {"Authorization": f"Bearer {secret}"}, seconds=seconds)

    def terms(self) -> Terms:
        """What the hall asks of every listing."""
        terms = self._read(_Terms, self._ask("GET", "/v1/terms"))
        return {
            "title_least": terms.title.least,
            "title_most": terms.title.most,
            "picture_least_side": terms.picture.least_side,
        }

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
        listing = self._read(_Listing, self._ask("PUT", f"/v1/listings/{quote(reference)}", payload))
        if listing.reference != reference:
            raise ChannelMisbehaved("Ostlerby gave an answer that makes no sense.")
        return _answer(listing)

    def answers(self, references: Sequence[str]) -> dict[str, Answer]:
        """Where listings stand."""
        found: dict[str, Answer] = {}
        for first in range(0, len(references), AT_ONCE):
            wanted = references[first : first + AT_ONCE]
            listings = self._read(list[_Listing], self._ask("GET", "/v1/listings", params={"reference": list(wanted)}))
            found |= {one.reference: _answer(one) for one in listings if one.reference in wanted}
        return found

    def end(self, reference: str) -> None:
        """End a listing."""
        self._ask("DELETE", f"/v1/listings/{quote(reference)}", may_miss=True)

    def _ask(
        self, method: str, path: str, body: Any = None, params: Any = None, *, may_miss: bool = False
    ) -> httpx.Response:
        response = self._exchange.ask(method, path, body, params)
        if response.is_success or (may_miss and response.status_code == 404):
            return response
        raise _refusal(response)

    @staticmethod
    def _read(kind: Any, response: httpx.Response) -> Any:
        try:
            return TypeAdapter(kind).validate_json(response.content)
        except ValidationError as error:
            raise ChannelMisbehaved("Ostlerby gave an answer that makes no sense.") from error


def _answer(listing: _Listing) -> Answer:
    if listing.state not in _STATES:
        raise ChannelMisbehaved("Ostlerby gave an answer that makes no sense.")
    return Answer(_STATES[listing.state], listing.page or "", _problems(listing.reasons), listing.on_sale)


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
