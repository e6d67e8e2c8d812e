"""Two people's work on one product, as the editor shows it."""

import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from graupel.context import Context
from graupel.core import changes
from graupel.core import products as rules
from graupel.core.attributes import Attribute, Fact, show_fact
from graupel.features.categories import service as categories
from graupel.features.media import service as media_service
from graupel.features.products import forms, saving
from graupel.features.products.forms import Typed
from graupel.features.products.saving import SaveConflict


def merged(ctx: Context, conflict: SaveConflict, version: int | None) -> Typed:
    """What stands in the fields where both changed something: mine, and theirs where I changed nothing.

    ``version``: what the page began with, and keeps until it is settled which values stay.
    """
    values = rules.unflat(conflict.merge.values)
    files = media_service.read_many(ctx, [picture.media_id for picture in values.pictures])
    known = conflict.theirs.vocabulary.attributes if conflict.theirs.vocabulary else {}
    return Typed(
        forms.texts_of(values, known),
        [(files[p.media_id], p) for p in values.pictures if p.media_id in files],
        values.status,
        version,
        seen=conflict.seen,
    )


@dataclass(frozen=True)
class ConflictShown:
    """One field with both values in words, and theirs as the form takes it.

    ``mark``: of theirs, for the next save; ``chosen``: "mine" or "theirs" where that was said already.
    """

    name: str
    label: str
    mine: str
    theirs: str
    theirs_raw: str
    mark: str
    chosen: str


def conflicts_of(ctx: Context, found: SaveConflict | None, chosen: Mapping[str, str]) -> list[ConflictShown]:
    """The fields that both changed, with both values in words; ``chosen``: what was said of them before."""
    if found is None:
        return []
    paths = categories.read_tree(ctx)
    words = found.theirs.vocabulary
    assert words is not None
    raw = forms.texts_of(found.theirs.values, words.attributes)

    def attribute(name: str) -> Attribute | None:
        return words.attributes.get(int(name[5:])) if name.startswith("fact-") else None

    def shown(name: str, value: Any) -> str:
        if fact_of := attribute(name):
            return show_fact(fact_of, Fact.of_plain(value)) if value else "(empty)"
        if name == "category_id":
            return paths.path(value) or "(none)"
        if name == "categories":
            return ", ".join(paths.path(one) for one in value) or "(none)"
        if name == "type_id":
            return words.types[value].name if value in words.types else "(none)"
        if name == "pictures":
            return f"{len(value)}: " + ", ".join(one[1] or "without alt text" for one in value)
        return rules.show(name, value)

    return [
        ConflictShown(
            c.field,
            saving.label_of(c.field, found.theirs),
            shown(c.field, c.mine),
            shown(c.field, c.theirs),
            json.dumps(c.theirs if c.field == "pictures" else raw.get(c.field, [])),
            changes.marks({c.field: c.theirs})[c.field],
            chosen.get(c.field, ""),
        )
        for c in found.merge.conflicts
    ]
