"""The products table: a page of it, its facets with their counts, and the way to the next page."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from graupel.context import Context
from graupel.core.products import Status
from graupel.core.roles import Actor, Role
from graupel.core.tables import PAGE_SIZE, Cursor, TableState
from graupel.db import Tx
from graupel.features.categories import service as categories
from graupel.features.history import service as history
from graupel.features.media import service as media
from graupel.features.products import store


@dataclass(frozen=True)
class FacetValue:
    """One value of a facet: how many products it has, and the state of the table with it switched."""

    value: Any
    label: str
    count: int
    chosen: bool
    query: str


@dataclass(frozen=True)
class Table:
    """One page of the products table."""

    state: TableState
    rows: list[dict[str, Any]]
    total: int
    everything: int
    statuses: list[FacetValue]
    categories: list[FacetValue]
    earlier: str | None
    later: str | None

    @property
    def pages(self) -> int:
        """How many pages there are, an empty one included."""
        return max(1, -(-self.total // PAGE_SIZE))


SHOWN_CATEGORIES = 14


def read(ctx: Context, actor: Actor, state: TableState) -> Table:
    """A page of the table with its facets; reads no more than the page's rows and counts that change."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: _read(ctx, tx, state))


def _read(ctx: Context, tx: Tx, state: TableState) -> Table:
    lang = ctx.settings.language
    stamp = history.stamp(tx)
    cross = ctx.counts.get((stamp, "cross", state.q), lambda: store.counts(tx, state.q, lang))
    by_status = _summed(cross, 0, lambda key: not state.category or key[1] in state.category)
    by_category = _summed(cross, 1, lambda key: not state.status or key[0] in state.status)
    total = sum(count for status, count in by_status.items() if not state.status or status in state.status)
    tree = ctx.counts.get((stamp, "tree"), lambda: categories.tree(tx))
    found = None
    if state.q and sum(cross.values()) < store.WALK_FROM:
        # Few enough to be kept: the next page, order or facet of the same search need not search again.
        found = ctx.counts.get((stamp, "found", state.q), lambda: store.search_ids(tx, state.q, lang))
    ids = store.page_ids(tx, state, lang, total, found)
    more = len(ids) > PAGE_SIZE
    ids = ids[:PAGE_SIZE]
    if state.cursor and state.cursor.backwards:
        ids.reverse()
    rows = _with_pictures(tx, store.rows_of(tx, ids, lang), tree)
    earlier, later = _neighbours(state, rows, more)
    statuses = [
        FacetValue(s, s.capitalize(), by_status.get(s, 0), s in state.status, state.toggled("status", s).query())
        for s in map(str, Status)
    ]
    return Table(
        state,
        rows,
        total,
        sum(by_status.values()),
        statuses,
        _category_facet(state, by_category, tree),
        earlier,
        later,
    )


def _summed(cross: Mapping[Any, int], part: int, fits: Callable[[Any], bool]) -> dict[Any, int]:
    """Counts by one part of the keys, of those that fit."""
    found: dict[Any, int] = {}
    for key, count in cross.items():
        if fits(key):
            found[key[part]] = found.get(key[part], 0) + count
    return found


def _with_pictures(tx: Tx, rows: list[dict[str, Any]], tree: categories.Tree) -> list[dict[str, Any]]:
    pictures = store.main_pictures(tx, [row["id"] for row in rows])
    files = media.by_ids(tx, list({picture["media_id"] for picture in pictures.values()}))
    return [
        row
        | {
            "picture": files.get(pictures[row["id"]]["media_id"]) if row["id"] in pictures else None,
            "category": tree.path(row["category_id"]),
        }
        for row in rows
    ]


def _category_facet(state: TableState, counts: Mapping[Any, int], tree: categories.Tree) -> list[FacetValue]:
    """The categories with most products, in the order of the tree, and those that are chosen."""
    most = sorted((c for c in counts if c is not None), key=lambda c: -counts[c])[:SHOWN_CATEGORIES]
    shown = {*most, *state.category}
    return [
        FacetValue(c.id, c.path, counts.get(c.id, 0), c.id in state.category, state.toggled("category", c.id).query())
        for c in tree
        if c.id in shown
    ]


def _neighbours(state: TableState, rows: list[dict[str, Any]], more: bool) -> tuple[str | None, str | None]:
    """The addresses' queries of the pages before and after."""
    if not rows:
        return (None, None)
    backwards = bool(state.cursor and state.cursor.backwards)
    first, last = (
        Cursor(store.cursor_value(row, state.sort_key), row["id"], back)
        for row, back in ((rows[0], True), (rows[-1], False))
    )
    earlier = state.at(first, state.page - 1).query() if state.page > 1 else None
    later = state.at(last, state.page + 1).query() if more or backwards else None
    return earlier, later
