"""Rows of the area, as its store reads them."""

from datetime import date, datetime
from decimal import Decimal
from typing import TypedDict


class StockLineRow(TypedDict):
    """A variant with what is there of it and what sells."""

    id: int
    product_id: int
    sku: str
    name: str
    choices: str | None
    counted: int | None
    on_hand: Decimal | None
    reserved: Decimal | None
    standing: str
    ready: Decimal | None
    most: Decimal | None
    low_stock: Decimal
    back_on: date | None


class EntryRow(TypedDict):
    """An entry of the record."""

    id: int
    variant_id: int
    sku: str
    location: str | None
    amount: Decimal
    reason: str
    at: datetime
    change_set_id: int
    actor: str | None
    title: str | None
    order_code: str | None


class CodeRow(TypedDict):
    """A variant by one of its codes."""

    id: int
    product_id: int
    sku: str
    gtin: str | None
    name: str
    archived: int


class AlertRow(TypedDict):
    """A variant that is below its threshold."""

    id: int
    product_id: int
    sku: str
    name: str
    since: datetime
    on_hand: Decimal
    reserved: Decimal
    low_stock: Decimal


class NoticeRow(TypedDict):
    """Who is written to, and the secret part of the feed's address."""

    id: int
    mails: str
    feed_key: str
    version: int
