"""What assortments register."""

from graupel.features.assortments import kinds, pages
from graupel.features.destinations import parts


def register(language: str) -> None:
    """Conditions and goods of shops, and their part of a shop's page."""
    kinds.register_kinds()
    parts.register(parts.ShopPart("assortment", "assortments/shop.html", pages.part_data))
