"""One article as a buyer sees it: in one of its variants, with the ways to the others."""

from dataclasses import dataclass
from decimal import Decimal

from graupel.context import Context
from graupel.core.attributes import Choice, read_by
from graupel.core.availability import Sells
from graupel.core.pictures import Picture
from graupel.core.pricing import PriceRange
from graupel.core.resolve import OF_VARIANT, Level, ValuePlace, inherited, places, places_of, resolve
from graupel.core.variants import Axis
from graupel.features.media.service import Media
from graupel.features.products.selling import Selling
from graupel.features.products.service import Product, Variant
from graupel.features.shop import arrival, availability_words, offers
from graupel.features.shop.offers import Offer
from graupel.features.shop.service import ShownProduct
from graupel.features.shop.windows import Window
from graupel.features.variants import service as variants


@dataclass(frozen=True)
class Way:
    """A choice of an axis, the variant it leads to, None where there is none for sale, and whether that can be had."""

    label: str
    swatch: str | None
    swatch_picture: str | None
    variant: int | None
    is_chosen: bool
    can_be_had: bool = True


@dataclass(frozen=True)
class Ways:
    """An axis with its choices. ``chosen``: the label of the shown variant's, if one is shown."""

    name: str
    chosen: str
    choices: list[Way]


@dataclass(frozen=True)
class ArticleView:
    """A picture, video, model or link of the article, and the name under which it is delivered."""

    file: Media
    said: Picture
    name: str


@dataclass(frozen=True)
class Article:
    """What stands on the page beside the product's own copy and pictures."""

    path: str
    variant_id: int | None
    name: str
    short_text: str
    offer: Offer | None
    prices: PriceRange
    tax_note: str
    weight_g: int | None
    origin_country: str | None
    sku: str
    gtin: str | None
    stock_words: str
    order_words: list[str]
    sells: Sells | None
    arrival: arrival.Told
    facts: list[tuple[str, str]]
    ways: list[Ways]
    views: list[ArticleView]


def article(ctx: Context, found: ShownProduct, variant_id: int, window: Window) -> Article:
    """The article in the variant that is asked for; of one that does not vary, in its only one."""
    product = found.product
    shown = next((v for v in product.for_sale if v.id == variant_id), None)
    if not product.varies and product.for_sale:
        shown = product.for_sale[0]
    base = product.values
    texts = _texts(ctx, product, shown, window) if shown and product.varies else {}
    sells = found.selling.sells.get(shown.id) if shown else None
    offer = _offer(ctx, window, found, shown) if shown else None
    return Article(
        found.paths[window.seen.language],
        shown.id if shown else None,
        texts.get("name") or base.name,
        texts.get("short_text") or base.short_text,
        offer,
        offers.of_all(window, found.asking),
        offers.tax_note(found.asking.taxing, window.terms.tax_shown, window.seen.language),
        inherited(shown.weight_g, base.weight_g) if shown else base.weight_g,
        inherited(shown.origin_country, base.origin_country) if shown else base.origin_country,
        shown.sku if shown else "",
        shown.gtin if shown else None,
        availability_words.stock(sells, window.seen),
        availability_words.ordering(found.selling.ordering.get(shown.id), window.seen) if shown else [],
        sells,
        arrival.of_variant(ctx, window, found, shown, offer, sells) if shown else arrival.Told(),
        _facts(product, window.seen.locale),
        [_ways(product, place, axis, shown, found.selling) for place, axis in enumerate(product.axes)],
        _views(product, shown),
    )


def _offer(ctx: Context, window: Window, found: ShownProduct, shown: Variant) -> Offer | None:
    """The price of the shown variant: what it is made of stands with the product as it is kept."""
    kept = next(one for one in found.asking.product.variants if one.id == shown.id)
    list_price: Decimal | None = inherited(shown.list_price, found.product.values.list_price)
    return offers.of_variant(ctx, window, found.asking, kept, list_price)


def _texts(ctx: Context, product: Product, shown: Variant, window: Window) -> dict[str, str]:
    """The variant's own words through the lens, where they are nearer than its product's."""
    where = places(window.lens, OF_VARIANT, worded=True)
    found = {}
    for name, text in variants.texts_of(ctx, shown.id).items():
        held = {ValuePlace(Level.VARIANT): text} | places_of(shown.own, name, Level.VARIANT)
        held |= places_of(product.values.own, name, Level.PRODUCT)
        found[name] = resolve(held, where).value or ""
    return found


def _views(product: Product, shown: Variant | None) -> list[ArticleView]:
    """What the shown variant shows; where none is chosen, all that the product has."""
    said, names = product.values.pictures, product.picture_names
    places = product.picture_places(shown) if shown else range(len(said))
    return [ArticleView(product.pictures[place], said[place], names[place]) for place in places]


def _facts(product: Product, locale: str) -> list[tuple[str, str]]:
    """The facts of its type, and its private ones; empty ones, and those set aside, are left out."""
    words = product.vocabulary
    if words is None:
        return []
    kind = product.type
    named = [one.attribute for one in kind.attributes] if kind else list(words.attributes.values())
    own = [a for a in words.attributes.values() if a.product_id and a not in named]
    facts = product.values.facts
    return [
        (a.name, read_by(a, facts[a.id], locale))
        for a in [*named, *own]
        if a.id in facts and a.id not in product.differs_by
    ]


def _ways(product: Product, place: int, axis: Axis, shown: Variant | None, selling: Selling) -> Ways:
    """Each choice leads to the variant that shares most with the one that is shown."""

    def nearest(choice_id: int) -> int | None:
        having = [v for v in product.for_sale if v.combination[place] == choice_id]
        if not having:
            return None
        if shown is None:
            return next((v.id for v in having if selling.sells[v.id].can_be_had), having[0].id)
        wanted = shown.combination
        return max(having, key=lambda v: sum(a == b for a, b in zip(v.combination, wanted, strict=True))).id

    def way(choice: Choice) -> Way:
        to = nearest(choice.id)
        can_be_had = to is not None and selling.sells[to].can_be_had
        return Way(choice.label, choice.swatch, choice.swatch_picture, to, choice.id == chosen, can_be_had)

    chosen = shown.combination[place] if shown else None
    ways = [way(one) for one in axis.choices]
    return Ways(axis.attribute.name, next((c.label for c in axis.choices if c.id == chosen), ""), ways)
