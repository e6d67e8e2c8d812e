"""What wording registers."""

from graupel.features.wording import kinds


def register(language: str) -> None:
    """Values for a language or a destination."""
    kinds.register_kinds()
