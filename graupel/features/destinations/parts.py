"""Parts of a shop's page that later areas add to it."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from graupel.context import Context
from graupel.core.roles import Actor
from graupel.features.destinations.service import Shop


@dataclass(frozen=True)
class ShopPart:
    """A part: its template, and what the template is given."""

    key: str
    template: str
    data: Callable[[Context, Actor, Shop], dict[str, Any]]


_PARTS: dict[str, ShopPart] = {}


def register(part: ShopPart) -> None:
    """Add a part to a shop's page."""
    _PARTS[part.key] = part


def all_parts() -> list[ShopPart]:
    """The registered parts, in order."""
    return list(_PARTS.values())
