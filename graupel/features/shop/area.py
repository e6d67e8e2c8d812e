"""What the shop window registers."""

from graupel.features.shop import pages
from graupel.web import errors


def register(language: str) -> None:
    """Its own page for what went wrong at its addresses: buyers don't read the back office's."""
    errors.explained_by("/shop", pages.explain)
