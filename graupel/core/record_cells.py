"""How the cells of files of records are read: each gives the text by which a value is kept and compared."""

import re
from collections.abc import Callable, Mapping

from graupel.core import bars, categories, file_facts, identifiers, product_fields
from graupel.core.attributes import Attribute
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


#: What a row says that means no single goods, but all.
ALL_GOODS = "all goods"


def goods(text: str) -> str:
    """A SKU or a product code, or all goods."""
    is_all = " ".join(text.split()).casefold() == ALL_GOODS
    return ALL_GOODS if is_all else identifiers.parse_sku(text, "code")


def of_category(name: str) -> Callable[[str], str]:
    return lambda text: str(categories.read_one(name, text) or "")


#: No category has so many beside it.
_MOST_PLACES = 100_000


def place(text: str) -> str:
    """A place in an order, 1 the first."""
    said = text.strip().removesuffix(".0")
    if not re.fullmatch(r"[0-9]{1,6}", said) or not 1 <= int(said) <= _MOST_PLACES:
        what = f"“{text[:40]}” is no place. Write a whole number: 1 is the first."
        raise Refused.because("record.place", what)
    return str(int(said))


def fact(attribute: Attribute) -> Callable[[str], str]:
    """Reads a value of an attribute; a choice must be there."""
    new = file_facts.NewChoices()
    read_fact = file_facts.reader(attribute, new)

    def read(text: str) -> str:
        found = read_fact(text)
        for number in found.choices:
            if number < 0:
                label = new.labels[-number - 1][1]
                what = f"{attribute.name} has no choice “{label[:60]}”. Make it first, or mend the row."
                raise Refused.because("choice.unknown", what)
        return file_facts.show_in_file(attribute, found)

    return read


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
