"""For which destination the amounts of a file are, and in which language its texts, said of all its columns at once."""

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from graupel.core.columns import Rule
from graupel.core.declarations.products import AMOUNTS, WORDS
from graupel.core.file_columns import OWN, Known
from graupel.core.resolve import split_key


@dataclass(frozen=True)
class HeldFor:
    """``destination``: its code, "" where amounts hold everywhere; ``lang``: "" for the default language."""

    destination: str = ""
    lang: str = ""


def said(rules: Iterable[Rule], known: Known) -> HeldFor:
    """What the columns say together; where they say several things it is everywhere, and the default language."""
    places = [_place(rule.field, known) for rule in rules]
    destinations = {destination for destination, _, field in places if field in AMOUNTS}
    langs = {lang for _, lang, field in places if field in WORDS}
    return HeldFor(*(next(iter(some)) if len(some) == 1 else "" for some in (destinations, langs)))


def meant(rules: Sequence[Rule], known: Known, wanted: HeldFor) -> list[Rule]:
    """The rules, going to what holds for another destination or language. A field that several columns say, each for a
    place of its own, stays as it is."""
    several = Counter(_place(rule.field, known)[2] for rule in rules)
    found = []
    for rule in rules:
        field = _place(rule.field, known)[2]
        target = _target(field, wanted)
        moves = several[field] == 1 and target in known.fields
        found.append(replace(rule, field=target) if moves else rule)
    return found


def _target(field: str, wanted: HeldFor) -> str:
    if field in AMOUNTS and wanted.destination:
        return f"{OWN}{wanted.destination}..{field}"
    return f"{OWN}.{wanted.lang}.{field}" if field in WORDS and wanted.lang else field


def _place(name: str, known: Known) -> tuple[str, str, str]:
    """Destination, language and field of a column."""
    return split_key(known.own[name].key) if name in known.own else ("", "", name)
