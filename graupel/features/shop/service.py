"""What a buyer sees: one shop in one language."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any

from slugify import slugify

from graupel.context import Context
from graupel.core import languages
from graupel.core.attributes import show_fact
from graupel.core.categories import CategoryKind, CategoryValues, Layout
from graupel.core.errors import NotFound
from graupel.core.facets import NONE, Ids
from graupel.core.products import Status
from graupel.core.resolve import Lens, Level, ValuePlace, places, places_of, resolve
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
#: A filter with fewer choices among the goods narrows nothing.
LEAST_CHOICES = 2


# --- which shop, in which language ---------------------------------------------------------------------------


@dataclass(frozen=True)
class Window:
    """A shop as buyers see it. ``path``: what its addresses begin with; ``ways``: to its other languages."""

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

    def path_in(self, lang: str) -> str:
        """What its addresses begin with in another language."""
        return replace(self.seen, lens=self.seen.all.lens(self.lens.destination, lang)).shop_path

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


# --- the menu ------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Menu:
    """The categories of a shop that have live goods, in or below them, and how many."""

    tree: Tree
    trees: Sequence[int]
    counts: Mapping[int, int]
    addresses: Mapping[int, str]
    path: str

    def path_of(self, category: Category) -> str:
        """Where a category of the menu leads."""
        if category.kind is CategoryKind.LINK:
            return self.path + category.link[5:] if category.link.startswith("/shop/") else category.link
        part = self.addresses.get(category.id) or slugify(category.name)[:80] or "category"
        return f"{self.path}/c/{category.id}-{part}"

    @property
    def roots(self) -> list[Category]:
        """The first level."""
        return [one for one in self.tree.tops(self.trees[0]) if self._is_open(one)] if self.trees else []

    def below(self, category: Category) -> list[Category]:
        """The categories just below one."""
        return [one for one in self.tree.children(category) if self._is_open(one)]

    def _is_open(self, category: Category) -> bool:
        """Whether buyers find it in the navigation: a link always, others with goods in or below them."""
        if not (category.shown and category.in_navigation):
            return False
        is_there = category.kind is CategoryKind.LINK or bool(self.counts.get(category.id))
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
        return Menu(tree, tree.of_shop(shown.shop.id), counts, _addresses(ctx, tx, shown.lens), shown.path)

    def work(tx: Tx) -> Menu:
        return ctx.counts.get((history.stamp(tx), "menu", shown.path), lambda: make(tx))

    return ctx.db.run(work)


def _addresses(ctx: Context, tx: Tx, lens: Lens) -> dict[int, str]:
    langs = [lang for lang in lens.chain if lang]
    written = category_store.addresses(tx, ctx.settings.language) if not lens.lang else {}
    return written | wording.in_languages(tx, "category", "address_part", langs)


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


def shelf(ctx: Context, shown: Window, category_id: int | None, after: int = 0, chosen: Sequence[int] = ()) -> Shelf:
    """Live goods of a category and all below it, or of the whole shop. Raises NotFound."""
    found = menu(ctx, shown)
    category = found.tree.by_id.get(category_id) if category_id else None
    if category_id and (category is None or not category.shown or not found.counts.get(category_id)):
        raise NotFound("This category is empty or not there any more.")
    if category and category.tree_id not in found.trees:
        raise NotFound("This category belongs to another shop.")
    values, picture = _page_of(ctx, shown.lens, category)
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
            [
                (words.attributes[key].name, show_fact(words.attributes[key], fact, locale=shown.seen.locale))
                for key, fact in values.facts.items()
                if key in words.attributes
            ],
        )

    return ctx.db.run(work)


def _page_of(ctx: Context, lens: Lens, category: Category | None) -> tuple[CategoryValues, Media | None]:
    """What the category's page says through a lens."""
    if category is None:
        return CategoryValues(), None
    detail = editing.read(ctx, SYSTEM, category.id)
    return editing.seen(detail.values, detail.own, lens), detail.picture


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
        return {
            name: resolve({ValuePlace(Level.PRODUCT): row[name]} | places_of(values, name, Level.PRODUCT), where).value
            or ""
            for name in ("name", "short_text", "address_part")
        }

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


def product(ctx: Context, shown: Window, product_id: int, viewer: Actor | None) -> Product:
    """A live product of the shop's assortment; for those signed in, any. Raises NotFound."""
    found = products.read(ctx, SYSTEM, product_id)
    if viewer is None:
        is_shown = ctx.db.run(lambda tx: assortments.is_shown(ctx, tx, shown.shop, product_id))
        if found.values.status is not Status.LIVE or not is_shown:
            raise NotFound("This article is not for sale any more.")
    if shown.lens.is_default:
        return found

    def work(tx: Tx) -> Product:
        words = vocabulary.through(ctx, tx, shown.lens, product_id)
        through = products.through(found, shown.lens, words)
        said = product_pictures.through(tx, through.values.pictures, product_id, shown.lens)
        return replace(through, values=replace(through.values, pictures=said))

    return ctx.db.run(work)
