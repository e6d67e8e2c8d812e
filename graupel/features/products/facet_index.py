"""The facets of all products and the words of their names: kept in memory, brought up to date by each change set."""

import threading
from collections.abc import Hashable, Iterator, Sequence
from contextlib import contextmanager
from decimal import Decimal
from typing import Any

from graupel.context import Context
from graupel.core.facets import NONE, FacetIndex, Ids
from graupel.core.tables import price_bands, search_words
from graupel.core.words import WordIndex, all_begin
from graupel.db import Tx
from graupel.features.categories import service as categories
from graupel.features.categories.counts import Counts
from graupel.features.history import service as history
from graupel.features.products import store, summary, table_store
from graupel.features.products.facet_snapshot import Snapshot

#: So many of the newest change sets are looked through for those that are not taken in yet.
LOOKED_THROUGH = 500
#: Products are read by so many at once.
AT_ONCE = 20_000
#: Of fewer products a new process reads everything in a moment, and no snapshot is kept.
WORTH_KEEPING = 10_000
#: A snapshot is kept anew after so many change sets; one that touched many products counts as several.
KEPT_AFTER = 100
TOUCHED_AS_A_SET = 1000


class FacetKeeper:
    """One for a process. Whoever asks holds ``lock`` while asking."""

    def __init__(self) -> None:
        self.lock = threading.Lock()
        #: How often everything was read.
        self.readings = 0
        self._index = FacetIndex()
        self._words = WordIndex()
        self._known: set[int] = set()
        self._stamp = ""
        self._since_kept = 0

    def current(self, tx: Tx, stamp: str, snapshot: Snapshot) -> tuple[FacetIndex, WordIndex]:
        """Facets and words of names as the transaction sees the catalogue; ``stamp``: history's."""
        if not self._stamp:
            self._begin(tx, snapshot)
        elif stamp != self._stamp:
            self._take_in(tx, snapshot.lang)
        self._stamp = stamp
        if self._since_kept >= KEPT_AFTER and len(self._index) >= WORTH_KEEPING:
            snapshot.save(tx, self._index, self._words, self._known)
            self._since_kept = 0
        return self._index, self._words

    def _begin(self, tx: Tx, snapshot: Snapshot) -> None:
        kept = snapshot.load(tx)
        if kept:
            self._index, self._words, self._known = kept
            self._take_in(tx, snapshot.lang)
        else:
            self._read_everything(tx, snapshot.lang)

    def _read_everything(self, tx: Tx, lang: str) -> None:
        self._known = set(history.newest_ids(tx, LOOKED_THROUGH))
        self._index, self._words = read_all(tx, lang)
        self.readings += 1
        self._since_kept = KEPT_AFTER

    def _take_in(self, tx: Tx, lang: str) -> None:
        newest = history.newest_ids(tx, LOOKED_THROUGH)
        new = [change_set_id for change_set_id in newest if change_set_id not in self._known]
        if len(new) == LOOKED_THROUGH:
            self._read_everything(tx, lang)
            return
        touched = sorted({one for change_set_id in new for one in summary.touched_ids(tx, change_set_id)})
        for first in range(0, len(touched), AT_ONCE):
            some = _together(touched[first : first + AT_ONCE])
            self._index.remove(some)
            self._words.remove(some)
            _put_in(tx, self._index, self._words, some, lang)
        self._known = set(newest)
        self._since_kept += len(new) + len(touched) // TOUCHED_AS_A_SET


def _together(ids: list[int]) -> Sequence[int]:
    """Ids that lie close together as a range: what is between them is quicker read along than left out."""
    around = range(ids[0], ids[-1] + 1)
    return around if len(around) <= min(2 * len(ids), table_store.MOST_GROUPED) else ids


@contextmanager
def held(ctx: Context, tx: Tx) -> Iterator[FacetIndex]:
    """The facets of all products as the transaction sees them, held while they are asked."""
    with held_both(ctx, tx) as (index, _):
        yield index


@contextmanager
def held_both(ctx: Context, tx: Tx) -> Iterator[tuple[FacetIndex, WordIndex]]:
    """Facets and words of names, in the same way."""
    keeper, stamp = ctx.keepers.get(FacetKeeper), history.stamp(tx)
    with keeper.lock:
        yield keeper.current(tx, stamp, Snapshot(ctx.settings.data_folder, ctx.settings.language))


