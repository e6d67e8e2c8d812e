"""What terms of sale register."""

from graupel.features.terms import asked_sql, delivery_kinds, kinds


def register(language: str) -> None:
    """Taxes; sales and quantity prices follow where products are known (area pricing)."""
    kinds.register_kinds()
    delivery_kinds.register_kinds()


def in_currency(currency: str) -> None:
    """Sets work out prices in the catalogue's currency."""
    asked_sql.register(currency)
