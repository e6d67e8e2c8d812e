"""What products register."""

from graupel.features.products import batch, kinds, skus, summary


def register(language: str) -> None:
    """Products and all that belongs to them, and what follows their changes."""
    kinds.register_kinds(language)
    batch.register()
    summary.register()
    skus.register()