def prepare(ctx: Context) -> int:
    """Have a snapshot ready that is right under the rules of this version; for how many products, 0 for too few.

    A new version may count otherwise than the one before: without this, the first process of it would read everything
    while people wait.
    """

    def work(tx: Tx) -> int:
        with held(ctx, tx) as index:
            return len(index)

    count = ctx.db.run(work)
    return count if count >= WORTH_KEEPING else 0


def search(ctx: Context, tx: Tx, typed: str) -> Ids | None:
    """The products that fit a text, None where nothing is searched.

    A text fits a name in which all its words begin, and a SKU, product code or GTIN that begins with it.
    """
    words = search_words(typed)
    if words is None:
        return None
    by_code = Ids(table_store.ids_by_code(tx, words.code))
    with held_both(ctx, tx) as (_, names):
        sure, unsure = names.having(words.words)
    return by_code | sure | Ids(_looked_at(tx, list(unsure), words.words, ctx.settings.language))


def similar(ctx: Context, tx: Tx, typed: str) -> tuple[Ids, list[str]]:
    """For people, where nothing fits: the products in whose names stand words much like those of a text, and which."""
    words = search_words(typed)
    if words is None:
        return NONE, []
    with held_both(ctx, tx) as (_, names):
        return names.much_like(words.words)


def _looked_at(tx: Tx, ids: list[int], words: Sequence[str], lang: str) -> Iterator[int]:
    """Those of some products in whose names all words begin."""
    for first in range(0, len(ids), AT_ONCE):
        named = table_store.names(tx, ids[first : first + AT_ONCE], lang)
        yield from (product_id for product_id, name in named if all_begin(words, name))


def media_hits(ctx: Context, tx: Tx, typed: str, params: dict[str, Any]) -> str:
    """A SELECT of the media of products that fit a text, and of those whose alt text or title has its words."""
    words, found = search_words(typed), search(ctx, tx, typed)
    found = found or (similar(ctx, tx, typed)[0] if words else None)
    return "" if words is None or found is None else table_store.media_hits(list(found), words.indexed, params)


def read_all(tx: Tx, lang: str) -> tuple[FacetIndex, WordIndex]:
    """Facets and words of all products; never more than AT_ONCE of them are in memory one by one."""
    index, words, last = FacetIndex(), WordIndex(), 0
    while ids := table_store.ids_after(tx, last, AT_ONCE):
        _put_in(tx, index, words, range(ids[0], ids[-1] + 1), lang)
        last = ids[-1]
    return index, words


def _put_in(tx: Tx, index: FacetIndex, words: WordIndex, ids: Sequence[int], lang: str) -> None:
    words.add(table_store.names(tx, ids, lang))
    for facet in table_store.FACET_NAMES:
        for value, found in table_store.facet_groups(tx, facet, ids):
            if facet == "status":  # each product has one
                index.add(found, [])
            index.add((), [(facet, seen, found) for seen in _values(facet, value)])


def _values(facet: str, value: Any) -> Sequence[Hashable]:
    """The facet's values of products that hold something."""
    if facet == "price":
        low, high = map(Decimal, value.split()) if value else (None, None)
        return price_bands(low, high)
    return (value,)


#: So many products are offered to be chosen as the lead of a category.
OFFERED = 300


def leads(ctx: Context, category_id: int, chosen: int | None) -> list[tuple[int, str]]:
    """Live products of a category and all below it with their names, the newest first, and the chosen one."""

    def work(tx: Tx) -> list[tuple[int, str]]:
        within = categories.current(ctx, tx).with_all_below(category_id)
        with held(ctx, tx) as index:
            found = index.select({"status": ("live",), "category": tuple(within)})
        ids = list(found[-OFFERED:])[::-1]
        wanted = ids + ([chosen] if chosen and chosen not in ids else [])
        return [(row["id"], row["name"]) for row in store.names(tx, wanted, ctx.settings.language)]

    return ctx.db.run(work)


def category_counts(ctx: Context, tx: Tx) -> Counts:
    """Products by category; those below are brought together as sets, so that none is counted twice."""
    return ctx.counts.get((history.stamp(tx), "category counts"), lambda: _count_categories(ctx, tx))


def _count_categories(ctx: Context, tx: Tx) -> Counts:
    with held(ctx, tx) as index:
        sets = index.sets("category")
    together: dict[int, Ids] = {}
    for category in reversed(list(categories.current(ctx, tx))):  # children come after their parents
        together[category.id] = Ids.union(sets.get(category.id, NONE), *(together[child] for child in category.below))
    return Counts(
        {key: len(ids) for key, ids in sets.items() if isinstance(key, int)},
        {key: len(ids) for key, ids in together.items() if ids},
    )
