"""Rows of the area's tables, as its store reads them."""

from datetime import datetime
from decimal import Decimal
from typing import TypedDict

from graupel.features.products.rows import SellingColumns


class SampleRow(SellingColumns):
    """A product of a bulk edit, as it is now."""

    id: int
    name: str
    status: str
    category_id: int | None
    brand_id: int | None
    brand: str | None
    contents: str | None
    origin_country: str | None
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
