"""Rows of the area's tables, as its store reads them."""

from decimal import Decimal
from typing import NotRequired, TypedDict


class ChoiceRow(TypedDict):
    """A choice of an attribute."""

    id: int
    attribute_id: int
    label: str
    code: str
    swatch: str | None
    swatch_media_id: int | None
    position: int
    version: int
    swatch_sha: str | None


class TypeAttributeRow(TypedDict):
    """An attribute of a product type."""

    id: int
    type_id: int
    attribute_id: int
    group_name: str
    position: int
    need: str
    when_attribute_id: int | None
    when_choice_id: int | None
    may_differ: int
    version: int


class TypeRow(TypedDict):
    """A brand, a tag or a product type, which alone has ``code_prefix`` and what follows."""

    id: int
    name: str
    version: int
    code_prefix: NotRequired[str]
    next_number: NotRequired[int]
    delivered: NotRequired[str]
    layout: NotRequired[str]


class AttributeRow(TypedDict):
    """An attribute."""

    id: int
    product_id: int | None
    name: str
    kind: str
    family: str | None
    unit: str | None
    unit_fixed: int
    help: str
    version: int
    owner_key: int | None


class TaggingRow(TypedDict):
    """A tag that was put on a record."""

    id: int
    tag_id: int
    kind: str
    record_id: int
    version: int
    name: str


class NamedWordRow(TypedDict):
    """A word by its name."""

    id: int
    name: str
    version: int


class NamedTypeAttributeRow(TypedDict):
    """An attribute of a product type by their names."""

    id: int
    type_id: int
    type: str
    name: str


class FactValueRow(TypedDict):
    """What a fact holds, of a product or of a category."""

    attribute_id: int
    choice_id: int | None
    number: Decimal | None
    unit: str | None
    text: str | None
