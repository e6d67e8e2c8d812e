"""A product on a channel: what is sent, and where it stands there."""

import hashlib
import json
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum
from typing import Any

from graupel.core.products import ProductValues
from graupel.core.quantities import format_money


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
    ListingState.ENDED: "Ended",
    ListingState.FAILED: "Not sent",
}
#: States in which the channel holds, or is about to hold, the listing: a change must reach it.
AT_CHANNEL = (ListingState.SENDING, ListingState.REVIEW, ListingState.ON_SALE, ListingState.REFUSED)


@dataclass(frozen=True)
class PictureLink:
    """A picture as a channel fetches it. Sides in pixels."""

    url: str
    width: int
    height: int


@dataclass(frozen=True)
class Offer:
    """One variant on a channel. ``weight_g`` in grams."""

    sku: str
    price: Decimal | None
    weight_g: int | None


def payload(
    values: ProductValues,
    title: str,
    place_code: str,
    pictures: Sequence[PictureLink],
    currency: str,
    offers: Sequence[Offer],
) -> dict[str, Any]:
    """The listing as JSON: one article with an offer for each variant."""
    return {
        "title": title,
        "description": values.description,
        "brand": values.brand or None,
        "mpn": values.mpn or None,
        "gtin": values.gtin,
        "category": place_code,
        "pictures": [{"url": p.url, "width": p.width, "height": p.height} for p in pictures],
        "offers": [
            {
                "sku": offer.sku,
                "price": {"amount": format_money(offer.price), "currency": currency},
                "condition": "new",
                "weight_g": offer.weight_g,
            }
            for offer in offers
        ],
    }


def fingerprint(sent: dict[str, Any]) -> str:
    """The same for the same payload, another for any other: 64 hex digits (SHA-256 of canonical JSON)."""
    canonical = json.dumps(sent, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    return hashlib.sha256(canonical.encode()).hexdigest()


_ANSWERS = {
    "under_review": ListingState.REVIEW,
    "taken": ListingState.ON_SALE,
    "refused": ListingState.REFUSED,
    "ended": ListingState.ENDED,
}


def state_after(answer: str) -> ListingState | None:
    """The state that a channel's word stands for; None for a word that is not part of the protocol."""
    return _ANSWERS.get(answer)
