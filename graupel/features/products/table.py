"""The products table: a page of it, its facets with their counts, and the way to the next page."""

from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from typing import Any

from graupel.context import Context
from graupel.core import showing
from graupel.core.declarations.products import LISTED
from graupel.core.doubles import fold
from graupel.core.errors import NotFound
from graupel.core.facets import NONE, FacetIndex, Ids, in_groups, page_in_groups
from graupel.core.products import Status
from graupel.core.resolve import DEFAULT_LENS, Lens
from graupel.core.roles import Actor, Role
from graupel.core.tables import FACETS, GROUPED_SORTS, PAGE_SIZE, Cursor, TableState, search_words
from graupel.db import Tx
from graupel.features.categories import service as categories
from graupel.features.destinations.service import Seen
from graupel.features.history import service as history
from graupel.features.media import service as media
from graupel.features.products import facet_index, lensing, picture_store, summary, table_facets, table_store
from graupel.features.products.facet_index import held, search, similar
from graupel.features.products.rows import TableRow
from graupel.features.products.table_facets import Facet
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.service import Vocabulary
from graupel.features.wording import store as wording_store

#: What sorting one product costs beside walking along one, both measured: 7 µs and 1 µs.
SORTING_COSTS = 7
#: Walking is given up when it has cost this part of sorting, and so many times fewer lie on the way than would if they
#: lay evenly.
UNEVEN = 4
#: The most rows that are walked along at once.
MOST_WALKED = 20_000


