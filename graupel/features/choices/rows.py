"""Shapes of the rows that the store of choices reads."""

from datetime import date
from decimal import Decimal
from typing import TypedDict


class ChoiceRow(TypedDict):
    """A buyer choice."""

    id: int
    product_id: int | None
    name: str
    label: str
    kind: str
    looks: str
    help: str
    needed: int
    message: str
    default_text: str
    least: Decimal | None
    most: Decimal | None
    places: int
    first_day: date | None
    last_day: date | None
    ahead_days: int | None
    within_days: int | None
    closed_weekdays: str
    closed_days: str
    file_kinds: str
    megabytes: int | None
    when_choice_id: int | None
    when_entry_id: int | None
    version: int


class EntryRow(TypedDict):
    """An entry of a choice."""

    id: int
    buyer_choice_id: int
    position: int
    label: str
    adds_by: str
    amount: Decimal
    once: int
    weight_g: int | None
    sku_code: str
    unshipped: int
    sold_out: int
    is_default: int
    swatch: str
    media_id: int | None
    version: int


class UseRow(TypedDict):
    """That a choice is asked with a product."""

    id: int
    product_id: int
    buyer_choice_id: int
    position: int
    version: int


class EntryNameRow(TypedDict):
    """An entry with the choice that it is of."""

    id: int
    label: str
    buyer_choice_id: int
    choice: str


class UseNameRow(TypedDict):
    """A choice asked with a product, by name."""

    id: int
    choice: str
    product_id: int
