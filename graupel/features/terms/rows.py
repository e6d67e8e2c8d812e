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


class BoundaryRow(TypedDict):
    """A sale that begins or ends."""

    id: int
    at: datetime
    what: str


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


class LocationRow(TypedDict):
    """Where goods lie."""

    id: int
    name: str
    position: int
    version: int


class StockRow(TypedDict):
    """What is there of a variant, whose id it has."""

    id: int
    product_id: int
    counted: int
    on_hand: Decimal
    reserved: Decimal
    version: int


class StockAtRow(TypedDict):
    """What is there of a variant at a location."""

    variant_id: int
    location_id: int
    on_hand: Decimal


class SellingRulesRow(TypedDict):
    """How goods are sold: of the shop, or of a type."""

    id: int
    type_id: int | None
    at_zero: str | None
    zero_limit: Decimal | None
    held_back: Decimal | None
    least_stock: Decimal | None
    low_stock: Decimal | None
    order_least: Decimal | None
    order_most: Decimal | None
    order_step: Decimal | None
    version: int


class DayRow(TypedDict):
    """A day on which goods came back, or were not only announced any more."""

    id: int
    day: date


class StockNamedRow(TypedDict):
    """What of stock belongs to which variant."""

    id: int
    product_id: int
    sku: str


class PromiseRow(TypedDict):
    """A delivery promise."""

    id: int
    name: str
    cost_by: str
    version: int


class PromiseZoneRow(TypedDict):
    """Countries to which goods go alike by a promise."""

    id: int
    promise_id: int
    position: int
    countries: str
    first_days: int
    last_days: int
    steps: str
    free_from: Decimal | None
    version: int


class PromiseForRow(TypedDict):
    """For what a promise stands."""

    id: int
    promise_id: int
    type_id: int | None
    category_id: int | None
    version: int


class OwnCarriageRow(TypedDict):
    """What delivery of single goods costs in a country; NULL: they may not go there."""

    id: int
    product_id: int
    country: str
    amount: Decimal | None
    version: int


class WorkingRow(TypedDict):
    """When the shop works."""

    id: int
    days: str
    cut_off: str
    closed: str
    version: int


class MakesRow(TypedDict):
    """How many of a kit its parts make; None without end."""

    product_id: int
    ready: int | None
    most: int | None
