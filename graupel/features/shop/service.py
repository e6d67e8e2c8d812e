"""What a buyer sees: one shop in one language."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal
from typing import Any

from graupel.context import Context
from graupel.core import products as product_rules
from graupel.core.attributes import read_by
from graupel.core.categories import CategoryKind, CategoryValues, Layout
from graupel.core.errors import NotFound
from graupel.core.facets import Ids
from graupel.core.products import Status
from graupel.core.resolve import (
    Lens,
    Level,
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
from graupel.features.categories.service import Category
from graupel.features.delivery import service as deliveries
from graupel.features.delivery.service import Delivering
from graupel.features.media import service as media
from graupel.features.media.service import Media
from graupel.features.products import asking, picture_store, resolving, selling, table_store
from graupel.features.products import pictures as product_pictures
from graupel.features.products import service as products
from graupel.features.products.asking import Asking
from graupel.features.products.selling import Selling
from graupel.features.products.service import Product
from graupel.features.shop import menus, offers, price_filter
from graupel.features.shop.menus import Menu
from graupel.features.shop.price_filter import Span
from graupel.features.shop.windows import Window
from graupel.features.vocabulary import service as vocabulary
from graupel.features.wording import service as wording

SHELF = 48
#: A filter with fewer choices among the goods narrows nothing.
LEAST_CHOICES = 2


# --- shelves -------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Narrowed:
    """What a buyer chose: choices of attributes, only what can be had, from which price to which."""

    chosen: tuple[int, ...] = ()
    only_had: bool = False
    span: Span = field(default_factory=Span)


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
    some_cannot_be_had: bool = False
    narrowed: Narrowed = field(default_factory=Narrowed)
    has_prices: bool = False

    @property
    def is_narrowed(self) -> bool:
        """Whether a buyer chose anything."""
        return bool(self.chosen or self.narrowed.only_had or self.narrowed.span)

    @property
    def address(self) -> str:
        """What was chosen as the beginning of an address's query, with an ampersand at its end; "" for nothing."""
        span = self.narrowed.span
        said = {
            "f": ".".join(map(str, self.chosen)),
            "had": "yes" if self.narrowed.only_had else "",
            "low": "" if span.low is None else f"{span.low:.2f}",
            "high": "" if span.high is None else f"{span.high:.2f}",
        }
        return "".join(f"{name}={text}&" for name, text in said.items() if text)


def shelf(
    ctx: Context,
    shown: Window,
    category_id: int | None,
    after: int = 0,
    narrowed: Narrowed | None = None,
) -> Shelf:
    """Live goods of a category and all below it, or of the whole shop. Raises NotFound."""
    asked = narrowed or Narrowed()
    found = menus.menu(ctx, shown)
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
        groups = _groups(words, asked.chosen)
        can_be_had = assortments.set_of(ctx, tx, {"had": ("yes",)}, goods)
        some_cannot = len(can_be_had) < len(goods)
        goods = can_be_had if asked.only_had else goods
        goods = price_filter.within(ctx, tx, shown, goods, asked.span) if asked.span else goods
        left = goods
        for group in groups.values():
            left = assortments.set_of(ctx, tx, {"fact": group}, left)
        known_by = (shown.shop.id, shown.shop.version, replace(asked, chosen=tuple(sorted(asked.chosen))))
        ids = assortments.shelf(ctx, tx, category_id, left, known_by)
        layout = values.layout if category else Layout.GRID
        lead_id = _lead(values, asked, ids) if layout is Layout.LEAD else None
        rest = _behind_lead(ids, lead_id, after)
        lead_id = lead_id if not after else None
        found_rows = rows(ctx, tx, shown, ([lead_id] if lead_id else []) + rest[:SHELF], can_be_had)
        filters = [] if layout is Layout.LEAD else _filters(ctx, tx, words, goods, groups)
        return Shelf(
            found,
            category,
            values,
            picture,
            layout,
            found_rows[0] if lead_id and found_rows else None,
            found_rows[1:] if lead_id else found_rows,
            filters,
            tuple(one for group in groups.values() for one in group),
            after + SHELF if len(rest) > SHELF else None,
            _facts(words, values, shown),
            paths,
            some_cannot or asked.only_had,
            asked,
            len(goods) >= LEAST_CHOICES or bool(asked.span),
        )

    return ctx.db.run(work)


def _lead(values: CategoryValues, asked: Narrowed, ids: Sequence[int]) -> int | None:
    """Which of the goods stands large."""
    lead = values.lead_product_id if not asked.chosen else None
    return lead if lead in ids else next(iter(ids), None)


