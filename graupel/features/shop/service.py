"""What a buyer sees: one shop in one language."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any

from slugify import slugify

from graupel.context import Context
from graupel.core import languages
from graupel.core import products as product_rules
from graupel.core.attributes import read_by
from graupel.core.categories import CategoryKind, CategoryValues, Layout
from graupel.core.errors import NotFound
from graupel.core.facets import NONE, Ids
from graupel.core.products import Status
from graupel.core.resolve import (
    Lens,
    Level,
    Resolved,
    ValuePlace,
    of_another_language,
    places,
    places_of,
    resolve,
)
from graupel.core.roles import SYSTEM, Actor
from graupel.db import Tx
from graupel.features.assortments import service as assortments
from graupel.features.categories import editing
from graupel.features.categories import service as categories
from graupel.features.categories import store as category_store
from graupel.features.categories.service import Category, Tree
from graupel.features.destinations import service as destinations
from graupel.features.destinations.service import Seen, Shop
from graupel.features.history import service as history
from graupel.features.media import service as media
from graupel.features.media.service import Media
from graupel.features.products import pictures as product_pictures
from graupel.features.products import resolving, table_store
from graupel.features.products import service as products
from graupel.features.products import store as product_store
from graupel.features.products.service import Product
from graupel.features.vocabulary import service as vocabulary
from graupel.features.wording import service as wording

SHELF = 48
#: A link to a page of the shop window itself.
_WITHIN = re.compile(r"/shop/(?P<what>[cp])/(?P<id>[0-9]{1,9})(?:-[^/]*)?\Z")
#: A filter with fewer choices among the goods narrows nothing.
LEAST_CHOICES = 2


# --- which shop, in which language ---------------------------------------------------------------------------


@dataclass(frozen=True)
class Window:
    """A shop as buyers see it, in one of its languages."""

    seen: Seen
    shop: Shop

    @property
    def path(self) -> str:
        """What its addresses begin with."""
        return self.seen.shop_path

    @property
    def lens(self) -> Lens:
        """What it is seen through."""
        return self.seen.lens

    @property
    def languages(self) -> list[tuple[str, str, bool]]:
        """The languages of the shop: code, own name, and whether it is shown."""
        return [(code, languages.name(code, code), code == self.seen.language) for code in self.shop.languages]

    def in_language(self, lang: str) -> "Window":
        """The same shop in another language."""
        return replace(self, seen=replace(self.seen, lens=self.seen.all.lens(self.lens.destination, lang)))

    def in_languages(self) -> "dict[str, Window]":
        """The shop in each of its languages, by code."""
        return {code: self.in_language(code) for code in self.shop.languages}

    @property
    def shown(self) -> dict[str, Any]:
        """In which language and currency amounts are shown."""
        return {"locale": self.seen.locale, "currency": self.shop.currency, "lang": self.seen.language}


def window(ctx: Context, where: str = "") -> Window:
    """The shop and language of an address: "", "de", "outlet", "outlet.de". Raises NotFound."""

    def work(tx: Tx) -> Window:
        shops = destinations.shops(ctx, tx)
        part, _, lang = where.partition(".")
        shop = next((one for one in shops if one.address_part == part), None)
        if shop is None:
            shop, lang = shops[0], part
        if lang and lang not in shop.languages:
            raise NotFound("There is no such shop.")
        found = destinations.current(ctx, tx)
        return Window(Seen(found.lens(shop.code, lang or shop.languages[0]), found), shop)

    return ctx.db.run(work)


def window_or_first(ctx: Context, where: str) -> Window:
    """The shop and language of an address, the first shop where it names none."""
    try:
        return window(ctx, where)
    except NotFound:
        return window(ctx)


def no_window(ctx: Context) -> Window:
    """The first shop as it is where the database can't be asked."""
    shop = destinations.first(ctx)
    return Window(
        Seen(Lens(), destinations.Destinations((destinations.destination(ctx, shop),), shop.languages[0])), shop
    )


# --- the menu ------------------------------------------------------------------------------------------------


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
        return ctx.counts.get((history.stamp(tx), "menu", shown.path), lambda: make(tx))

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


# --- shelves -------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Filter:
    """An attribute by which a shelf can be narrowed: its choices with how many goods each has here."""

    label: str
    choices: list[tuple[int, str, int, bool]]


