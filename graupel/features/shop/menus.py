"""The menu of a shop: which of its categories and links lead somewhere, and where."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from slugify import slugify

from graupel.context import Context
from graupel.core.categories import CategoryKind
from graupel.core.facets import NONE, Ids
from graupel.core.resolve import Lens, Level, Resolved, ValuePlace, of_another_language
from graupel.db import Tx
from graupel.features.assortments import service as assortments
from graupel.features.categories import service as categories
from graupel.features.categories import store as category_store
from graupel.features.categories.service import Category, Tree
from graupel.features.products import facet_index
from graupel.features.shop.windows import Window
from graupel.features.wording import service as wording

#: A link to a page of the shop window itself.
_WITHIN = re.compile(r"/shop/(?P<what>[cp])/(?P<id>[0-9]{1,9})(?:-[^/]*)?\Z")


@dataclass(frozen=True)
class Menu:
    """The categories of a shop, how many live goods each has in or below it, and which goods the shop shows."""

    tree: Tree
    trees: Sequence[int]
    counts: Mapping[int, int]
    goods: Ids
    addresses: Mapping[int, str]
    path: str

    def path_of(self, category: Category) -> str:
        """Where a category of the menu leads."""
        if category.kind is CategoryKind.LINK:
            return self.path + category.link[5:] if _WITHIN.match(category.link) else category.link
        return category_path(self.path, category.id, self.addresses.get(category.id, ""), category.name)

    def has_page(self, category: Category) -> bool:
        """Whether a category has a page that buyers can open: goods, or text and pictures of its own."""
        if not category.shown or category.tree_id not in self.trees:
            return False
        return category.kind is CategoryKind.PAGE or bool(self.counts.get(category.id))

    def leads_somewhere(self, link: str) -> bool:
        """Whether what a link leads to is there for buyers; of addresses elsewhere nothing is known."""
        if not link.startswith("/") or link == "/shop":
            return True
        if not (found := _WITHIN.match(link)):
            return link.startswith(("/shop/", "/media/"))
        record_id = int(found["id"])
        if found["what"] == "p":
            return record_id in self.goods
        category = self.tree.by_id.get(record_id)
        return category is not None and self.has_page(category)

    @property
    def roots(self) -> list[Category]:
        """The first level."""
        return [one for one in self.tree.tops(self.trees[0]) if self._is_open(one)] if self.trees else []

    def below(self, category: Category) -> list[Category]:
        """The categories just below one."""
        return [one for one in self.tree.children(category) if self._is_open(one)]

    def _is_open(self, category: Category) -> bool:
        """Whether buyers find it in the navigation: where it leads to something, or what stands below it does."""
        if not (category.shown and category.in_navigation):
            return False
        is_link = category.kind is CategoryKind.LINK
        is_there = self.leads_somewhere(category.link) if is_link else self.has_page(category)
        return is_there or any(self._is_open(one) for one in self.tree.children(category))

    @property
    def others(self) -> list[tuple[str, list[Category]]]:
        """The further trees, for the foot of the page, each with its first level; empty ones are left out."""
        found = [
            (self.tree.trees[key], [one for one in self.tree.tops(key) if self._is_open(one)]) for key in self.trees
        ]
        return [(name, tops) for name, tops in found[1:] if tops]

    def way(self, category_id: int | None) -> list[Category]:
        """From the root down to a category."""
        return [one for one in self.tree.way(category_id) if one.shown]


def menu(ctx: Context, shown: Window) -> Menu:
    """The category menu of a shop."""

    def make(tx: Tx) -> Menu:
        tree = categories.through(ctx, tx, shown.lens)
        goods = assortments.shown_in(ctx, tx, shown.shop)
        sets = assortments.category_sets(ctx, tx)
        total: dict[int, Ids] = {}
        for category in reversed(list(tree)):  # children come after their parents in the tree
            own = sets.get(category.id, NONE) & goods
            total[category.id] = Ids.union(own, *(total[child] for child in category.below))
        counts = {key: len(ids) for key, ids in total.items() if ids}
        return Menu(tree, tree.of_shop(shown.shop.id), counts, goods, _addresses(ctx, tx, shown.lens), shown.path)

    def work(tx: Tx) -> Menu:
        return ctx.counts.get((facet_index.mark(ctx, tx), "menu", shown.path), lambda: make(tx))

    return ctx.db.run(work)


def _addresses(ctx: Context, tx: Tx, lens: Lens) -> dict[int, str]:
    """The written address parts that a lens shows, by category, as ``editing.seen`` has them."""
    base = ValuePlace(Level.CATEGORY)
    written = {key: Resolved(text, base) for key, text in category_store.addresses(tx, ctx.settings.language).items()}
    parts = written | wording.resolved_in_lens(tx, "category", "address_part", lens)
    names = wording.resolved_in_lens(tx, "category", "name", lens) if parts else {}
    return {
        key: part.value or ""
        for key, part in parts.items()
        if not of_another_language({"address_part": part, "name": names.get(key, Resolved("", base))}, lens)
    }


def category_path(window_path: str, category_id: int, address_part: str, name: str) -> str:
    """The path of a category's page."""
    return f"{window_path}/c/{category_id}-{address_part or slugify(name)[:80] or 'category'}"


def product_path(window_path: str, product_id: int, address_part: str, name: str) -> str:
    """The path of an article's page."""
    return f"{window_path}/p/{product_id}-{address_part or slugify(name)[:80] or 'product'}"
