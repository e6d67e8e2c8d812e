"""Parts of the product editor that later areas add to it."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from graupel.context import Context
from graupel.core.roles import Actor
from graupel.features.destinations.service import Seen
from graupel.features.products.service import Product


@dataclass(frozen=True)
class EditorPart:
    """A part: its name in the outline, its template, what that is given. ``place``: middle, prices or end."""

    key: str
    label: str
    template: str
    data: Callable[[Context, Actor, Product, Seen], dict[str, Any]]
    mark: Callable[[dict[str, Any]], str]
    place: str = "end"


_PARTS: dict[str, EditorPart] = {}


def register(part: EditorPart) -> None:
    """Add a part to the editor."""
    _PARTS[part.key] = part


def all_parts() -> list[EditorPart]:
    """The registered parts, in order."""
    return list(_PARTS.values())
