"""What terms of sale register."""

from graupel.features.terms import kinds


def register(language: str) -> None:
    """Taxes; sales and quantity prices follow where products are known (area pricing)."""
    kinds.register_kinds()
