"""Shapes of rows that many areas read."""

from collections.abc import Iterable, Mapping
from typing import Any, TypedDict


class Named(TypedDict):
    """A record by its name."""

    id: int
    name: str


def picked(row: Mapping[str, Any], names: Iterable[str]) -> dict[str, Any]:
    """Some columns of a row."""
    return {name: row[name] for name in names}