def _behind_lead(ids: Sequence[int], lead_id: int | None, after: int) -> list[int]:
    """A page and one more of the goods without the one that stands large on the first, behind so many of them."""
    first = after + (lead_id is not None and ids.index(lead_id) < after)
    return [one for one in ids[first : first + SHELF + 2] if one != lead_id][: SHELF + 1]


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
        paths[code] = menus.category_path(one.path, category.id, values.address_part, values.name)
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


def words_of(row: Mapping[str, Any], own: Mapping[str, str], lens: Lens) -> dict[str, str]:
    """Name, short text and address of a shelf's row through a lens. ``own``: what is written for places by key."""
    where = places(lens, (Level.PRODUCT,), worded=True)
    found = {
        name: resolve({ValuePlace(Level.PRODUCT): row[name]} | places_of(own, name, Level.PRODUCT), where)
        for name in ("name", "short_text", "address_part")
    }
    left_out = of_another_language(found, lens)
    return {name: "" if name in left_out else one.value or "" for name, one in found.items()}


def rows(ctx: Context, tx: Tx, shown: Window, ids: Sequence[int], can_be_had: Ids) -> list[dict[str, Any]]:
    """What a shelf shows of products: paths, words, prices and pictures through the lens."""
    lens = shown.lens
    lang = ctx.settings.language
    own = wording.of_records(tx, "product", ids) if not lens.is_default else {}
    shelf_rows = table_store.shelf_rows(tx, ids, lang)
    priced = offers.shelves(ctx, tx, shown, [row["tax_class_id"] for row in shelf_rows])
    classes = {row["id"]: row["tax_class_id"] for row in shelf_rows}
    prices: dict[int, list[Decimal]] = {}
    reduced: set[int] = set()
    hidden = selling.hidden_of(tx, ids)
    for row in resolving.variants(tx, lens, ("price", resolving.ASKED), lang, ids).rows if ids else ():
        key = row["product_id"]
        if row["asked"] is not None and row["variant_id"] not in hidden:
            prices.setdefault(key, []).append(priced.shown(row["asked"], classes[key]))
            if row["asked"] < row["price"]:
                reduced.add(key)
    pictures = picture_store.main_pictures(tx, list(ids))
    files = media.by_ids(tx, [picture["media_id"] for picture in pictures.values()])
    alts = product_pictures.main_alts(tx, pictures, lens)

    def words(row: Mapping[str, Any]) -> dict[str, str]:
        return words_of(row, {key: held.value for key, held in own.get(row["id"], {}).items()}, lens)

    def path(row: Mapping[str, Any], said: Mapping[str, str]) -> str:
        return menus.product_path(shown.path, row["id"], said["address_part"], said["name"])

    return [
        row
        | (said := words(row))
        | {
            "path": path(row, said),
            "price_low": min(prices.get(row["id"], ()), default=None),
            "price_high": max(prices.get(row["id"], ()), default=None),
            "is_reduced": row["id"] in reduced,
            "can_be_had": row["id"] in can_be_had,
            "picture": files.get(pictures[row["id"]]["media_id"]) if row["id"] in pictures else None,
            "alt": alts.get(row["id"], ""),
        }
        for row in shelf_rows
    ]


# --- one product ---------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class ShownProduct:
    """A product as the window shows it; ``paths``: of its page, by language; ``asking``: what it costs there.

    ``selling``: what sells of it; ``delivering``: how it arrives.
    """

    product: Product
    paths: Mapping[str, str]
    asking: Asking
    selling: Selling
    delivering: Delivering


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
        paths[code] = menus.product_path(one.path, product_id, seen.address_part, seen.name)
    sells = selling.read(ctx, found)
    found = selling.without_hidden(found, sells.hidden) if viewer is None else found
    asked, delivering = ctx.db.run(
        lambda tx: (asking.of(ctx, tx, found, shown.lens), deliveries.of_product(ctx, tx, found))
    )
    if shown.lens.is_default:
        return ShownProduct(found, paths, asked, sells, delivering)

    def work(tx: Tx) -> Product:
        words = vocabulary.through(ctx, tx, shown.lens, product_id)
        through = products.through(found, shown.lens, words)
        said = product_pictures.through(tx, through.values.pictures, product_id, shown.lens)
        return replace(through, values=replace(through.values, pictures=said))

    return ShownProduct(ctx.db.run(work), paths, asked, sells, delivering)
