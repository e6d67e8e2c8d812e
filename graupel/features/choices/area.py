"""What choices register."""

from graupel.features.choices import kinds, listed, pages, reading, uses
from graupel.features.pricing import why
from graupel.features.products import parts
from graupel.features.variants import copying


def register(language: str) -> None:
    """Buyer choices, their words, and their part of the product editor."""
    kinds.register_kinds()
    kinds.register_words()
    copying.on_copied(uses.copy)
    why.on_beside(reading.on_top)
    listed.register()
    parts.register(
        parts.EditorPart("choices", "Choices", "choices/part.html", pages.part_data, pages.part_mark, "prices")
    )


finish = kinds.finish_kinds
