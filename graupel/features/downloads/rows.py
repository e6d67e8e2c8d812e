"""Shapes of the rows that the store of downloads reads."""

from datetime import datetime
from typing import TypedDict


class DownloadRow(TypedDict):
    """A download."""

    id: int
    name: str
    before_buying: int
    times: int | None
    days: int | None
    stamped: int
    plays: str
    excerpt_pages: int | None
    renews: int
    version: int


class VersionRow(TypedDict):
    """A version of a download; ``trouble``: why it can't be stamped, "" where it can."""

    id: int
    download_id: int
    number: int
    file_name: str
    kept_as: str
    bytes: int
    pages: int | None
    trouble: str
    made_at: datetime
    version: int


class UseRow(TypedDict):
    """That a download is given with a product, or with one of its variants."""

    id: int
    product_id: int
    variant_id: int | None
    download_id: int
    position: int
    version: int


class GivenRow(TypedDict):
    """What a buyer was given. ``buyer``: what a page is stamped with."""

    id: int
    order_id: int
    line_id: int
    download_id: int
    download_version_id: int
    secret: str
    buyer: str
    taken: int
    most: int | None
    until_at: datetime | None
    closed: int
    last_at: datetime | None


class RunRow(TypedDict):
    """A download under way; ``spans``: JSON."""

    id: int
    given_id: int
    spans: str


class TookRow(TypedDict):
    """Who took a download: of which order, how often."""

    id: int
    order_id: int
    code: str
    name: str | None
    trial: int
    taken: int
    most: int | None
    until_at: datetime | None
    closed: int
    last_at: datetime | None


class UseNameRow(TypedDict):
    """A download with a product, by name."""

    id: int
    download: str
    product_id: int


class VersionNameRow(TypedDict):
    """A version, by its file."""

    id: int
    file_name: str
    download_id: int


class CountsRow(TypedDict):
    """With how many products a download is given, and how often it was taken."""

    id: int
    products: int
    taken: int
