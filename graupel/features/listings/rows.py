"""Rows of the area's tables, as its store reads them."""

from datetime import datetime
from typing import Any, TypedDict


class ChannelRow(TypedDict):
    """A channel."""

    id: int
    kind: str
    name: str
    address: str
    secret: str
    terms: str | None
    checked_at: datetime | None
    trouble: str
    version: int
    lang: str
    silent_since: datetime | None


class ListingRow(TypedDict):
    """A listing."""

    id: int
    channel_id: int
    product_id: int
    reference: str
    category_code: str | None
    title: str
    state: str | None
    sent_fingerprint: str | None
    stale: int
    reasons: list[dict[str, Any]]
    page_number: str
    sent_at: datetime | None
    answered_at: datetime | None
    version: int
    asked: int
    held_by: int | None
    held_until: datetime | None
    held_back: int
    looks: int
    look_at: datetime | None
    on_sale_as_of: datetime | None


class ChangedWordRow(TypedDict):
    """A word of which something changed."""

    kind: str
    id: int


class DueLookRow(TypedDict):
    """A listing whose answer is to be asked for."""

    id: int
    reference: str
    version: int
    looks: int


class NamedListing(TypedDict):
    """A listing by the name of its channel."""

    id: int
    product_id: int
    name: str
