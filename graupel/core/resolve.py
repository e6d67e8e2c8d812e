"""Any value for product, variant, destination and language: from the nearest place that has one.

A value is written once, with its product and in the default language, and again only where a variant, a destination or
a language needs another. Nearest is, in this order:

1. the language, for words: a text that a buyer can't read is worse than one that was written for another place;
2. the record: what was said of a variant holds for it wherever it is sold, so that a price for all sizes does not
   make the large one cheap;
3. the destination: what was written for it before what holds everywhere.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum
from functools import lru_cache
from typing import Generic, NamedTuple, TypeVar

from graupel.core.declarations.products import AMOUNTS
from graupel.core.price_rules import PriceRule

T = TypeVar("T")


class Level(StrEnum):
    """The record that a value stands with."""

    VARIANT = "variant"
    PRODUCT = "product"
    CATEGORY = "category"


class ValuePlace(NamedTuple):
    """Where a value may stand. ``destination`` "": everywhere; ``lang`` "": the default language, or no language."""

    level: str
    destination: str = ""
    lang: str = ""


@dataclass(frozen=True)
class Lens:
    """A destination and a language through which the catalogue is seen.

    ``destination``: "s2" for a shop, "c1" for a channel, "" for the default shop. ``chain``: the languages in which
    words are looked for, "" being the default one. ``currency``: the destination's, None where it is the catalogue's.
    ``rule``: by which its prices follow from the catalogue's; with a currency of its own None where no rate is written.
    """

    destination: str = ""
    chain: tuple[str, ...] = ("",)
    currency: str | None = None
    rule: PriceRule | None = None

    @property
    def lang(self) -> str:
        """The language; "" for the default one."""
        return self.chain[0]

    @property
    def converts(self) -> bool:
        """Whether amounts of the catalogue hold at the destination, as they are or by its rate."""
        return self.currency is None or self.rule is not None

    @property
    def is_default(self) -> bool:
        """Whether it shows the catalogue as it is written."""
        return not (self.destination or self.lang)

    @property
    def key(self) -> str:
        """As an address carries it: "c1.de", "de", "s2"; "" for the default lens."""
        return ".".join(filter(None, (self.destination, self.lang)))


DEFAULT_LENS = Lens()
CATEGORY = Level.CATEGORY
OF_CATEGORY = (CATEGORY,)
#: Where a product's value is looked for, and where a variant's.
OF_PRODUCT = (Level.PRODUCT,)
OF_VARIANT = (Level.VARIANT, Level.PRODUCT)
#: What was said of a variant itself. Where that is nothing its product's value holds, whatever the destination:
#: because the record comes before the destination, an amount is resolved one record after the other.
ONLY_VARIANT = (Level.VARIANT,)


@lru_cache(maxsize=500)
def places(lens: Lens, levels: tuple[str, ...], *, worded: bool) -> tuple[ValuePlace, ...]:
    """Where a value may stand, the nearest first. ``worded``: it is written in a language."""
    wheres = (lens.destination, "") if lens.destination else ("",)
    langs = lens.chain if worded else ("",)
    return tuple(ValuePlace(level, where, lang) for lang in langs for level in levels for where in wheres)


@lru_cache(maxsize=500)
def money_places(lens: Lens, levels: tuple[str, ...]) -> tuple[ValuePlace, ...]:
    """Where an amount of money may stand. For a destination with a currency of its own and no rate there alone: 12.50
    euro are not 12.50 francs."""
    found = places(lens, levels, worded=False)
    return found if lens.converts else tuple(one for one in found if one.destination)


def by_rule(amount: Decimal | None, place: ValuePlace | None, lens: Lens) -> Decimal | None:
    """An amount as it is at the lens' destination: by its price rule where it was not typed for the destination."""
    if amount is None or place is None or place.destination or lens.rule is None:
        return amount
    return lens.rule.apply(amount)


@dataclass(frozen=True)
class Resolved(Generic[T]):
    """A value with the place it comes from; both None where no place has one."""

    value: T | None
    place: ValuePlace | None = None


def resolve(values: Mapping[ValuePlace, T | None], where: Iterable[ValuePlace]) -> Resolved[T]:
    """The value at the first place that has one; None and empty text are none.

    The reading by sets (products/resolving.py) is COALESCE over the same places in the same order.
    """
    for place in where:
        value = values.get(place)
        if value is not None and value != "":
            return Resolved(value, place)
    return Resolved(None)


#: Words for search engines and addresses, and what stands for them where they are not written.
STANDS_FOR = {"meta_title": ("name",), "meta_description": ("short_text", "description"), "address_part": ("name",)}


def of_another_language(found: Mapping[str, Resolved[str]], lens: Lens) -> set[str]:
    """The words that are left out because what stands for them is written in a language nearer to the lens.

    A German page is not headed by an English meta title while its name is German. ``found``: words by field, with
    their places.
    """

    def distance(name: str) -> int:
        place = found[name].place if name in found else None
        return lens.chain.index(place.lang) if place else len(lens.chain)

    return {
        name
        for name, others in STANDS_FOR.items()
        if name in found and found[name].place and min(map(distance, others)) < distance(name)
    }


def inherited(own: T | None, products: T | None) -> T | None:
    """A variant's own value, else its product's, as the catalogue is written."""
    return own if own is not None else products


def origin(place: ValuePlace | None, lens: Lens, nearest: str, names: Mapping[str, str], *, worded: bool) -> str:
    """In words where a shown value comes from; "" where there is nothing to say, as under the default lens.

    ``nearest``: the level that was asked for; ``names``: of destinations and of languages by code, "" being the
    default language; ``worded``: the value is written in a language.
    """
    if place is None:
        return ""
    said = []
    if worded and place.lang != lens.lang:
        said.append(f"{names[lens.lang]} is missing: {names[place.lang]} shown")
    if place.level != nearest:
        said.append(f"from the {place.level}")
    if place.destination:
        said.append(f"set for {names[place.destination]}")
    elif lens.rule and not worded:
        said.append(f"by the price rule: {lens.rule.in_words}")
    elif lens.destination and not said:
        said.append("as everywhere")
    return ", ".join(said)


def key_of(lens: Lens, field: str) -> str:
    """Under which an own value stands among a record's others: "c1.de.name"."""
    return f"{lens.destination}.{lens.lang if field not in AMOUNTS else ''}.{field}"


def split_key(key: str) -> tuple[str, str, str]:
    """Destination, language and field of such a key. Raises ValueError where it is none."""
    destination, lang, field = key.split(".")
    return destination, lang, field


def places_of(own: Mapping[str, str], field: str, level: str) -> dict[ValuePlace, str]:
    """The own values of one field by place, from a record's own values by key."""
    found = {}
    for key, value in own.items():
        destination, lang, name = split_key(key)
        if name == field:
            found[ValuePlace(level, destination, lang)] = value
    return found
