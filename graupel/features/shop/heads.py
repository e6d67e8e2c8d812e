"""What the head of a page of the shop window says to search engines: title, description, addresses, structured data."""

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from graupel.core import search_preview, structured
from graupel.core.ordering import Ordering
from graupel.core.pricing import price_range
from graupel.core.products import Status
from graupel.core.reviews import MOST_STARS
from graupel.core.structured import Rating
from graupel.core.taxes import Shown
from graupel.features.categories.service import Category
from graupel.features.products.selling import Selling
from graupel.features.products.service import Product
from graupel.features.reviews.service import Beside
from graupel.features.shop.articles import Article
from graupel.features.shop.menus import Menu
from graupel.features.shop.service import Shelf, ShownProduct
from graupel.features.shop.windows import Window

#: Search engines show less; other programs that show a link take more.
MOST_OF_A_DESCRIPTION = 320


@dataclass(frozen=True)
class Head:
    """``paths``: of the page, by language; ``described``: JSON-LD; ``kind``, ``picture``: of the page, as the Open
    Graph protocol tells them to programs that show a link."""

    title: str
    description: str
    canonical: str
    paths: Mapping[str, str]
    described: list[dict[str, Any]]
    is_found: bool = True
    kind: str = "website"
    picture: str = ""


def _short(text: str) -> str:
    if len(text) <= MOST_OF_A_DESCRIPTION:
        return text
    return text[: MOST_OF_A_DESCRIPTION - 2].rsplit(" ", 1)[0] + " …"


def _way(address: str, menu: Menu, way: list[Category], last: tuple[str, str]) -> list[dict[str, Any]]:
    """The way to the page, where anything stands above it."""
    steps = [(one.name, _whole(address, menu.path_of(one))) for one in way if menu.has_page(one)]
    return [structured.way([*steps, last])] if steps else []


def _whole(address: str, path: str) -> str:
    return address + path if path.startswith("/") else path


def of_shelf(address: str, window: Window, shelf: Shelf, title: str, after: int) -> Head:
    """A category's page, a page of text, or what is new; ``title``: its heading."""
    values, menu, category = shelf.values, shelf.menu, shelf.category
    path = shelf.paths[window.seen.language]
    here = values.canonical or address + path + (f"?after={after}" if after else "")
    copy = search_preview.summary(values.meta_description, "", values.description)
    if not category:
        copy = f"{title}: {', '.join(one.name for one in menu.roots)}" if menu.roots else ""
    goods = [shelf.lead, *shelf.goods] if shelf.lead else shelf.goods
    links = [address + one["path"] for one in goods]
    way = _way(address, menu, menu.way(category.id)[:-1], (title, here)) if category else []
    return Head(
        values.meta_title or title,
        _short(copy),
        here,
        shelf.paths,
        [structured.shelf(title, here, _short(copy), links), *way],
    )


def of_article(
    address: str, window: Window, found: ShownProduct, article: Article, menu: Menu, judged: Beside | None = None
) -> Head:
    """An article's page, in one of its variants or in all of them."""
    product, paths = found.product, found.paths
    values = product.values
    here = values.canonical or address + article.path
    copy = _short(search_preview.summary(values.meta_description, article.short_text, values.description))
    return Head(
        values.meta_title or values.name,
        copy,
        here,
        paths,
        [
            structured.article(_said(address, window, product, article, copy, found.selling, judged)),
            *_way(address, menu, menu.way(values.category_id), (values.name, here)),
        ],
        is_found=values.status is Status.LIVE,
        kind="product",
        picture=next((address + one.file.link("page", one.name) for one in article.views if one.file.is_picture), ""),
    )


def _quantities(rules: Ordering | None) -> tuple[Decimal, Decimal | None] | None:
    return None if rules is None or rules.is_plain else (rules.least, rules.most)


def _rating(judged: Beside | None) -> Rating | None:
    if judged is None or judged.mean is None:
        return None
    newest = [(one["name"], one["stars"], one["said"], one["lang"]) for one in judged.reviews]
    return Rating(judged.mean, MOST_STARS, judged.count, newest)


def _said(
    address: str,
    window: Window,
    product: Product,
    article: Article,
    copy: str,
    selling: Selling,
    judged: Beside | None,
) -> structured.Said:
    of_all = product.varies and not article.sku
    offer = article.offer
    prices = article.prices if of_all else price_range([offer.price if offer else None])
    for_sale = [one for one in product.for_sale if of_all or one.id == article.variant_id]
    return structured.Said(
        address=address + article.path + (f"?v={article.variant_id}" if article.variant_id and product.varies else ""),
        name=article.name,
        description=copy,
        brand=product.values.brand,
        sku=article.sku,
        gtin=article.gtin or "",
        pictures=[address + view.file.link("page", view.name) for view in article.views if view.file.is_picture],
        facts=article.facts,
        low=prices.low,
        high=prices.high,
        currency=window.shop.currency,
        offers=len(for_sale),
        availability=structured.best(structured.availability(selling.sells[one.id]) for one in for_sale),
        starts=structured.starts(article.sells) if article.sells else None,
        sent=article.arrival.sent,
        carriage=article.arrival.cost,
        quantities=_quantities(selling.ordering.get(article.variant_id or 0)),
        is_group=of_all,
        group=product.values.code if product.varies else "",
        differs_by=[axis.attribute.name for axis in product.axes],
        was=offer.was if offer else None,
        until=offer.until if offer else None,
        unit=(offer.unit.amount, offer.unit.per) if offer and offer.unit else None,
        rating=_rating(judged),
        taxed=offer is None or not offer.tax_note or window.terms.tax_shown is not Shown.WITHOUT,
    )
