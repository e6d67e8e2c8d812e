"""The facets of all products, kept in memory and brought up to date with each change set."""

import threading
import time
from collections.abc import Iterator, Sequence

from graupel.context import Context
from graupel.core.facets import FacetIndex, Values
from graupel.core.tables import price_bands, stock_word
from graupel.db import Tx
from graupel.features.categories import service as categories
from graupel.features.categories.counts import Counts
from graupel.features.history import service as history
from graupel.features.products import store, summary

#: So many of the newest change sets are looked through for those that are not taken in yet.
LOOKED_THROUGH = 500
#: Where more records changed, reading everything anew is quicker.
MOST_TAKEN_IN = 3000
#: After so many seconds all is read anew: a change set may have been committed after 500 later ones.
GOOD_FOR = 600.0


class FacetKeeper:
    """One for a process. Whoever asks holds ``lock`` while asking."""

    def __init__(self) -> None:
        self.lock = threading.Lock()
        self.generation = 0
        self._index = FacetIndex()
        self._known: set[int] = set()
        self._stamp = ""
        self._read_at: float | None = None

    def current(self, tx: Tx, stamp: str) -> FacetIndex:
        """The index as the transaction sees the catalogue; ``stamp``: history's."""
        if self._read_at is None or time.monotonic() - self._read_at > GOOD_FOR:
            self._read_everything(tx)
        elif stamp != self._stamp:
            self._take_in(tx)
        self._stamp = stamp
        return self._index

    def _read_everything(self, tx: Tx) -> None:
        self._known = {change_set_id for change_set_id, _ in history.newest_ids(tx, LOOKED_THROUGH)}
        self._index = FacetIndex()
        self._index.fill(values_of(tx, None))
        self._read_at = time.monotonic()
        self.generation += 1

    def _take_in(self, tx: Tx) -> None:
        newest = history.newest_ids(tx, LOOKED_THROUGH)
        new = [(change_set_id, records) for change_set_id, records in newest if change_set_id not in self._known]
        if len(new) == LOOKED_THROUGH or sum(records for _, records in new) > MOST_TAKEN_IN:
            self._read_everything(tx)
            return
        self._known = {change_set_id for change_set_id, _ in newest}
        touched = sorted({one for change_set_id, _ in new for one in summary.touched_ids(tx, change_set_id)})
        if not touched:
            return
        found = dict(values_of(tx, touched))
        for product_id in touched:
            if product_id in found:
                self._index.put(product_id, found[product_id])
            else:
                self._index.remove(product_id)


def values_of(tx: Tx, ids: Sequence[int] | None) -> Iterator[tuple[int, Values]]:
    """The facets' values of all products, or of ``ids``."""
    several: dict[str, dict[int, list[int]]] = {}
    for what in ("category", "tag", "has", "fact"):
        held = several.setdefault(what, {})
        for row in store.facet_pairs(tx, what, ids):
            held.setdefault(row["id"], []).append(row["value"])
    for row in store.facet_products(tx, ids):
        product_id = row["id"]
        categories = several["category"].get(product_id, [])
        yield (
            product_id,
            {
                "status": (row["status"],),
                "type": (row["type_id"],) if row["type_id"] else (),
                "brand": (row["brand_id"],) if row["brand_id"] else (),
                "category": {row["category_id"], *categories} if row["category_id"] else categories,
                "tag": several["tag"].get(product_id, ()),
                "price": price_bands(row["price_low"], row["price_high"]),
                "stock": (stock_word(row["stock"]),),
                "lacks": _lacks(row),
                "has": several["has"].get(product_id, ()),
                "fact": several["fact"].get(product_id, ()),
            },
        )


def _lacks(row: dict[str, object]) -> list[str]:
    found = [name for name in ("picture", "alt", "gtin", "description") if row[f"lacks_{name}"]]
    found += [name for name in ("category", "type", "brand") if row[f"{name}_id"] is None]
    return found + (["price"] if row["price_low"] is None else [])


#: So many products are offered to be chosen as the lead of a category.
OFFERED = 300


def leads(ctx: Context, category_id: int, chosen: int | None) -> list[tuple[int, str]]:
    """Live products of a category and all below it with their names, the newest first, and the chosen one."""

    def work(tx: Tx) -> list[tuple[int, str]]:
        keeper, within = ctx.ones.get(FacetKeeper), categories.current(ctx, tx).with_all_below(category_id)
        with keeper.lock:
            index = keeper.current(tx, history.stamp(tx))
            ids = sorted(index.ids(index.select({"status": ("live",), "category": tuple(within)})), reverse=True)
        wanted = ids[:OFFERED] + ([chosen] if chosen and chosen not in ids[:OFFERED] else [])
        return [(row["id"], row["name"]) for row in store.names(tx, wanted, ctx.settings.language)]

    return ctx.db.run(work)


def category_counts(ctx: Context, tx: Tx) -> Counts:
    """Products by category; those below are brought together as sets, so that none is counted twice."""
    stamp = history.stamp(tx)
    return ctx.counts.get((stamp, "category counts"), lambda: _count_categories(ctx, tx, stamp))


def _count_categories(ctx: Context, tx: Tx, stamp: str) -> Counts:
    keeper = ctx.ones.get(FacetKeeper)
    with keeper.lock:
        sets = keeper.current(tx, stamp).sets("category")
    together: dict[int, int] = {}
    for category in reversed(list(categories.current(ctx, tx))):  # children come after their parents
        found = sets.get(category.id, 0)
        for child in category.below:
            found |= together[child]
        together[category.id] = found
    return Counts(
        {key: held.bit_count() for key, held in sets.items() if isinstance(key, int)},
        {key: held.bit_count() for key, held in together.items() if held},
    )
