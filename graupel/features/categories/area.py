"""What categories register."""

from graupel.features.categories import kinds, service
from graupel.features.destinations import service as destinations


def register(language: str) -> None:
    """Trees and categories; a shop that is made gets a tree."""
    kinds.register_kinds()
    destinations.on_made("categories", service.first_tree_of)


finish = kinds.finish_kinds
