"""Rows of the area's tables, as its store reads them."""

from datetime import date, datetime
from decimal import Decimal
from typing import TypedDict


class SampleRow(TypedDict):
    """A product of a bulk edit, as it is now."""

    id: int
    name: str
    status: str
    category_id: int | None
    brand_id: int | None
    brand: str | None
    contents: str | None
    origin_country: str | None
    sells: str | None
    at_zero: str | None
    zero_limit: Decimal | None
    held_back: Decimal | None
    least_stock: Decimal | None
    low_stock: Decimal | None
    back_on: date | None
    coming_on: date | None
    order_least: Decimal | None
    order_most: Decimal | None
    order_step: Decimal | None
    packed_size: str | None
    customs_code: str | None


class PriceSampleRow(TypedDict):
    """The lowest and highest typed price of a product, before and after a change."""

    id: int
    low: Decimal | None
    high: Decimal | None
    then_low: Decimal | None
    then_high: Decimal | None


class BulkEditRow(TypedDict):
    """A bulk edit."""

    id: int
    field: str
    value: str
    query: str
    makes: str
    user_id: int | None
    made_at: datetime
    job_id: int | None
    change_set_id: int | None
