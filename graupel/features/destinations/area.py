"""What destinations register."""

from graupel.features.destinations import kinds


def register(language: str) -> None:
    """Shops."""
    kinds.register_kinds()
