"""A product on a marketplace: what is known of it there, what may be sent, and where it stands."""

import hashlib
import json
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from decimal import Decimal
from enum import StrEnum
from typing import Any

from graupel.core.products import ProductValues


class ListingState(StrEnum):
    """Where a listing stands, as the channel last said or as is under way."""

    SENDING = "sending"
    REVIEW = "review"
    ON_SALE = "on_sale"
    REFUSED = "refused"
    ENDING = "ending"
    ENDED = "ended"
    FAILED = "failed"


STATE_WORDS = {
    ListingState.SENDING: "Being sent",
    ListingState.REVIEW: "Under review",
    ListingState.ON_SALE: "On sale",
    ListingState.REFUSED: "Refused",
    ListingState.ENDING: "Being ended",
    ListingState.ENDED: "Taken down",
    ListingState.FAILED: "Not sent",
}
#: States in which the channel holds, or is about to hold, the listing: a change must reach it.
AT_CHANNEL = (ListingState.SENDING, ListingState.REVIEW, ListingState.ON_SALE, ListingState.REFUSED)


@dataclass(frozen=True)
class ChannelPlace:
    """A category of the channel. Only an end category takes goods."""

    code: str
    path: str
    is_end: bool


@dataclass(frozen=True)
class PictureLink:
    """A picture as a channel fetches it; sides in pixels. ``url``: "" of one that is not saved yet."""

    url: str
    width: int
    height: int
    alt: str = ""


@dataclass(frozen=True)
class Reduced:
    """That an offer costs less for a time. ``was``: what is asked without the sale; ``ends``: None where nobody knows.

    ``promotion``: id and kind of the promotion that the sale belongs to, None without one. Moments are UTC.
    """

    was: Decimal
    begins: datetime
    ends: datetime | None
    promotion: tuple[str, str] | None = None


@dataclass(frozen=True)
class Offer:
    """One variant on a channel. ``weight_g`` in grams; ``choices``: what it differs by, as (attribute, choice)."""

    sku: str
    price: Decimal | None
    weight_g: int | None
    gtin: str | None = None
    mpn: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    reduced: Reduced | None = None


@dataclass(frozen=True)
class Goods:
    """A product as a channel sees it: in the channel's language, with its prices.

    ``place``: its category there, None where none was chosen; ``offers``: one for each variant for sale;
    ``unpriced``: as in products.lacks_for_live; ``currency``: of all prices.
    """

    values: ProductValues
    title: str
    place: ChannelPlace | None
    pictures: Sequence[PictureLink]
    offers: Sequence[Offer]
    currency: str
    unpriced: int | None = None

    @property
    def varies(self) -> bool:
        """Whether its offers differ by something."""
        return any(offer.choices for offer in self.offers)

    def with_values(self, values: ProductValues) -> "Goods":
        """The same with other values; of goods that do not vary, the only offer follows them."""
        offers = self.offers
        if not self.varies and len(offers) == 1:
            offers = [replace(offers[0], price=values.price, weight_g=values.weight_g, gtin=values.gtin)]
        return replace(self, values=values, offers=offers)


def fingerprint(sent: dict[str, Any]) -> str:
    """The same for the same payload, another for any other: 64 hex digits (SHA-256 of canonical JSON)."""
    canonical = json.dumps(sent, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    return hashlib.sha256(canonical.encode()).hexdigest()