@dataclass(frozen=True)
class Shelf:
    """A page of live goods; ``after``: how many stand before the next page, None at the end."""

    menu: Menu
    category: Category | None
    values: CategoryValues
    picture: Media | None
    layout: Layout
    lead: dict[str, Any] | None
    goods: list[dict[str, Any]]
    filters: list[Filter]
    chosen: tuple[int, ...]
    after: int | None
    facts: list[tuple[str, str]]
    paths: Mapping[str, str]


def shelf(ctx: Context, shown: Window, category_id: int | None, after: int = 0, chosen: Sequence[int] = ()) -> Shelf:
    """Live goods of a category and all below it, or of the whole shop. Raises NotFound."""
    found = menu(ctx, shown)
    category = found.tree.by_id.get(category_id) if category_id else None
    if category_id and (category is None or not found.has_page(category)):
        raise NotFound("This category is empty, belongs to another shop, or is not there any more.")
    values, picture, paths = _page_of(ctx, shown, category)
    if category and category.kind is CategoryKind.PAGE:
        layout = Layout.BANNER if values.layout is Layout.LEAD else values.layout
        facts = ctx.db.run(lambda tx: _facts(vocabulary.through(ctx, tx, shown.lens), values, shown))
        return Shelf(found, category, values, picture, layout, None, [], [], (), None, facts, paths)
    wanted = found.tree.with_all_below(category_id) if category_id else list(found.tree.by_id)
    within = [one for one in wanted if found.tree.by_id[one].shown]

    def work(tx: Tx) -> Shelf:
        words = vocabulary.through(ctx, tx, shown.lens)
        goods = assortments.shown_in(ctx, tx, shown.shop)
        goods = assortments.set_of(ctx, tx, {"category": within}, goods) if category or shown.shop.shows_all else goods
        groups = _groups(words, chosen)
        narrowed = goods
        for group in groups.values():
            narrowed = assortments.set_of(ctx, tx, {"fact": group}, narrowed)
        known_by = (shown.shop.id, shown.shop.version, tuple(sorted(chosen)))
        ids = assortments.shelf(ctx, tx, category_id, narrowed, known_by)
        layout = values.layout if category else Layout.GRID
        lead = values.lead_product_id if layout is Layout.LEAD and not chosen and not after else None
        lead_id = lead if lead in ids else ids[0] if ids and layout is Layout.LEAD and not after else None
        rest = [one for one in ids if one != lead_id][after : after + SHELF + 1]
        rows = _rows(ctx, tx, shown.lens, ([lead_id] if lead_id else []) + rest[:SHELF])
        filters = [] if layout is Layout.LEAD else _filters(ctx, tx, words, goods, groups)
        return Shelf(
            found,
            category,
            values,
            picture,
            layout,
            rows[0] if lead_id and rows else None,
            rows[1:] if lead_id else rows,
            filters,
            tuple(one for group in groups.values() for one in group),
            after + SHELF if len(rest) > SHELF else None,
            _facts(words, values, shown),
            paths,
        )

    return ctx.db.run(work)


def _facts(words: vocabulary.Vocabulary, values: CategoryValues, shown: Window) -> list[tuple[str, str]]:
    """The merchant's own fields of a category in words."""
    return [
        (words.attributes[key].name, read_by(words.attributes[key], fact, shown.seen.locale))
        for key, fact in values.facts.items()
        if key in words.attributes
    ]


def _page_of(
    ctx: Context, shown: Window, category: Category | None
) -> tuple[CategoryValues, Media | None, dict[str, str]]:
    """What the category's page says through a lens, and its paths by language."""
    if category is None:
        return CategoryValues(), None, {code: one.path for code, one in shown.in_languages().items()}
    detail = editing.read(ctx, SYSTEM, category.id)
    paths = {}
    for code, one in shown.in_languages().items():
        values = editing.seen(detail.values, detail.own, one.lens)
        paths[code] = category_path(one.path, category.id, values.address_part, values.name)
    return editing.seen(detail.values, detail.own, shown.lens), detail.picture, paths


