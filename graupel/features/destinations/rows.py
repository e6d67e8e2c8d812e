"""Rows of the area's tables, as its store reads them."""

from typing import TypedDict


class ShopRow(TypedDict):
    """A shop."""

    id: int
    name: str
    address_part: str
    languages: str
    currency: str
    shows: str
    version: int
