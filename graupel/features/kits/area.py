"""What kits register."""

from graupel.features.kits import kinds, pages, replacing, service
from graupel.features.products import parts, summary
from graupel.features.relations import replacing as relation_replacing
from graupel.features.variants import copying
from graupel.jobs import handler


def register(language: str) -> None:
    """Kits, their words, what follows from their parts, and their part of the product editor."""
    kinds.register_kinds(language)
    kinds.register_words()
    summary.on_touched(service.follow)
    copying.on_copied(service.copy)
    relation_replacing.register(replacing.PARTS)
    parts.register(parts.EditorPart("kit", "Kit", "kits/part.html", pages.part_data, pages.part_mark))
    handler(service.FOLLOWS)(service.bring_after)
