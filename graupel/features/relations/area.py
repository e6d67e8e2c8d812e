"""What relations register."""

from graupel.features.products import parts
from graupel.features.relations import kinds, listed, pages, replacing, service
from graupel.features.variants import copying


def register(language: str) -> None:
    """Kinds of relation, relations, and their part of the product editor."""
    kinds.register_kinds(language)
    kinds.register_words()
    copying.on_copied(service.copy)
    replacing.register(replacing.RELATED)
    listed.register()
    parts.register(parts.EditorPart("relations", "Related", "relations/part.html", pages.part_data, pages.part_mark))


finish = kinds.finish_kinds
