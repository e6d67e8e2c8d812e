"""Rows of the area's tables, as its store reads them."""

from decimal import Decimal
from typing import TypedDict


class OrderRow(TypedDict):
    """An order."""

    id: int
    destination: str
    code: str
    version: int


class OrderLineRow(TypedDict):
    """A line of an order, with what it did to stock so far."""

    id: int
    order_id: int
    sku: str
    variant_id: int | None
    product_id: int | None
    reserved: Decimal
    taken: Decimal
    returned: Decimal
    version: int


class ReportRow(TypedDict):
    """A report of an order."""

    id: int
    code: str
    order_id: int
    told: str
    reported_lines: str


class SkuRow(TypedDict):
    """Whose SKU it is."""

    sku: str
    variant_id: int
    product_id: int


class OrderNamedRow(TypedDict):
    """What a line of an order is called."""

    id: int
    sku: str
    code: str
    product_id: int | None
