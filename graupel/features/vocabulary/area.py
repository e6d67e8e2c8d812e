"""What the vocabulary registers."""

from graupel.features.vocabulary import kinds


def register(language: str) -> None:
    """Brands, tags, types, attributes and choices."""
    kinds.register_kinds()


finish = kinds.finish_kinds
