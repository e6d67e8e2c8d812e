"""The mirror: what the shop will show of what is typed at this moment, what is missing, and hints about the copy."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any

from slugify import slugify

from graupel.context import Context
from graupel.core import copywriting, pricing, product_fields, product_types, readiness, richtext, search_preview
from graupel.core import pictures as picture_rules
from graupel.core import products as rules
from graupel.core.attributes import read_by
from graupel.core.contents import UnitPrice
from graupel.core.copywriting import Length
from graupel.core.pictures import Picture
from graupel.core.pricing import PriceRange, Prices, price_range
from graupel.core.product_types import ProductType
from graupel.core.products import ProductValues
from graupel.core.quoting import Quote
from graupel.core.readiness import Finding, PictureFacts
from graupel.core.resolve import inherited
from graupel.core.search_preview import Preview
from graupel.core.showing import plural
from graupel.features.categories import service as categories
from graupel.features.categories.service import Category
from graupel.features.destinations.service import Seen
from graupel.features.media.service import Media
from graupel.features.products import asking, lensing, selling, skus
from graupel.features.products import pictures as product_pictures
from graupel.features.products.asking import Asking
from graupel.features.products.selling import Above
from graupel.features.products.service import Product, Variant
from graupel.features.vocabulary import service as vocabulary


@dataclass(frozen=True)
class Look:
    """The mirror. ``values``: as the lens shows them, ``written``: as they are kept.

    ``hints``: field -> what would read better; ``lengths``: field -> beside the wanted range.

    ``prices``: what is asked now, ``regular``: without sales; ``quotes``: by variant, under 0 of what has none yet.

    ``sells``: what sells, in sentences; ``rules_above``: of each rule of selling what holds where the product says
    nothing, and who says it.

    ``alts``: by the id of each picture in the form, an alt text that would do; ``without_alt``: how many have none.
    """

    values: ProductValues
    written: ProductValues
    picture: tuple[Media, str] | None
    alts: dict[int, str]
    without_alt: int
    prices: PriceRange
    regular: PriceRange
    quotes: Mapping[int, Quote]
    asking: Asking
    margin: str
    markup: str
    unit_price: UnitPrice | None
    facts: list[tuple[str, str]]
    findings: list[Finding]
    lengths: dict[str, Length]
    hints: dict[str, list[str]]
    preview: Preview
    sells: list[str]
    rules_above: Mapping[str, Above]
    has_locations: bool

    @property
    def is_reduced(self) -> bool:
        """Whether a sale makes any of it cheaper now."""
        return any(quote.is_reduced for quote in self.quotes.values())


def look(
    ctx: Context,
    fields: Mapping[str, Any],
    pictures: Sequence[tuple[Media, Picture]],
    product: Product | None,
    seen: Seen,
) -> Look:
    """The mirror of what stands in the form, as the destination and language of the lens show it."""
    words = vocabulary.seen(ctx, seen.lens, product.id if product else None)
    start, currencies = product.values if product else None, seen.all.currencies
    written = product_fields.read(fields, ctx.settings.currency, start, words.attributes, currencies).values
    values = rules.seen(written, seen.lens)
    kind = words.type_of(values.type_id)
    differs_by = product.differs_by if product else ()
    measured = product_pictures.facts(pictures)
    missing = product_types.lacking(kind, values.facts, differs_by)
    variants = product.for_sale if product and product.varies else None
    kept = product or Product(0, written, 1, ())
    found = asking.read(ctx, kept, seen.lens).with_values(written)
    sells = selling.read(ctx, replace(kept, values=written))
    quotes = {one.id if one else 0: found.quote(one) for one in _sold(kept)}
    priced = {key: one for key, one in quotes.items() if one is not None}
    unpriced = None if variants is None else len(quotes) - len(priced)
    findings = _of_destination(ctx, values, measured, unpriced, product, kind, seen)
    findings += lensing.findings(written, seen)
    findings += [Finding(p.code, p.message, p.field or "", True) for p in missing]
    shown = [one.attribute for one in kind.attributes] if kind else list(words.attributes.values())
    return Look(
        values,
        written,
        next(((file, said.alt) for file, said in pictures if file.face("card")), None),
        _alts(values, [said for _, said in pictures], product),
        sum(not said.alt for _, said in pictures),
        price_range(one.asked for one in priced.values()),
        price_range(one.regular for one in priced.values()),
        priced,
        found,
        *_shares(written, priced, kept),
        _by_measure(found, priced, kept),
        [
            (a.name, read_by(a, values.facts[a.id], seen.locale))
            for a in shown
            if a.id in values.facts and a.id not in differs_by
        ],
        findings,
        _lengths(values),
        _doubts(ctx, values, product, found)
        | _hints(values, [kind.name] if kind else [], categories.read_tree(ctx).way(values.category_id), pictures),
        _preview(ctx, values, product, seen),
        selling.in_words(sells) if product else [],
        selling.above(sells.said, written.type_id),
        sells.said.has_locations,
    )


def _sold(product: Product) -> list[Variant | None]:
    """The variants for sale; None for what has none yet."""
    return [*product.for_sale] or [None]


def _shares(written: ProductValues, quotes: Mapping[int, Quote], product: Product) -> tuple[str, str]:
    """Margin and markup of what is paid, in words; "" where a variant differs in either, or nothing is known."""
    shares = set()
    for one in _sold(product):
        quote = quotes.get(one.id if one else 0)
        cost: Decimal | None = inherited(one.cost if one and product.varies else None, written.cost)
        net = None if quote is None else quote.line.net if quote.line else quote.asked
        shares.add((pricing.margin(net, cost), pricing.markup(net, cost)))
    if len(shares) != 1 or None in (only := shares.pop()):
        return "", ""
    margin, markup = (f"{share * 100:.1f} %" for share in only if share is not None)
    return margin, markup


def _by_measure(found: Asking, quotes: Mapping[int, Quote], product: Product) -> UnitPrice | None:
    """The price by unit of measure, where all variants have the same."""
    told = {
        found.unit_price(quotes[key].asked, one) for one in _sold(product) if (key := one.id if one else 0) in quotes
    }
    return told.pop() if len(told) == 1 else None


#: Given by areas that know channels: what a product lacks there. By the first letter of the destination's code.
Findings = Callable[[Context, Product, ProductValues, Sequence[PictureFacts], Seen], list[Finding]]
_FINDINGS: dict[str, Findings] = {}


def register_findings(letter: str, findings: Findings) -> None:
    """Make known what a product lacks for destinations whose codes begin with a letter."""
    _FINDINGS[letter] = findings


def _of_destination(
    ctx: Context,
    values: ProductValues,
    measured: Sequence[PictureFacts],
    unpriced: int | None,
    product: Product | None,
    kind: ProductType | None,
    seen: Seen,
) -> list[Finding]:
    ask = _FINDINGS.get(seen.lens.destination[:1])
    if ask and product:
        return ask(ctx, product, values, measured, seen)
    return readiness.for_shop(values, measured, unpriced, kind, product.unweighed if product else None)


def _alts(values: ProductValues, pictures: Sequence[Picture], product: Product | None) -> dict[int, str]:
    axes = product.axes if product else ()
    combinations = {variant.id: variant.combination for variant in product.variants} if product else {}
    labels = [picture_rules.labels_of(one, axes, combinations) for one in pictures]
    suggested = picture_rules.suggest_alts(values.name, labels)
    return {one.media_id: said for one, said in zip(pictures, suggested, strict=True)}


def _lengths(values: ProductValues) -> dict[str, Length]:
    counts = {
        "name": len(values.name),
        "short_text": len(values.short_text),
        "description": len(richtext.to_plain(values.description)),
        "key_points": len(values.key_points),
        "meta_title": len(values.meta_title),
        "meta_description": len(values.meta_description),
    }
    return {name: copywriting.length(name, count) for name, count in counts.items()}


def _doubts(ctx: Context, values: ProductValues, product: Product | None, found: Asking) -> dict[str, list[str]]:
    """What of its prices, stock and GTINs may be meant otherwise."""
    variants = product.for_sale if product and product.varies else []
    gtins = {one.gtin for one in variants if one.gtin} | ({values.gtin} if values.gtin else set())
    said: dict[str, list[str]] = {}
    for gtin, name in ctx.db.run(lambda tx: skus.others_with_gtin(tx, sorted(gtins), product.id if product else 0)):
        said.setdefault("variants" if variants else "gtin", []).append(f"{gtin} is the GTIN of {name} too.")
    saved = rules.seen(product.values, found.lens) if product else None
    if not variants:
        doubts = pricing.doubts(_looked_at(values, None, saved, found), values.stock)
        return said | {name: [message] for name, message in doubts.items()}
    counts: dict[str, int] = {}
    for one in variants:
        for message in pricing.doubts(_looked_at(values, one, saved, found), one.stock).values():
            counts[message] = counts.get(message, 0) + 1
    told = [f"{plural(count, 'variant')}: {message}" for message, count in counts.items()]
    return said | ({"variants": [*said.get("variants", []), *told]} if told else {})


def _looked_at(values: ProductValues, one: Variant | None, saved: ProductValues | None, found: Asking) -> Prices:
    """The prices of a variant, or of a product that does not vary, as they are looked at twice."""

    def held(name: str) -> Decimal | None:
        amount: Decimal | None = inherited(getattr(one, name) if one else None, getattr(values, name))
        return amount

    price = held("price")
    net = found.taxing.line(price).net if found.taxing and price is not None else None
    before = saved.price if saved and one is None else None
    jump = found.written.catalogue.jumps_from
    return Prices(price, held("list_price"), held("cost"), net, before, jump)


def _hints(
    values: ProductValues, kinds: list[str], way: Sequence[Category], pictures: Sequence[tuple[Media, Picture]]
) -> dict[str, list[str]]:
    hints: dict[str, list[str]] = {}
    kinds = [*kinds, *(category.name for category in way[-1:])]
    if values.name and not copywriting.names_its_kind(values.name, kinds):
        hints["name"] = [f"The name does not say what it is: no word of {' or '.join(kinds)} is in it."]
    if repeated := copywriting.repeated_words(richtext.to_plain(values.description)):
        hints["description"] = [f"“{word}” stands there {count} times." for word, count in repeated]
    if readiness.proportions_differ([(one.width, one.height) for one in product_pictures.facts(pictures)]):
        hints["pictures"] = ["The pictures differ in proportion: side by side they will look uneven."]
    return hints


def _preview(ctx: Context, values: ProductValues, product: Product | None, seen: Seen) -> Preview:
    part = values.address_part or slugify(values.name)[:80] or "product"
    address = f"{ctx.settings.address}{seen.shop_path}/p/{product.id if product else '…'}-{part}"
    return search_preview.preview(
        name=values.name,
        shop=seen.destination.name,
        meta_title=values.meta_title,
        meta_description=values.meta_description,
        short_text=values.short_text,
        description=values.description,
        address=values.canonical or address,
    )
