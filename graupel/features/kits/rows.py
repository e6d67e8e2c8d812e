"""Shapes of the rows that the store of kits reads."""

from decimal import Decimal
from typing import TypedDict


class KitRow(TypedDict):
    """How a product that is made of others is priced."""

    id: int
    product_id: int
    priced_by: str
    percent: Decimal
    version: int


class PartRow(TypedDict):
    """That a product has so much of a variant in it."""

    id: int
    product_id: int
    variant_id: int
    quantity: Decimal
    pick: str
    position: int
    version: int


class PartNameRow(TypedDict):
    """A part of a kit, by the names of the kit and of what is in it."""

    id: int
    product_id: int
    kit: str | None
    part: str | None
    sku: str | None


class SkuPartRow(TypedDict):
    """So much of a SKU in a kit, by the kit's SKU."""

    kit_sku: str
    part_id: int
    variant_id: int
    sku: str
    quantity: Decimal
    pick: str


class UsedByRow(TypedDict):
    """A kit that has a variant of some product in it."""

    id: int
    name: str
