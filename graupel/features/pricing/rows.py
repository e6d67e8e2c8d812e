"""Rows of the area's tables, as its store reads them."""

from datetime import datetime
from typing import Any, TypedDict


class GoodsNameRow(TypedDict):
    """Something that a sale is for, by the name of its product."""

    id: int
    sale_id: int
    product_id: int
    variant_id: int | None
    choice_id: int | None
    name: str
    sku: str | None
    choice: str | None


class QuantityNameRow(TypedDict):
    """A quantity price with its product."""

    id: int
    product_id: int
    from_quantity: int


class MomentRow(TypedDict):
    """What time did to a sale."""

    id: int
    sale_id: int
    what: str


class PriceChangeRow(TypedDict):
    """A change of a typed price, as the journal has it; ``was`` is JSON's text, NULL where there was none."""

    made_at: datetime
    record_kind: str
    record_id: int
    was: str | None
    key: str | None


class TermsChangeRow(TypedDict):
    """A change of terms of sale: what stood there before, None where it made them."""

    made_at: datetime
    record_id: int
    was: dict[str, Any] | None
