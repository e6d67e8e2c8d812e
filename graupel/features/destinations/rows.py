"""Rows of the area's tables, as its store reads them."""

from datetime import date
from decimal import Decimal
from typing import TypedDict


class TermsRow(TypedDict):
    """What a destination makes of the catalogue's prices."""

    id: int
    destination: str
    rate: Decimal | None
    rate_on: date | None
    percent: Decimal
    amount: Decimal
    ending: str
    country: str | None
    tax_shown: str
    shows_lowest: int
    typed_with_tax: int
    goods_class_id: int | None
    delivery_class_id: int | None
    jump_percent: int | None
    version: int


class ShopRow(TypedDict):
    """A shop."""

    id: int
    name: str
    address_part: str
    languages: str
    currency: str
    shows: str
    version: int
