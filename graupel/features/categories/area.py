"""What categories register."""

from graupel.features.categories import kinds, service
from graupel.features.destinations import shops


def register(language: str) -> None:
    """Trees and categories; a shop that is made gets a tree."""
    kinds.register_kinds()
    shops.on_made("categories", service.first_tree_of)


finish = kinds.finish_kinds
