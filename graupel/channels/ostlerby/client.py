"""The client of Ostlerby's HTTP interface."""

from collections.abc import Sequence
from typing import Annotated, Any
from urllib.parse import quote

import httpx
from pydantic import BaseModel, Field, TypeAdapter, ValidationError

from graupel.channels import exchange
from graupel.channels.errors import ChannelDenied, ChannelMisbehaved, ChannelRefuses, ChannelUnreachable
from graupel.channels.exchange import Exchange
from graupel.channels.marketplaces import Answer, Terms
from graupel.core.listings import ChannelPlace, ListingState
from graupel.core.problems import Problem

#: So many listings are asked about at once.
AT_ONCE = 100
NO_SENSE = "Ostlerby gave an answer that makes no sense."
#: The hall's words for where a listing stands.
_STATES = {
    "under_review": ListingState.REVIEW,
    "taken": ListingState.ON_SALE,
    "refused": ListingState.REFUSED,
    "ended": ListingState.ENDED,
}


#: What is kept of their words is no longer than this; an answer with more is none of theirs.
_Code = Annotated[str, Field(max_length=40, pattern=r"^[\x21-\x7e]+$")]
_Word = Annotated[str, Field(max_length=100)]
_Name = Annotated[str, Field(max_length=200)]
_Said = Annotated[str, Field(max_length=1000)]
_Count = Annotated[int, Field(ge=0, le=1_000_000)]
_MOST_PLACES, _MOST_REASONS, _MOST_PATH = 50_000, 100, 600


class _Range(BaseModel):
    least: _Count
    most: _Count


class _Picture(BaseModel):
    least_side: _Count


class _Terms(BaseModel):
    title: _Range
    picture: _Picture


class _Category(BaseModel):
    code: _Code
    name: _Name
    above: _Code | None
    end: bool


class _Reason(BaseModel):
    code: _Word
    field: _Word = ""
    message: _Said


class _Listing(BaseModel):
    reference: _Word
    state: _Word
    page: _Code | None = None
    reasons: Annotated[list[_Reason], Field(max_length=_MOST_REASONS)] = []
    on_sale: bool = False


class _Refusal(BaseModel):
    reasons: Annotated[list[_Reason], Field(max_length=_MOST_REASONS)]


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
        kind = Annotated[list[_Category], Field(max_length=_MOST_PLACES)]
        found = self._read(kind, self._ask("GET", "/v1/categories"))
        by_code = {category.code: category for category in found}

        def path(category: _Category, steps: int = 0) -> str:
            above = by_code.get(category.above or "")
            return f"{path(above, steps + 1)} > {category.name}" if above and steps < 20 else category.name

        places = [ChannelPlace(one.code, path(one), one.end) for one in by_code.values()]
        if any(len(place.path) > _MOST_PATH for place in places):
            raise ChannelMisbehaved(NO_SENSE)
        return places

    def put(self, reference: str, payload: dict[str, Any]) -> Answer:
        """Make or revise a listing."""
        listing = self._read(_Listing, self._ask("PUT", f"/v1/listings/{quote(reference)}", payload))
        if listing.reference != reference:
            raise ChannelMisbehaved(NO_SENSE)
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
            raise ChannelMisbehaved(NO_SENSE) from error


def _answer(listing: _Listing) -> Answer:
    if listing.state not in _STATES:
        raise ChannelMisbehaved(NO_SENSE)
    return Answer(_STATES[listing.state], listing.page or "", _problems(listing.reasons), listing.on_sale)


def _problems(reasons: list[_Reason]) -> list[Problem]:
    return [Problem(reason.code, reason.message, reason.field or None) for reason in reasons]


def _refusal(response: httpx.Response) -> Exception:
    if response.status_code in (401, 403):
        return ChannelDenied("Ostlerby does not know the key. An owner can correct it under Channels.")
    if response.status_code == 429 or response.status_code >= 500:
        return ChannelUnreachable("Ostlerby is busy and asks to come back later.", exchange.asked_to_wait(response))
    try:
        return ChannelRefuses(_problems(_Refusal.model_validate_json(response.content).reasons))
    except ValidationError:
        return ChannelMisbehaved(f"Ostlerby refused without a reason that can be read (status {response.status_code}).")
