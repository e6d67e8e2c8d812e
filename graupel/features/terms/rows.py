"""Rows of the area's tables, as its store reads them."""

from datetime import date, datetime
from decimal import Decimal
from typing import TypedDict


class TaxClassRow(TypedDict):
    """A tax class."""

    id: int
    name: str
    version: int


class TaxRateRow(TypedDict):
    """What a class takes in a country from a day on."""

    id: int
    tax_class_id: int
    country: str
    begins: date
    percent: Decimal
    amount: Decimal
    version: int


class PromotionRow(TypedDict):
    """A promotion."""

    id: int
    code: str
    name: str
    kind: str
    begins: datetime
    ends: datetime | None
    version: int


class SaleRow(TypedDict):
    """A sale."""

    id: int
    title: str
    promotion_id: int | None
    reach: str
    destination: str
    takes_off: str
    amount: Decimal
    ends_so: int
    joined: int
    begins: datetime
    ends: datetime | None
    version: int


class SaleGoodsRow(TypedDict):
    """Something that a sale is for."""

    id: int
    sale_id: int
    product_id: int
    variant_id: int | None
    choice_id: int | None
    version: int


class QuantityPriceRow(TypedDict):
    """What a piece costs from so many on."""

    id: int
    product_id: int
    variant_id: int | None
    destination: str
    from_quantity: int
    takes_off: str
    amount: Decimal
    version: int


class RunningRow(TypedDict):
    """Which kinds of sale hold at a moment."""

    reach: str
    destination: str
