"""A product's fields as the editor shows them under a lens: what is written there, and what is shown otherwise."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from graupel.core import products as rules
from graupel.core import readiness, wording
from graupel.core.products import ProductValues
from graupel.core.quantities import format_money
from graupel.core.readiness import Finding
from graupel.core.resolve import (
    AMOUNTS,
    OF_PRODUCT,
    WORDS,
    Level,
    Place,
    Resolved,
    key_of,
    money_places,
    origin,
    places,
    places_of,
    resolve,
)
from graupel.core.wording import Piece
from graupel.features.destinations.service import Seen
from graupel.features.products.service import Product


@dataclass(frozen=True)
class FieldSeen:
    """One field under a lens. ``key``: its name in the form; ``own``: what is typed for this place alone.

    ``inherited``: what is shown without that; ``origin``: in words where the shown value comes from; ``changed``: the
    original as it was and as it is, where the translation may be out of date.
    """

    key: str
    own: str
    inherited: str
    origin: str
    changed: list[Piece] = field(default_factory=list)


def fields(
    values: ProductValues, typed: Mapping[str, Any], product: Product | None, seen: Seen
) -> dict[str, FieldSeen]:
    """The fields that may be written for the lens, by name; none under the default one. ``typed``: the form's."""
    if seen.lens.is_default:
        return {}
    names = WORDS + (AMOUNTS if seen.lens.destination else ())
    return {name: _field(name, values, typed, product, seen) for name in names}


def _field(
    name: str, values: ProductValues, typed: Mapping[str, Any], product: Product | None, seen: Seen
) -> FieldSeen:
    lens, key = seen.lens, key_of(seen.lens, name)
    worded = name in WORDS
    where = places(lens, OF_PRODUCT, worded=True) if worded else money_places(lens, OF_PRODUCT)
    original = rules.written_words(values)[name] if worded else format_money(getattr(values, name))
    held = {Place(Level.PRODUCT): original} | places_of(values.own, name, Level.PRODUCT)
    own = str(typed.get(f"own-{key}", values.own.get(key, "")))
    around = resolve(held, where[1:])
    found: Resolved[str] = Resolved(own, where[0]) if own else around
    said = origin(found.place, lens, Level.PRODUCT, seen.all.names, worded=worded)
    if own and not lens.destination:
        said = f"written in {seen.language_name}"
    source = (product.sources if product else {}).get(key)
    state = wording.state(original, own, source) if lens.lang and worded else wording.State.DONE
    changed = wording.what_changed(source or "", original) if state is wording.State.OUTDATED else []
    return FieldSeen(f"own-{key}", own, around.value or "", said, changed)


def findings(values: ProductValues, seen: Seen) -> list[Finding]:
    """What would help in the lens' language."""
    if not seen.lens.lang:
        return []
    found = rules.words_seen(values.own, rules.written_words(values), seen.lens)
    missing = [name for name, held in found.items() if held.value and held.place and held.place.lang != seen.lens.lang]
    return readiness.untranslated(missing, seen.language_name, rules.LABELS)
