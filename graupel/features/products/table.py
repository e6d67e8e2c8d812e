"""The products table: a page of it, its facets with their counts, and the way to the next page."""

from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from graupel.context import Context
from graupel.core import countries, showing
from graupel.core.attributes import CAN_VARY
from graupel.core.declarations.products import FACETS as FACET_FIELDS
from graupel.core.declarations.products import LISTED
from graupel.core.doubles import fold
from graupel.core.errors import NotFound
from graupel.core.facets import NONE, FacetIndex, Ids
from graupel.core.products import Status
from graupel.core.resolve import DEFAULT_LENS, Lens
from graupel.core.roles import Actor, Role
from graupel.core.tables import FACETS, PAGE_SIZE, WORD_FACETS, Cursor, TableState, search_words
from graupel.db import Tx
from graupel.features.categories import service as categories
from graupel.features.destinations.service import Seen
from graupel.features.history import service as history
from graupel.features.media import service as media
from graupel.features.products import lensing, store, table_store
from graupel.features.products.facet_index import held, search, similar
from graupel.features.products.rows import TableRow
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.service import Vocabulary
from graupel.features.wording import store as wording_store

#: What sorting one product costs beside walking along one, both measured: 7 µs and 1 µs.
SORTING_COSTS = 7
#: The most rows that are walked along at once.
MOST_WALKED = 20_000
#: How many values of a facet are shown, those with most products; the chosen ones always.
SHOWN_VALUES = 12
PRICE_WORDS = {
    "0": "under 5", "5": "5 to 10", "10": "10 to 20", "20": "20 to 50", "50": "50 to 100", "100": "100 to 200",
    "200": "200 to 500", "500": "500 and more", "none": "no price",
}  # fmt: skip
STOCK_WORDS = {"in": "5 and more", "low": "1 to 4", "out": "none left", "uncounted": "not counted"}
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
class Table:
    """One page of the products table. ``instead``: words by which names were found where none has those typed."""

    state: TableState
    rows: list[dict[str, Any]]
    total: int
    everything: int
    facets: list[Facet]
    earlier: str | None
    later: str | None
    instead: list[str] = field(default_factory=list)

    @property
    def pages(self) -> int:
        """How many pages there are, an empty one included."""
        return max(1, -(-self.total // PAGE_SIZE))


def read(ctx: Context, actor: Actor, state: TableState, seen: Seen | None = None) -> Table:
    """A page of the table with its facets; reads no more than the page's rows and what changed since.

    ``seen``: the lens through which names and prices are shown; None for the default one.
    """
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: _read(ctx, tx, state, seen))


def rows_of(ctx: Context, actor: Actor, ids: Sequence[int]) -> list[dict[str, Any]]:
    """The table's rows of these products, in their order; those that are not there are left out."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> list[dict[str, Any]]:
        rows = table_store.rows_of(tx, list(ids), ctx.settings.language)
        return _with_names(tx, rows, categories.current(ctx, tx), vocabulary.current(ctx, tx))

    return ctx.db.run(work)


def matching(ctx: Context, tx: Tx, state: TableState) -> list[int]:
    """The ids of all products that fit, ascending."""
    words = vocabulary.current(ctx, tx)
    hits, _ = _hits(ctx, tx, state, history.stamp(tx))
    with held(ctx, tx) as index:
        return list(_select(index, state, words, hits))


def _read(ctx: Context, tx: Tx, state: TableState, seen: Seen | None) -> Table:
    lens = seen.lens if seen else DEFAULT_LENS
    stamp = history.stamp(tx)
    tree = categories.through(ctx, tx, lens)
    words = vocabulary.through(ctx, tx, lens)
    hits, instead = _hits(ctx, tx, state, stamp, lens)
    counts = _all_counts(ctx, tx, state, words, lens)
    with held(ctx, tx) as index:
        fitting = _select(index, state, words, hits)
        everything = len(index)
    total = len(fitting)
    found = _page(ctx, tx, fitting, everything, state)
    more = len(found) > PAGE_SIZE
    found = found[:PAGE_SIZE]
    if state.cursor and state.cursor.backwards:
        found.reverse()
    rows = _with_names(tx, table_store.rows_of(tx, [one for one, _ in found], ctx.settings.language), tree, words)
    if seen and not lens.is_default:
        rows = lensing.rows(ctx, tx, rows, seen)
    earlier, later = _neighbours(state, found, more)
    return Table(state, rows, total, everything, _facets(state, counts, tree, words), earlier, later, instead)


# --- what fits -----------------------------------------------------------------------------------------------


def _hits(
    ctx: Context, tx: Tx, state: TableState, stamp: str, lens: Lens = DEFAULT_LENS
) -> tuple[Ids | None, list[str]]:
    """The products that fit the search, by names in the lens' languages too; None where nothing is searched.

    Where nothing fits, those that are named much alike, and the words by which they were found instead.

    Read before the facets are held, so that a slow one holds nobody up, and kept for its other pages and facets.
    """
    if not state.q:
        return None, []

    def find() -> tuple[Ids, list[str]]:
        found = search(ctx, tx, state.q) or NONE
        words = search_words(state.q)
        if words and words.indexed and not lens.is_default:
            found |= Ids(wording_store.search(tx, "product", "name", lens.destination, lens.chain, words.indexed))
        return (found, []) if found else similar(ctx, tx, state.q)

    return ctx.counts.get((stamp, "hits", state.q, lens.key), find)


def _chosen(state: TableState, words: Vocabulary) -> tuple[dict[str, Any], list[tuple[Any, ...]]]:
    """Plain facets, and of the facts one group of choices for each attribute: any of one, and of each."""
    plain = {facet: values for facet, values in state.chosen.items() if facet != "fact"}
    owners = {choice.id: attribute.id for attribute in words.attributes.values() for choice in attribute.choices}
    groups: dict[int, list[int]] = {}
    for choice_id in state.chosen.get("fact", ()):
        groups.setdefault(owners.get(choice_id, 0), []).append(choice_id)
    return plain, [tuple(choices) for choices in groups.values()]


def _select(index: FacetIndex, state: TableState, words: Vocabulary, hits: Ids | None) -> Ids:
    plain, groups = _chosen(state, words)
    found = index.select(plain, None if hits is None else index.of(hits))
    for choices in groups:
        found = index.select({"fact": choices}, found)
    return found


def _counts(
    index: FacetIndex, state: TableState, words: Vocabulary, hits: Ids | None
) -> dict[str, dict[Hashable, int]]:
    """Counts of every facet that is shown, under the choice in all others; each attribute is a facet by itself."""
    plain, groups = _chosen(state, words)
    searched = narrowed = None if hits is None else index.of(hits)
    for choices in groups:
        narrowed = index.select({"fact": choices}, narrowed)
    counts = index.counts(plain, narrowed, [facet for facet in FACETS if facet != "has" or facet in state.chosen])
    owners = {choice.id: attribute for attribute in words.attributes.values() for choice in attribute.choices}
    for choices in groups:
        around = index.select(plain, searched)
        for others in groups:
            around = index.select({"fact": others}, around) if others is not choices else around
        if attribute := owners.get(choices[0]):
            own = [choice.id for choice in attribute.choices]
            counts["fact"] = {c: n for c, n in counts["fact"].items() if c not in own}
            counts["fact"] |= index.count("fact", own, around)
    return counts


def _page(ctx: Context, tx: Tx, fitting: Ids, everything: int, state: TableState) -> list[tuple[int, str | None]]:
    """A page's products and one more, in reading order from the cursor, with their sort values.

    Either those that fit are sorted, or the sorted index is walked along until a page is full: what is likely to cost
    less.
    """
    lang, cursor = ctx.settings.language, state.cursor
    descending = state.descending != bool(cursor and cursor.backwards)
    among = _walked(tx, fitting, everything, state, lang, descending=descending)
    if among is None:
        among = list(fitting)
    return table_store.ordered_ids(tx, state.sort_key, cursor, lang, PAGE_SIZE + 1, among, descending=descending)


def _walked(
    tx: Tx, fitting: Ids, everything: int, state: TableState, lang: str, *, descending: bool
) -> list[int] | None:
    """The first of those that fit, a page and one more; None where it costs more to find them so than to sort them all.

    How far they lie apart is not known beforehand: so walking is given up when it has cost as much as sorting.
    """
    affordable = len(fitting) * SORTING_COSTS
    # As many rows as hold a page if those that fit lie evenly, and a little more: most pages are one reading.
    likely = (PAGE_SIZE + 1) * everything * 5 // (max(len(fitting), 1) * 4) + 1
    found: list[int] = []
    at = state.cursor
    while likely < affordable:
        limit = min(MOST_WALKED, likely)
        ids = table_store.walk(tx, state.sort_key, at, lang, limit, descending=descending)
        found += [one for one in ids if one in fitting]
        if len(found) > PAGE_SIZE or len(ids) < limit:
            return found[: PAGE_SIZE + 1]
        at = table_store.cursor_at(tx, state.sort_key, ids[-1], lang)
        affordable -= limit
        likely = min(likely * 2, MOST_WALKED)
    return None


def _with_names(tx: Tx, rows: Sequence[TableRow], tree: categories.Tree, words: Vocabulary) -> list[dict[str, Any]]:
    ids = [row["id"] for row in rows]
    pictures = store.main_pictures(tx, ids)
    files = media.by_ids(tx, list({picture["media_id"] for picture in pictures.values()}))
    tags = vocabulary.tags_of(tx, "product", ids)
    types = {key: kind.name for key, kind in words.types.items()}

    def named(row: Mapping[str, Any]) -> dict[str, Any]:
        return {
            **row,
            "picture": files.get(pictures[row["id"]]["media_id"]) if row["id"] in pictures else None,
            "category": tree.path(row["category_id"]),
            "type": types.get(row["type_id"], ""),
            "brand": words.brands.get(row["brand_id"], ""),
            "tags": tags.get(row["id"], []),
            **{one.name: showing.show(one.kind, row[one.name]) if row[one.name] else "" for one in LISTED},
        }

    return [named(row) for row in rows]


# --- facets as they are shown --------------------------------------------------------------------------------


@dataclass(frozen=True)
class _Source:
    """A facet before it is counted. ``id``: as an address names it; ``in_order``: its values in an order of their own,
    else the largest stand first; ``keeps_order``: values without products are shown too."""

    id: str
    key: str
    label: str
    labels: Mapping[Any, str]
    in_order: Sequence[Any] = ()
    keeps_order: bool = False
    swatches: Mapping[Any, tuple[str | None, str | None]] = field(default_factory=dict)


def _sources(state: TableState, tree: categories.Tree, words: Vocabulary) -> list[_Source]:
    def source(key: str, label: str, labels: Mapping[Any, str], **given: Any) -> _Source:
        return _Source(given.pop("id", key), key, label, labels, **given)

    paths = {category.id: category.path for category in tree}
    found = [
        source("status", "Status", {s: s.capitalize() for s in map(str, Status)}, keeps_order=True),
        source("category", "Category", paths, in_order=list(paths)),
        source("type", "Type", {key: kind.name for key, kind in words.types.items()}),
        source("brand", "Brand", words.brands),
        source("tag", "Tag", words.tags),
        source("price", "Price", PRICE_WORDS, in_order=list(WORD_FACETS["price"])),
        source("stock", "Stock", STOCK_WORDS, in_order=list(WORD_FACETS["stock"])),
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


def _facets(
    state: TableState, counts: Mapping[str, Mapping[Any, int]], tree: categories.Tree, words: Vocabulary
) -> list[Facet]:
    found = [_facet(state, source, counts.get(source.key, {})) for source in _sources(state, tree, words)]
    return [facet for facet in found if facet.values]


def _facet(state: TableState, source: _Source, counted: Mapping[Any, int]) -> Facet:
    """The values with most products, and those that are chosen. Without an order of their own, the largest first."""
    labels, chosen = source.labels, state.chosen.get(source.key, ())
    known = [value for value in labels if value in counted or value in chosen or source.keeps_order]
    most = sorted(known, key=lambda value: (-counted.get(value, 0), labels[value]))
    shown = dict.fromkeys([*most[:SHOWN_VALUES], *(value for value in chosen if value in labels)])
    in_order = source.in_order or (labels if source.keeps_order else shown)
    order = [value for value in in_order if value in shown]
    values = [_value(state, source, value, counted) for value in order]
    return Facet(source.id, source.label, values, max(0, len(known) - len(values)))


def _value(state: TableState, source: _Source, value: Any, counted: Mapping[Any, int]) -> FacetValue:
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


def facet(
    ctx: Context, actor: Actor, state: TableState, seen: Seen, facet_id: str, search_for: str, order: str
) -> Facet:
    """A facet with all its values that have products; ``search_for``: words that their names hold. Raises NotFound."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> Facet:
        tree, words = categories.through(ctx, tx, seen.lens), vocabulary.through(ctx, tx, seen.lens)
        source = next((one for one in _sources(state, tree, words) if one.id == facet_id), None)
        if source is None:
            raise NotFound("There is no such list to narrow by.")
        counted = _all_counts(ctx, tx, state, words, seen.lens).get(source.key, {})
        sought = [fold(word) for word in search_for.split()]
        known = [
            value
            for value, label in source.labels.items()
            if value in counted and all(word in fold(label) for word in sought)
        ]
        by_name = {value: fold(source.labels[value]) for value in known}
        known.sort(key=lambda one: by_name[one] if order == "name" else (-counted[one], by_name[one]))
        values = [_value(state, source, value, counted) for value in known[:MOST_VALUES]]
        return Facet(source.id, source.label, values, max(0, len(known) - MOST_VALUES))

    return ctx.db.run(work)


def _all_counts(
    ctx: Context, tx: Tx, state: TableState, words: Vocabulary, lens: Lens
) -> Mapping[str, Mapping[Any, int]]:
    """The counts of all facets; the pages and orders of a choice share them."""
    stamp = history.stamp(tx)
    hits, _ = _hits(ctx, tx, state, stamp, lens)
    picked = tuple(sorted((name, tuple(values)) for name, values in state.chosen.items()))
    key = (stamp, "facet counts", picked, state.q, lens.key if state.q else "")
    with held(ctx, tx) as index:
        found: Mapping[str, Mapping[Any, int]] = ctx.counts.get(key, lambda: _counts(index, state, words, hits))
    return found


def _neighbours(state: TableState, found: list[tuple[int, str | None]], more: bool) -> tuple[str | None, str | None]:
    """The addresses' queries of the pages before and after."""
    if not found:
        return (None, None)
    backwards = bool(state.cursor and state.cursor.backwards)
    first, last = (Cursor(pair[1], pair[0], back) for pair, back in ((found[0], True), (found[-1], False)))
    earlier = state.at(first, state.page - 1).query() if state.page > 1 else None
    later = state.at(last, state.page + 1).query() if more or backwards else None
    return earlier, later
