"""What products register."""

from graupel.features.categories import deleting
from graupel.features.products import kinds, listed, past_lines, skus, store, summary
from graupel.features.products.batch import applying
from graupel.features.terms import delivery_kinds
from graupel.features.terms import kinds as terms


def register(language: str) -> None:
    """Products and all that belongs to them, and what follows their changes."""
    kinds.register_kinds(language)
    terms.register_booked()
    delivery_kinds.register_of_products()
    applying.register()
    summary.register()
    skus.register()
    listed.register()
    past_lines.register()
    deleting.register_need("products", store.live_within)
