"""What variants register."""

from graupel.features.products import parts
from graupel.features.variants import pages


def register(language: str) -> None:
    """Their part of the product editor."""
    parts.register(
        parts.EditorPart("variants", "What varies", "variants/part.html", pages.part_data, pages.part_mark, "middle")
    )
