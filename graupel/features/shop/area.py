"""What the shop window registers."""

from datetime import time

from graupel.features.products import parts
from graupel.features.shop import button, pages, search_store
from graupel.jobs import timekeeping
from graupel.web import errors


def register(language: str) -> None:
    """Its own page for what went wrong at its addresses: buyers don't read the back office's."""
    errors.explained_by("/shop", pages.explain)
    parts.register(
        parts.EditorPart("elsewhere", "Elsewhere", "shop/elsewhere.html", button.part_data, button.part_mark)
    )
    timekeeping.daily("searches", "Forget old searches of the shop window", time(4, 50), search_store.forget)
