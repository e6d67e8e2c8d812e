"""The facets of the products table as they are shown: a few values of each, or one with all of them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from graupel.core import countries
from graupel.core.attributes import CAN_VARY
from graupel.core.declarations.products import FACETS as FACET_FIELDS
from graupel.core.doubles import fold
from graupel.core.products import Status
from graupel.core.tables import WORD_FACETS, TableState
from graupel.features.categories import service as categories
from graupel.features.vocabulary.service import Vocabulary

#: How many values of a facet are shown, those with most products; the chosen ones always.
SHOWN_VALUES = 12
PRICE_WORDS = {
    "0": "under 5", "5": "5 to 10", "10": "10 to 20", "20": "20 to 50", "50": "50 to 100", "100": "100 to 200",
    "200": "200 to 500", "500": "500 and more", "none": "no price",
}  # fmt: skip
STOCK_WORDS = {
    "in": "enough", "low": "below its threshold", "out": "none left", "later": "comes later",
    "coming": "coming soon", "off": "switched off", "uncounted": "not counted",
}  # fmt: skip
HAD_WORDS = {"yes": "yes", "no": "no", "hidden": "no, and hidden"}
LACKS_WORDS = {
    "picture": "a picture", "alt": "an alt text", "gtin": "a GTIN", "description": "a description",
    "category": "a category", "type": "a type", "brand": "a brand", "price": "a price",
}  # fmt: skip


@dataclass(frozen=True)
class FacetValue:
    """One value of a facet: how many products it has, and the state of the table with it switched."""

    value: Any
    label: str
    count: int
    chosen: bool
    query: str
    swatch: str | None = None
    swatch_picture: str | None = None


@dataclass(frozen=True)
class Facet:
    """A facet with the values to show; ``more``: how many it has beside them."""

    key: str
    label: str
    values: list[FacetValue]
    more: int = 0

    @property
    def is_chosen(self) -> bool:
        """Whether any of its values is chosen."""
        return any(value.chosen for value in self.values)


@dataclass(frozen=True)
class Source:
    """A facet before it is counted. ``id``: as an address names it; ``in_order``: its values in an order of their own,
    else the largest stand first; ``keeps_order``: values without products are shown too."""

    id: str
    key: str
    label: str
    labels: Mapping[Any, str]
    in_order: Sequence[Any] = ()
    keeps_order: bool = False
    swatches: Mapping[Any, tuple[str | None, str | None]] = field(default_factory=dict)


def sources(state: TableState, tree: categories.Tree, words: Vocabulary) -> list[Source]:
    """The facets of the table, in the order in which they stand."""

    def source(key: str, label: str, labels: Mapping[Any, str], **given: Any) -> Source:
        return Source(given.pop("id", key), key, label, labels, **given)

    paths = {category.id: category.path for category in tree}
    found = [
        source("status", "Status", {s: s.capitalize() for s in map(str, Status)}, keeps_order=True),
        source("category", "Category", paths, in_order=list(paths)),
        source("type", "Type", {key: kind.name for key, kind in words.types.items()}),
        source("brand", "Brand", words.brands),
        source("tag", "Tag", words.tags),
        source("price", "Price", PRICE_WORDS, in_order=list(WORD_FACETS["price"])),
        source("stock", "Stock", STOCK_WORDS, in_order=list(WORD_FACETS["stock"])),
        source("had", "Can be had", HAD_WORDS, in_order=list(WORD_FACETS["had"])),
        source("lacks", "Lacks", LACKS_WORDS, in_order=list(WORD_FACETS["lacks"])),
    ]
    found += [source(one.name, one.label, countries.names()) for one in FACET_FIELDS]
    for attribute in words.attributes.values():
        if attribute.kind in CAN_VARY:
            labels = {choice.id: choice.label for choice in attribute.choices}
            swatches = {choice.id: (choice.swatch, choice.swatch_picture) for choice in attribute.choices}
            own = {"id": f"fact-{attribute.id}", "in_order": list(labels), "swatches": swatches}
            found.append(source("fact", attribute.name, labels, **own))
    if "has" in state.chosen:
        labels = {key: a.name for key, a in words.attributes.items() if key in state.chosen["has"]}
        found.append(source("has", "Has the fact", labels))
    return found


def facets(
    state: TableState, counts: Mapping[str, Mapping[Any, int]], tree: categories.Tree, words: Vocabulary
) -> list[Facet]:
    """The facets that have values, each with a few of them; ``counts``: by facet and value."""
    found = [_short(state, source, counts.get(source.key, {})) for source in sources(state, tree, words)]
    return [facet for facet in found if facet.values]


def _short(state: TableState, source: Source, counted: Mapping[Any, int]) -> Facet:
    """The values with most products, and those that are chosen. Without an order of their own, the largest first."""
    labels, chosen = source.labels, state.chosen.get(source.key, ())
    known = [value for value in labels if value in counted or value in chosen or source.keeps_order]
    most = sorted(known, key=lambda value: (-counted.get(value, 0), labels[value]))
    shown = dict.fromkeys([*most[:SHOWN_VALUES], *(value for value in chosen if value in labels)])
    in_order = source.in_order or (labels if source.keeps_order else shown)
    order = [value for value in in_order if value in shown]
    values = [_value(state, source, value, counted) for value in order]
    return Facet(source.id, source.label, values, max(0, len(known) - len(values)))


def _value(state: TableState, source: Source, value: Any, counted: Mapping[Any, int]) -> FacetValue:
    return FacetValue(
        value,
        source.labels[value],
        counted.get(value, 0),
        value in state.chosen.get(source.key, ()),
        state.toggled(source.key, value).query(),
        *source.swatches.get(value, (None, None)),
    )


#: In which order all values of a facet may stand.
ORDERS = ("number", "name")
#: So many of them are shown at once; what is searched for narrows them.
MOST_VALUES = 500


def whole(state: TableState, source: Source, counted: Mapping[Any, int], search_for: str, order: str) -> Facet:
    """A facet with all its values that have products; ``search_for``: words that their names hold."""
    sought = [fold(word) for word in search_for.split()]
    by_name = {value: fold(label) for value, label in source.labels.items() if value in counted}
    known = [value for value, name in by_name.items() if all(word in name for word in sought)]
    known.sort(key=lambda one: by_name[one] if order == "name" else (-counted[one], by_name[one]))
    values = [_value(state, source, value, counted) for value in known[:MOST_VALUES]]
    return Facet(source.id, source.label, values, max(0, len(known) - MOST_VALUES))
