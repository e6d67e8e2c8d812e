"""Fields as an editor shows them under a lens: what is written there alone, and what is shown otherwise."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from decimal import Decimal
from typing import Any

from graupel.core import wording
from graupel.core.declarations.products import AMOUNTS
from graupel.core.quantities import format_money
from graupel.core.resolve import (
    STANDS_FOR,
    Lens,
    Resolved,
    ValuePlace,
    by_rule,
    key_of,
    money_places,
    of_another_language,
    origin,
    places,
    places_of,
    resolve,
)
from graupel.core.wording import Piece
from graupel.features.destinations.service import Seen


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


@dataclass(frozen=True)
class Held:
    """What a record has: its level, its values by field as text, its own values by key, and their sources.

    ``above``: the record that it inherits from.
    """

    level: str
    written: Mapping[str, str]
    own: Mapping[str, str]
    sources: Mapping[str, str | None]
    above: "Held | None" = None


def fields(held: Held, typed: Mapping[str, Any], seen: Seen) -> dict[str, FieldSeen]:
    """The fields that may be written for the lens, by name; none under the default one. ``typed``: the form's."""
    if seen.lens.is_default:
        return {}
    names = [name for name in held.written if name not in AMOUNTS or seen.lens.destination]
    found = {name: _shown(name, held, typed, seen) for name in names}
    left_out = of_another_language({name: shown for name, (_, shown) in found.items()}, seen.lens)
    return {
        name: replace(one, inherited="", origin=_stands_for(name, seen)) if name in left_out else one
        for name, (one, _) in found.items()
    }


def _stands_for(name: str, seen: Seen) -> str:
    words = " or ".join(other.replace("_", " ") for other in STANDS_FOR[name])
    return f"{seen.language_name} is missing: the {words} stands for it"


def _shown(name: str, held: Held, typed: Mapping[str, Any], seen: Seen) -> tuple[FieldSeen, Resolved[str]]:
    lens, key, worded = seen.lens, key_of(seen.lens, name), name not in AMOUNTS
    levels = (held.level, held.above.level) if held.above else (held.level,)
    where = places(lens, levels, worded=True) if worded else money_places(lens, levels)
    original = held.written[name]
    there = {ValuePlace(held.level): original} | places_of(held.own, name, held.level)
    if held.above:
        there |= {ValuePlace(held.above.level): held.above.written[name]} | places_of(
            held.above.own, name, held.above.level
        )
    own = str(typed.get(f"own-{key}", held.own.get(key, "")))
    around = _by_rule(resolve(there, where[1:]), lens) if not worded else resolve(there, where[1:])
    found: Resolved[str] = Resolved(own, where[0]) if own else around
    said = origin(found.place, lens, held.level, seen.all.names, worded=worded)
    if own and not lens.destination:
        said = f"written in {seen.language_name}"
    source = held.sources.get(key)
    state = wording.state(original, own, source) if lens.lang and worded else wording.State.DONE
    changed = wording.what_changed(source or "", original) if state is wording.State.OUTDATED else []
    return FieldSeen(f"own-{key}", own, around.value or "", said, changed), found


def _by_rule(found: Resolved[str], lens: Lens) -> Resolved[str]:
    """An amount as the destination's price rule makes it."""
    if not found.value:
        return found
    return Resolved(format_money(by_rule(Decimal(found.value), found.place, lens)), found.place)
