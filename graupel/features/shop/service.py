"""What a buyer sees."""

from dataclasses import dataclass
from typing import Any

from graupel.context import Context
from graupel.core.errors import NotFound
from graupel.core.products import Status
from graupel.core.roles import SYSTEM, Actor
from graupel.db import Tx
from graupel.features.categories import service as categories
from graupel.features.categories.service import Category, Tree
from graupel.features.history import service as history
from graupel.features.media import service as media
from graupel.features.products import service as products
from graupel.features.products import store as product_store
from graupel.features.products.service import Product

SHELF = 48


@dataclass(frozen=True)
class Menu:
    """The categories that have live goods, in or below them, and how many."""

    tree: Tree
    counts: dict[int, int]

    @property
    def roots(self) -> list[Category]:
        """The first level."""
        return [category for category in self.tree if category.depth == 0 and self.counts.get(category.id)]

    def below(self, category: Category) -> list[Category]:
        """The categories just below one."""
        return [self.tree.by_id[i] for i in category.below if self.counts.get(i)]

    def way(self, category_id: int | None) -> list[Category]:
        """From the root down to a category."""
        found: list[Category] = []
        at = self.tree.by_id.get(category_id or 0)
        while at:
            found.insert(0, at)
            at = self.tree.by_id.get(at.parent_id or 0)
        return found


@dataclass(frozen=True)
class Shelf:
    """A page of live goods, the newest first; ``after`` is where the next begins."""

    menu: Menu
    category: Category | None
    goods: list[dict[str, Any]]
    after: int | None


def menu(ctx: Context) -> Menu:
    """The category menu."""

    def make(tx: Tx) -> Menu:
        tree = categories.tree(tx)
        own = product_store.live_counts(tx)
        total: dict[int, int] = {}
        for category in reversed(list(tree)):  # children come after their parents in the tree
            total[category.id] = own.get(category.id, 0) + sum(total[i] for i in category.below)
        return Menu(tree, total)

    def work(tx: Tx) -> Menu:
        return ctx.counts.get((history.stamp(tx), "menu"), lambda: make(tx))

    return ctx.db.run(work)


def shelf(ctx: Context, category_id: int | None, after: int = 0) -> Shelf:
    """Live goods of a category and all below it, or of the whole shop. Raises NotFound."""
    found = menu(ctx)
    category = found.tree.by_id.get(category_id) if category_id else None
    if category_id and (category is None or not found.counts.get(category_id)):
        raise NotFound("This category is empty or not there any more.")
    ids = found.tree.with_all_below(category_id) if category_id else list(found.tree.by_id)

    def work(tx: Tx) -> list[dict[str, Any]]:
        rows = product_store.live_in(tx, ids, after, SHELF + 1, ctx.settings.language)
        pictures = product_store.main_pictures(tx, [row["id"] for row in rows])
        files = media.by_ids(tx, [picture["media_id"] for picture in pictures.values()])
        return [
            row
            | {
                "picture": files.get(pictures[row["id"]]["media_id"]) if row["id"] in pictures else None,
                "alt": pictures[row["id"]]["alt"] if row["id"] in pictures else "",
            }
            for row in rows
        ]

    goods = ctx.db.run(work)
    return Shelf(found, category, goods[:SHELF], goods[SHELF - 1]["id"] if len(goods) > SHELF else None)


def product(ctx: Context, product_id: int, viewer: Actor | None) -> Product:
    """A live product; for those signed in, a draft too. Raises NotFound."""
    found = products.read(ctx, SYSTEM, product_id)
    if found.values.status is not Status.LIVE and viewer is None:
        raise NotFound("This article is not for sale any more.")
    return found
