"""Shapes of the rows that the store of relations reads."""

from datetime import datetime
from decimal import Decimal
from typing import TypedDict


class KindRow(TypedDict):
    """A kind of relation."""

    id: int
    name: str
    position: int
    mutual: int
    offered: int
    version: int


class RelationRow(TypedDict):
    """That a product has another beside it; ``less``: what that costs less together with it, in the moments (UTC)."""

    id: int
    product_id: int
    relation_kind_id: int
    other_id: int
    position: int
    less_by: str
    less: Decimal
    less_from: datetime | None
    less_until: datetime | None
    version: int


class RuleRow(TypedDict):
    """That goods of a category have those of another beside them."""

    id: int
    relation_kind_id: int
    of_category_id: int
    other_category_id: int
    position: int
    version: int


class ReferringRow(TypedDict):
    """That a product has another beside it, by the names of product and kind."""

    id: int
    product_id: int
    name: str
    relation_kind_id: int
    kind: str
    has_it: int


class RuleNameRow(TypedDict):
    """A rule, by the names of what it is about."""

    id: int
    kind: str
    of_name: str | None
    other_name: str | None


class CodesRow(TypedDict):
    """A relation by codes."""

    code: str
    kind: str
    other: str


class OfferRow(TypedDict):
    """That a product costs less together with another, now."""

    product_id: int
    other_id: int
    less_by: str
    less: Decimal


class RelatedRow(TypedDict):
    """A related product as the editor names it."""

    id: int
    name: str
    status: str
    sku: str
    price_low: object


class RelationNameRow(TypedDict):
    """A relation, by the kind and what is related."""

    id: int
    kind: str
    other: str | None
    product_id: int