def _groups(words: vocabulary.Vocabulary, chosen: Sequence[int]) -> dict[int, list[int]]:
    """Chosen choices by attribute: any of one, and of each."""
    owners = {choice.id: a.id for a in words.attributes.values() for choice in a.choices}
    groups: dict[int, list[int]] = {}
    for choice_id in chosen:
        if choice_id in owners:
            groups.setdefault(owners[choice_id], []).append(choice_id)
    return groups


def _filters(
    ctx: Context, tx: Tx, words: vocabulary.Vocabulary, goods: Ids, groups: Mapping[int, list[int]]
) -> list[Filter]:
    """The attributes that the goods differ in, each counted under what is chosen in the others."""
    found = []
    for attribute in words.attributes.values():
        everywhere = assortments.choices_within(ctx, tx, goods, [choice.id for choice in attribute.choices])
        there = [choice for choice in attribute.choices if choice.id in everywhere]
        if len(there) < LEAST_CHOICES:
            continue
        around = goods
        for key, group in groups.items():
            around = assortments.set_of(ctx, tx, {"fact": group}, around) if key != attribute.id else around
        counts = assortments.choices_within(ctx, tx, around, everywhere) if groups else everywhere
        chosen = groups.get(attribute.id, [])
        found.append(Filter(attribute.name, [(c.id, c.label, counts.get(c.id, 0), c.id in chosen) for c in there]))
    return found


def _rows(ctx: Context, tx: Tx, lens: Lens, ids: Sequence[int]) -> list[dict[str, Any]]:
    """What a shelf shows of products: words, prices and pictures through the lens."""
    lang = ctx.settings.language
    own = wording.of_records(tx, "product", ids) if not lens.is_default else {}
    prices: dict[int, list[Decimal]] = {}
    for row in resolving.variants(tx, lens, ("price",), lang, ids).rows if ids else ():
        if row["price"] is not None:
            prices.setdefault(row["product_id"], []).append(row["price"])
    pictures = product_store.main_pictures(tx, list(ids))
    files = media.by_ids(tx, [picture["media_id"] for picture in pictures.values()])
    alts = product_pictures.main_alts(tx, pictures, lens)
    where = places(lens, (Level.PRODUCT,), worded=True)

    def words(row: Mapping[str, Any]) -> dict[str, str]:
        values = {key: held.value for key, held in own.get(row["id"], {}).items()}
        found = {
            name: resolve({ValuePlace(Level.PRODUCT): row[name]} | places_of(values, name, Level.PRODUCT), where)
            for name in ("name", "short_text", "address_part")
        }
        left_out = of_another_language(found, lens)
        return {name: "" if name in left_out else one.value or "" for name, one in found.items()}

    return [
        row
        | words(row)
        | {
            "price_low": min(prices.get(row["id"], ()), default=None),
            "price_high": max(prices.get(row["id"], ()), default=None),
            "picture": files.get(pictures[row["id"]]["media_id"]) if row["id"] in pictures else None,
            "alt": alts.get(row["id"], ""),
        }
        for row in table_store.shelf_rows(tx, ids, lang)
    ]


# --- one product ---------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class ShownProduct:
    """A product as the window shows it; ``paths``: of its page, by language."""

    product: Product
    paths: Mapping[str, str]


def product(ctx: Context, shown: Window, product_id: int, viewer: Actor | None) -> ShownProduct:
    """A live product of the shop's assortment; for those signed in, any. Raises NotFound."""
    found = products.read(ctx, SYSTEM, product_id)
    if viewer is None:
        is_shown = ctx.db.run(lambda tx: assortments.is_shown(ctx, tx, shown.shop, product_id))
        if found.values.status is not Status.LIVE or not is_shown:
            raise NotFound("This article is not for sale any more.")
    paths = {}
    for code, one in shown.in_languages().items():
        seen = product_rules.seen(found.values, one.lens)
        paths[code] = product_path(one.path, product_id, seen.address_part, seen.name)
    if shown.lens.is_default:
        return ShownProduct(found, paths)

    def work(tx: Tx) -> Product:
        words = vocabulary.through(ctx, tx, shown.lens, product_id)
        through = products.through(found, shown.lens, words)
        said = product_pictures.through(tx, through.values.pictures, product_id, shown.lens)
        return replace(through, values=replace(through.values, pictures=said))

    return ShownProduct(ctx.db.run(work), paths)
