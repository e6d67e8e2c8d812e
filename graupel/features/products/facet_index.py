"""What is asked of the facets of all products and of the words of their names, which each process keeps in memory."""

from collections.abc import Collection, Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any

from graupel.caching import Keepers
from graupel.context import Context
from graupel.core.facets import NONE, FacetIndex, Ids
from graupel.core.tables import search_words
from graupel.core.words import WordIndex, all_begin
from graupel.db import Tx
from graupel.features.categories import service as categories
from graupel.features.categories.counts import Counts
from graupel.features.products import store, table_store
from graupel.features.products.facet_keeper import AT_ONCE, WORTH_KEEPING, FacetKeeper

#: Whether what is asked for may lag behind what a large act did a moment ago.
_lags: ContextVar[bool] = ContextVar("lags", default=False)


@contextmanager
def may_lag() -> Iterator[None]:
    """What is asked within may be without what a large act did that is still being taken in: of pages that show goods,
    and of nothing that acts on them."""
    token = _lags.set(True)
    try:
        yield
    finally:
        _lags.reset(token)


async def lets_lag() -> None:
    """The same of all that a request asks: a dependency of routes, which runs where these do."""
    _lags.set(True)


def mark(ctx: Context, tx: Tx) -> str:
    """Another text for whatever the facets are, for what is made of them and kept."""
    keeper = ctx.keepers.get(FacetKeeper)
    with keeper.lock:
        keeper.current(ctx, tx, may_lag=_lags.get())
        return keeper.mark


def is_behind(ctx: Context) -> bool:
    """Whether a large act is still being taken in."""
    return ctx.keepers.get(FacetKeeper).is_behind


@contextmanager
def held(ctx: Context, tx: Tx) -> Iterator[FacetIndex]:
    """The facets of all products as the transaction sees them, held while they are asked."""
    with held_both(ctx, tx) as (index, _):
        yield index


@contextmanager
def held_both(ctx: Context, tx: Tx) -> Iterator[tuple[FacetIndex, WordIndex]]:
    """Facets and words of names, in the same way."""
    keeper = ctx.keepers.get(FacetKeeper)
    with keeper.lock:
        yield keeper.current(ctx, tx, may_lag=_lags.get())


def imagining(
    ctx: Context, tx: Tx, otherwise: Collection[int], gone: Collection[int], back: Collection[int]
) -> Keepers:
    """What a process would keep of the catalogue as a transaction imagines it: ``otherwise``: the products that it sees
    otherwise; ``gone``: others that are not there in it; ``back``: categories that are there again.

    But for these the facets are those of whoever asked last: asked through this transaction, they would take in what
    does not last."""
    keeper = ctx.keepers.get(FacetKeeper)
    with keeper.lock:
        return Keepers({FacetKeeper: keeper.imagining(tx, ctx.settings.language, otherwise, gone, back)})


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
    with may_lag():
        return ctx.counts.get((mark(ctx, tx), "category counts"), lambda: _count_categories(ctx, tx))


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
