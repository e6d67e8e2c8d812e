"""What prices register."""

from graupel.features.history import following
from graupel.features.pricing import kinds, selling


def register(language: str) -> None:
    """Sales, promotions and quantity prices, and what time does to them."""
    kinds.register_kinds()
    selling.register()
    following.on_recorded(selling.follow)
