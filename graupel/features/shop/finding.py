"""A search in the shop window, with the same forgiving as the table's; and the site's map for search engines.

The map follows the protocol of sitemaps.org 0.9, in parts, with the other languages of each page beside it.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from xml.etree.ElementTree import Element, SubElement, tostring

from graupel.context import Context
from graupel.core.errors import NotFound
from graupel.core.facets import NONE, Ids
from graupel.core.roles import Actor, Role
from graupel.core.tables import search_words
from graupel.core.words import all_begin
from graupel.db import Tx
from graupel.features.assortments import service as assortments
from graupel.features.categories import service as categories
from graupel.features.products import table, table_store
from graupel.features.shop import menus, search_store, service
from graupel.features.shop.search_store import UnfoundRow
from graupel.features.shop.service import SHELF
from graupel.features.shop.windows import Window
from graupel.features.wording import service as wording

#: A part of the map has so many articles.
IN_PART = 2_000
UNFOUND = 200


@dataclass(frozen=True)
class Found:
    """What a search found. ``instead``: words by which it was found; ``after``: where the next page begins."""

    typed: str
    rows: Sequence[dict[str, Any]] = ()
    total: int = 0
    instead: Sequence[str] = ()
    after: int | None = None


def search(ctx: Context, window: Window, typed: str, after: int) -> Found:
    """The goods of a shop that fit a text, the newest first."""

    def work(tx: Tx) -> Found:
        hits, instead = table.searched(ctx, tx, typed, window.lens)
        if hits is None:
            return Found(typed)
        shown = assortments.shown_in(ctx, tx, window.shop)
        goods = (hits | _in_categories(ctx, tx, window, typed)) & shown
        ids = assortments.shelf(ctx, tx, None, goods, None)
        page = ids[after : after + SHELF]
        can_be_had = assortments.set_of(ctx, tx, {"had": ("yes",)}, goods)
        rows = service.rows(ctx, tx, window, list(page), can_be_had)
        return Found(
            typed, rows, len(ids), instead if rows else (), after + SHELF if len(ids) > after + SHELF else None
        )

    return ctx.db.look(work)


def _in_categories(ctx: Context, tx: Tx, window: Window, typed: str) -> Ids:
    """The goods of categories, and of those below them, that are searched by a text: in the words of the lens, or in
    those for everywhere."""
    words = search_words(typed)
    if words is None or not words.words:
        return NONE
    said = categories.search_words(ctx, tx)
    own = wording.in_lens(tx, "category", "search_words", window.lens) if window.lens.lang else {}
    ids = [key for key in {*said, *own} if all_begin(words.words, own.get(key) or said.get(key, ""))]
    if not ids:
        return NONE
    tree = categories.current(ctx, tx)
    below = {one for key in ids if key in tree.by_id for one in tree.with_all_below(key)}
    return assortments.set_of(ctx, tx, {"category": below})


def note_unfound(ctx: Context, window: Window, typed: str) -> None:
    """Keep for the merchant what was searched and not found."""
    words = " ".join(typed.casefold().split())[:100]
    if not words or search_words(words) is None:
        return

    def work(tx: Tx) -> None:
        search_store.note(tx, window.shop.code, window.seen.language, words, ctx.now(tx).replace(tzinfo=None))

    ctx.db.run(work)


def unfound(ctx: Context, actor: Actor) -> list[UnfoundRow]:
    """What was searched and not found, the most wanted first."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: search_store.unfound(tx, UNFOUND))


def take_away(ctx: Context, actor: Actor, ids: Sequence[int]) -> None:
    """Take lines away that were seen to."""
    actor.require(Role.EDITOR)
    ctx.db.run(lambda tx: search_store.take_away(tx, ids))


# --- the map -------------------------------------------------------------------------------------------------

_SITE_MAP = "http://www.sitemaps.org/schemas/sitemap/0.9"


def parts(ctx: Context, window: Window) -> bytes:
    """The index of the map: the part of categories, 0, and those of articles."""
    count = ctx.db.run(lambda tx: len(assortments.shown_in(ctx, tx, window.shop)))
    address = ctx.settings.address + window.in_language(window.shop.languages[0]).path
    places = [f"{address}/sitemap/{number}.xml" for number in range(1 + -(-count // IN_PART))]
    root = Element("sitemapindex", xmlns=_SITE_MAP)
    for one in places:
        SubElement(SubElement(root, "sitemap"), "loc").text = one
    return _written(root)


def part(ctx: Context, window: Window, number: int) -> bytes:
    """One part of the map. Raises NotFound."""
    pages = ctx.db.look(lambda tx: _categories(ctx, window) if number == 0 else _articles(ctx, tx, window, number))
    if not pages and number:
        raise NotFound("There is no such part of the map.")
    root = Element("urlset", {"xmlns": _SITE_MAP, "xmlns:xhtml": "http://www.w3.org/1999/xhtml"})
    for paths in pages:
        _add_page(SubElement(root, "url"), ctx.settings.address, paths, window.shop.languages[0])
    return _written(root)


def _add_page(url: Element, address: str, paths: dict[str, str], first: str) -> None:
    SubElement(url, "loc").text = address + (paths.get(first) or next(iter(paths.values())))
    for lang, path in paths.items() if len(paths) > 1 else ():
        SubElement(url, "xhtml:link", rel="alternate", hreflang=lang, href=address + path)


def _written(root: Element) -> bytes:
    found: bytes = tostring(root, encoding="utf-8", xml_declaration=True)
    return found


def _categories(ctx: Context, window: Window) -> list[dict[str, str]]:
    """The window's first page, and those of its categories, by language."""
    found: dict[int, dict[str, str]] = {0: {}}
    for lang, one in window.in_languages().items():
        menu = menus.menu(ctx, one)
        found[0][lang] = one.path
        for category in menu.tree.by_id.values():
            path = menu.path_of(category) if menu.has_page(category) else ""
            if path.startswith("/"):
                found.setdefault(category.id, {})[lang] = path
    return list(found.values())


def _articles(ctx: Context, tx: Tx, window: Window, number: int) -> list[dict[str, str]]:
    shown = assortments.shown_in(ctx, tx, window.shop)
    ids = list(shown[(number - 1) * IN_PART : number * IN_PART])
    if not ids:
        return []
    own = wording.of_records(tx, "product", ids)
    pages = []
    for row in table_store.shelf_rows(tx, ids, ctx.settings.language):
        values = {key: held.value for key, held in own.get(row["id"], {}).items()}
        paths = {}
        for lang, one in window.in_languages().items():
            said = service.words_of(row, values, one.lens)
            paths[lang] = menus.product_path(one.path, row["id"], said["address_part"], said["name"])
        pages.append(paths)
    return pages
