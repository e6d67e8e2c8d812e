"""What a buyer sees."""

from dataclasses import dataclass
from typing import Any

from slugify import slugify

from graupel.context import Context
from graupel.core.categories import Kind
from graupel.core.errors import NotFound
from graupel.core.products import Status
from graupel.core.roles import SYSTEM, Actor
from graupel.db import Tx
from graupel.features.categories import service as categories
from graupel.features.categories import store as category_store
from graupel.features.categories.service import Category, Tree
from graupel.features.categories.service import Detail as CategoryDetail
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
    addresses: dict[int, str]

    def path_of(self, category: Category) -> str:
        """Where a category of the menu leads."""
        if category.kind is Kind.LINK:
            return category.link
        return f"/shop/c/{category.id}-{self.addresses.get(category.id) or slugify(category.name)[:80] or 'category'}"

    @property
    def roots(self) -> list[Category]:
        """The first level."""
        main = next(iter(self.tree.trees), 0)
        return [one for one in self.tree.tops(main) if self._is_open(one)]

    def below(self, category: Category) -> list[Category]:
        """The categories just below one."""
        return [one for one in self.tree.children(category) if self._is_open(one)]

    def _is_open(self, category: Category) -> bool:
        """Whether buyers find it in the navigation: a link always, others with goods in or below them."""
        if not (category.shown and category.in_navigation):
            return False
        is_there = category.kind is Kind.LINK or bool(self.counts.get(category.id))
        return is_there or any(self._is_open(one) for one in self.tree.children(category))

    @property
    def others(self) -> list[tuple[str, list[Category]]]:
        """The further trees, for the foot of the page, each with its first level; empty ones are left out."""
        found = [(name, list(filter(self._is_open, self.tree.tops(key)))) for key, name in self.tree.trees.items()]
        return [(name, tops) for name, tops in found[1:] if tops]

    def way(self, category_id: int | None) -> list[Category]:
        """From the root down to a category."""
        return [one for one in self.tree.way(category_id) if one.shown]


@dataclass(frozen=True)
class Shelf:
    """A page of live goods, the newest first; ``after`` is where the next begins."""

    menu: Menu
    category: Category | None
    detail: CategoryDetail | None
    goods: list[dict[str, Any]]
    after: int | None


def menu(ctx: Context) -> Menu:
    """The category menu."""

    def make(tx: Tx) -> Menu:
        tree = categories.load(tx)
        own = product_store.live_counts(tx)
        total: dict[int, int] = {}
        for category in reversed(list(tree)):  # children come after their parents in the tree
            total[category.id] = own.get(category.id, 0) + sum(total[i] for i in category.below)
        return Menu(tree, total, category_store.addresses(tx, ctx.settings.language))

    def work(tx: Tx) -> Menu:
        return ctx.counts.get((history.stamp(tx), "menu"), lambda: make(tx))

    return ctx.db.run(work)


def shelf(ctx: Context, category_id: int | None, after: int = 0) -> Shelf:
    """Live goods of a category and all below it, or of the whole shop. Raises NotFound."""
    found = menu(ctx)
    category = found.tree.by_id.get(category_id) if category_id else None
    if category_id and (category is None or not category.shown or not found.counts.get(category_id)):
        raise NotFound("This category is empty or not there any more.")
    wanted = found.tree.with_all_below(category_id) if category_id else list(found.tree.by_id)
    ids = [one for one in wanted if found.tree.by_id[one].shown]

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
    detail = categories.read(ctx, SYSTEM, category.id) if category else None
    return Shelf(found, category, detail, goods[:SHELF], goods[SHELF - 1]["id"] if len(goods) > SHELF else None)


def product(ctx: Context, product_id: int, viewer: Actor | None) -> Product:
    """A live product; for those signed in, a draft too. Raises NotFound."""
    found = products.read(ctx, SYSTEM, product_id)
    if found.values.status is not Status.LIVE and viewer is None:
        raise NotFound("This article is not for sale any more.")
    return found
