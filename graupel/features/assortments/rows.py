"""Rows of the area's tables, as its store reads them."""

from typing import TypedDict


class ConditionRow(TypedDict):
    """A condition of a category or a shop."""

    id: int
    owner: str
    owner_id: int
    position: int
    field: str
    op: str
    ref_id: int | None
    value: str
    version: int


class ShopGoodsRow(TypedDict):
    """What a shop shows or leaves out."""

    id: int
    shop_id: int
    kind: str
    record_id: int
    left_out: int
    version: int
