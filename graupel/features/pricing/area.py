"""What prices register."""

from graupel.features.history import following
from graupel.features.pricing import kinds, pages, quantities, selling, store
from graupel.features.products import claims, parts
from graupel.features.variants import copying


def register(language: str) -> None:
    """Sales, promotions and quantity prices, what time does to them, and their part of the product editor."""
    kinds.register_kinds()
    selling.register()
    following.on_recorded(selling.follow)
    claims.register(store.claimed_variants)
    copying.on_copied(quantities.copy)
    parts.register(
        parts.EditorPart("sales", "Sales, quantities", "pricing/part.html", pages.part_data, pages.part_mark, "prices")
    )
