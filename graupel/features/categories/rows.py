"""Rows of the area's tables, as its store reads them."""

from typing import TypedDict

from graupel.features.vocabulary.rows import FactValueRow


class CategoryTextRow(TypedDict):
    """The words of a category in a language."""

    id: int
    category_id: int
    lang: str
    description: str
    meta_title: str
    meta_description: str
    address_part: str
    picture_alt: str
    search_words: str
    version: int


class CategoryRow(TypedDict):
    """A whole category."""

    id: int
    parent_id: int | None
    tree_id: int | None
    position: int
    name: str
    version: int
    kind: str
    hidden: int
    in_navigation: int
    link: str
    picture_id: int | None
    canonical: str
    parent_key: int | None
    layout: str
    sorted_by: str
    by_hand: str
    lead_product_id: int | None


class TreeRow(TypedDict):
    """A category as the tree needs it."""

    id: int
    parent_id: int | None
    tree_id: int | None
    position: int
    name: str
    kind: str
    hidden: int
    in_navigation: int
    link: str
    version: int


class WholeTreeRow(TypedDict):
    """A tree."""

    id: int
    name: str
    position: int
    shop_id: int
    version: int


class HeldTreeRow(TypedDict):
    """A tree that is held."""

    id: int
    name: str
    shop_id: int


class NamedOfCategory(TypedDict):
    """A record of a category with its name."""

    id: int
    category_id: int
    name: str


class CategoryFactRow(FactValueRow):
    """A field of a category."""

    id: int
    category_id: int
    version: int
