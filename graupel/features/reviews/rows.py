"""Shapes of the rows that the store of reviews reads."""

from datetime import datetime
from typing import TypedDict


class SwitchRow(TypedDict):
    """Whether buyers may review a product."""

    id: int
    product_id: int
    allowed: int
    version: int


class ReviewRow(TypedDict):
    """A review."""

    id: int
    product_id: int
    lang: str
    name: str
    stars: int
    said: str
    state: str
    answer: str
    reason: str
    made_at: datetime
    version: int


class ListedRow(ReviewRow):
    """A review with the product that it is of."""

    product: str


class ReviewNameRow(TypedDict):
    """A review by who wrote it, and of which product."""

    id: int
    name: str
    product_id: int