@dataclass(frozen=True)
class Table:
    """One page of the products table. ``instead``: words by which names were found where none has those typed;
    ``touched``: what the act is called whose goods these are; ``is_behind``: what a large act did a moment ago is still
    being taken in, and not in it yet."""

    state: TableState
    rows: list[dict[str, Any]]
    total: int
    everything: int
    facets: list[Facet]
    earlier: str | None
    later: str | None
    instead: list[str] = field(default_factory=list)
    touched: str = ""
    is_behind: bool = False

    @property
    def pages(self) -> int:
        """How many pages there are, an empty one included."""
        return max(1, -(-self.total // PAGE_SIZE))


def read(ctx: Context, actor: Actor, state: TableState, seen: Seen | None = None) -> Table:
    """A page of the table with its facets; reads no more than the page's rows and what changed since.

    ``seen``: the lens through which names and prices are shown; None for the default one.
    """
    actor.require(Role.VIEWER)
    with facet_index.may_lag():
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
    hits, _ = _hits(ctx, tx, state, facet_index.mark(ctx, tx))
    with held(ctx, tx) as index:
        return list(_select(index, state, words, hits))


def _read(ctx: Context, tx: Tx, state: TableState, seen: Seen | None) -> Table:
    lens = seen.lens if seen else DEFAULT_LENS
    stamp = facet_index.mark(ctx, tx)
    tree = categories.through(ctx, tx, lens)
    words = vocabulary.through(ctx, tx, lens)
    hits, instead = _hits(ctx, tx, state, stamp, lens)
    counts = _all_counts(ctx, tx, state, words, lens)
    with held(ctx, tx) as index:
        fitting = _select(index, state, words, hits)
        everything = len(index)
        grouped = _grouped(index, fitting, state, tree, words) if state.sort_key in GROUPED_SORTS else None
    total = len(fitting)
    found = grouped
    if found is None:  # to find it among many costs most of all: a page that is asked again is the same
        key = (stamp, "page", replace(state, columns=()).query(), lens.key if state.q else "")
        asked = partial(_page, ctx, tx, fitting, everything, state)
        found = list(ctx.counts.get(key, asked)) if state.is_filtered else asked()
    more = len(found) > PAGE_SIZE
    found = found[:PAGE_SIZE]
    if state.cursor and state.cursor.backwards:
        found.reverse()
    rows = shown(ctx, tx, [one for one, _ in found], seen)
    earlier, later = _neighbours(state, found, more)
    return Table(
        state,
        rows,
        total,
        everything,
        table_facets.facets(state, counts, tree, words),
        earlier,
        later,
        instead,
        history.title_of(tx, state.touched) if state.touched else "",
        facet_index.is_behind(ctx),
    )


def shown(ctx: Context, tx: Tx, ids: Sequence[int], seen: Seen | None = None) -> list[dict[str, Any]]:
    """The table's rows of these products through a lens, in their order; those that are not there are left out."""
    lens = seen.lens if seen else DEFAULT_LENS
    tree, words = categories.through(ctx, tx, lens), vocabulary.through(ctx, tx, lens)
    rows = _with_names(tx, table_store.rows_of(tx, list(ids), ctx.settings.language), tree, words)
    return lensing.rows(ctx, tx, rows, seen) if seen and not lens.is_default else lensing.reduced(ctx, tx, rows)


# --- what fits -----------------------------------------------------------------------------------------------


def searched(ctx: Context, tx: Tx, typed: str, lens: Lens) -> tuple[Ids | None, list[str]]:
    """The products that fit a text, as the table finds them: None where nothing is searched; and the words by which
    they were found instead, where no name has those typed."""
    return _hits(ctx, tx, TableState.read({"q": [typed]}), facet_index.mark(ctx, tx), lens)


def _hits(
    ctx: Context, tx: Tx, state: TableState, stamp: str, lens: Lens = DEFAULT_LENS
) -> tuple[Ids | None, list[str]]:
    """The products that fit the search, by names in the lens' languages too, of those of an act where one is asked for;
    None where neither is.

    Where nothing fits, those that are named much alike, and the words by which they were found instead.

    Read before the facets are held, so that a slow one holds nobody up, and kept for its other pages and facets.
    """
    found, instead = _named(ctx, tx, state, stamp, lens)
    if state.touched is None:
        return found, instead
    touched = _touched(ctx, tx, state.touched)
    return (touched if found is None else found & touched), instead


def _touched(ctx: Context, tx: Tx, change_set_id: int) -> Ids:
    """The products that a change set touched; what it did stays as it is."""
    return ctx.counts.get(("touched", change_set_id), lambda: Ids(summary.touched_ids(tx, change_set_id)))


def _named(ctx: Context, tx: Tx, state: TableState, stamp: str, lens: Lens) -> tuple[Ids | None, list[str]]:
    """The products that fit the search words, and the words by which they were found instead."""
    if not state.q:
        return None, []

    def find() -> tuple[Ids, list[str]]:
        found = search(ctx, tx, state.q) or NONE
        words = search_words(state.q)
        if words and words.indexed and not lens.is_default:
            for field in ("name", "search_words"):
                found |= Ids(wording_store.search(tx, "product", field, lens.destination, lens.chain, words.indexed))
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


#: Grouped sort -> the facet whose sets it goes through.
_GROUPS = {"status": "status", "category": "main", "type": "type", "brand": "brand", "tags": "tag"}


def _grouped(
    index: FacetIndex, fitting: Ids, state: TableState, tree: categories.Tree, words: Vocabulary
) -> list[tuple[int, str | None]]:
    """A page's products and one more where they are sorted by a word that many have."""
    named = {"type": {key: kind.name for key, kind in words.types.items()}, "brand": words.brands, "tags": words.tags}
    if state.sort_key == "status":
        values: Sequence[Any] = list(map(str, Status))
    elif state.sort_key == "category":
        values = [one.id for one in sorted(tree, key=lambda one: fold(one.path))]
    else:
        labels = named[state.sort_key]
        values = sorted(labels, key=lambda key: (fold(labels[key]), key))
    groups = in_groups(index.sets_within(_GROUPS[state.sort_key], values, fitting), fitting)
    cursor = state.cursor
    at = (cursor.value or "", cursor.row_id) if cursor else None
    descending = state.descending != bool(cursor and cursor.backwards)
    found = page_in_groups(groups, at, PAGE_SIZE + 1, descending=descending)
    return [(one, key or None) for one, key in found]


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

    How far they lie apart is not known beforehand: so walking is given up when it has cost as much as sorting, or a
    part of that where far fewer lie on the way than would if they lay evenly.
    """
    affordable = whole = len(fitting) * SORTING_COSTS
    # As many rows as hold a page if those that fit lie evenly, and a little more: most pages are one reading.
    likely = (PAGE_SIZE + 1) * everything * 5 // (max(len(fitting), 1) * 4) + 1
    found: list[int] = []
    walked, at = 0, state.cursor
    while likely < affordable:
        limit = min(MOST_WALKED, likely)
        ids = table_store.walk(tx, state.sort_key, at, lang, limit, descending=descending)
        found += [one for one in ids if one in fitting]
        walked += len(ids)
        if len(found) > PAGE_SIZE or len(ids) < limit:
            return found[: PAGE_SIZE + 1]
        if walked > whole // UNEVEN and (len(found) + 1) * UNEVEN * everything < walked * len(fitting):
            return None
        at = table_store.cursor_at(tx, state.sort_key, ids[-1], lang)
        affordable -= limit
        likely = min(likely * 2, MOST_WALKED)
    return None


def _with_names(tx: Tx, rows: Sequence[TableRow], tree: categories.Tree, words: Vocabulary) -> list[dict[str, Any]]:
    ids = [row["id"] for row in rows]
    pictures = picture_store.main_pictures(tx, ids)
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


# --- one facet with all its values ---------------------------------------------------------------------------


def facet(
    ctx: Context, actor: Actor, state: TableState, seen: Seen, facet_id: str, search_for: str, order: str
) -> Facet:
    """A facet with all its values that have products; ``search_for``: words that their names hold. Raises NotFound."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> Facet:
        tree, words = categories.through(ctx, tx, seen.lens), vocabulary.through(ctx, tx, seen.lens)
        source = next((one for one in table_facets.sources(state, tree, words) if one.id == facet_id), None)
        if source is None:
            raise NotFound("There is no such list to narrow by.")
        counted = _all_counts(ctx, tx, state, words, seen.lens).get(source.key, {})
        return table_facets.whole(state, source, counted, search_for, order)

    with facet_index.may_lag():
        return ctx.db.run(work)


def _all_counts(
    ctx: Context, tx: Tx, state: TableState, words: Vocabulary, lens: Lens
) -> Mapping[str, Mapping[Any, int]]:
    """The counts of all facets; the pages and orders of a choice share them."""
    stamp = facet_index.mark(ctx, tx)
    hits, _ = _hits(ctx, tx, state, stamp, lens)
    picked = tuple(sorted((name, tuple(values)) for name, values in state.chosen.items()))
    key = (stamp, "facet counts", picked, state.q, lens.key if state.q else "", state.touched)
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
