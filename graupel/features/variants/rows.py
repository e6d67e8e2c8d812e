"""Rows of the area's tables, as its store reads them."""

from typing import TypedDict


class VariantTextRow(TypedDict):
    """The words of a variant in a language."""

    id: int
    variant_id: int
    lang: str
    name: str
    short_text: str
    version: int
