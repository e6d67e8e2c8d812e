"""Rows of the area's tables, as its store reads them."""

from typing import TypedDict


class OwnValueRow(TypedDict):
    """A value for a destination or a language."""

    id: int
    kind: str
    record_id: int
    destination: str
    lang: str
    field: str
    value: str
    source: str | None
    version: int


class WorthRow(TypedDict):
    """A value for a destination and in a language."""

    record_id: int
    destination: str
    lang: str
    value: str
