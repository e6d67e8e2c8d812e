"""How the cells of files of records are read: each gives the text by which a value is kept and compared."""

import re
from collections.abc import Callable, Mapping

from graupel.core import bars, categories, product_fields
from graupel.core.columns import day
from graupel.core.errors import Refused


def line(most: int, label: str) -> Callable[[str], str]:
    return lambda text: product_fields.one_line(text, most, label, "text")


def switch(text: str) -> str:
    return "yes" if product_fields.parse_switch(text) else "no"


def one_of(words: Mapping[str, str], what: str) -> Callable[[str], str]:
    """Reads a word by what it is kept as or what it is called, in any case of letters; ``words``: by what it is kept as
    what it is called."""
    said = {one.casefold(): kept for kept, called in words.items() for one in (called, kept.replace("_", " ")) if one}

    def read(text: str) -> str:
        found = said.get(" ".join(text.replace("_", " ").split()).casefold())
        if found is None:
            known = ", ".join(called for called in words.values())
            raise Refused.because("record.word", f"“{text[:40]}” is no {what}. It is one of: {known}.")
        return words[found]

    return read


def kept_of(words: Mapping[str, str], text: str) -> str:
    """What a word that was read is kept as."""
    return next((kept for kept, called in words.items() if called == text), "")


#: A record carries at most so many tags by a file.
MOST_NAMES = 60


def names(text: str) -> str:
    """Names parted by bars, as a cell has them: in alphabetical order, each once."""
    parts = bars.parted(text)
    if len(parts) > MOST_NAMES:
        raise Refused.because("record.names", f"At most {MOST_NAMES} names, here {len(parts):,}.")
    return bars.joined(sorted(product_fields.parse_tags(parts), key=str.casefold))


def of_category(name: str) -> Callable[[str], str]:
    return lambda text: str(categories.read_one(name, text) or "")


def unit(text: str) -> str:
    return product_fields.one_line(text, 12, "A unit", "unit")


def when(text: str) -> str:
    """An attribute and a choice of it, as "Material = Wool"."""
    name, sign, label = (part.strip() for part in text.partition("="))
    if not sign or not name or not label:
        said = f"“{text[:60]}” names no choice. Write an attribute and its choice, such as Material = Wool."
        raise Refused.because("type.when", said)
    return f"{name} = {label}"


_MOMENT = re.compile(r"\d{4}-\d{2}-\d{2}(?:[T ]\d{2}:\d{2})?(?::\d{2})?")


def moment(text: str) -> str:
    """A day, in any form that tells, or a day and a time, as "2026-12-01 09:00"."""
    said = " ".join(text.split())
    said = said if _MOMENT.fullmatch(said) else day(said)
    if not _MOMENT.fullmatch(said):
        what = f"“{text[:40]}” is no day. Write it like 2026-12-01, or 2026-12-01 09:00."
        raise Refused.because("moment.unknown", what)
    return f"{said[:10]} {said[11:16] or '00:00'}"
