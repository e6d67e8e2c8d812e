"""The grid of a product's variants as the page draws it."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from itertools import product as product_of

from graupel.core import grids
from graupel.core.attributes import Attribute
from graupel.core.availability import Sells
from graupel.core.grids import Grid, Look
from graupel.core.pictures import belongs
from graupel.core.pricing import PriceRange, price_range
from graupel.core.products import ProductValues
from graupel.core.quantities import format_money
from graupel.core.resolve import inherited
from graupel.core.typed import number
from graupel.core.variants import Combination, label_of
from graupel.features.media.service import Media
from graupel.features.products.asking import AskedNow
from graupel.features.products.service import Product, Variant
from graupel.features.terms.rows import LocationRow
from graupel.features.variants.making import Planned
from graupel.features.vocabulary.service import Vocabulary

#: By what cells are coloured and labelled; of stock at one of several locations "stock-" and its id.
SHADES_BY = {"stock": "Stock", "sells": "What sells", "price": "Price", "margin": "Margin", "readiness": "Readiness"}


def shades(places: Sequence[LocationRow]) -> dict[str, str]:
    """By what cells may be coloured: with several locations, by what lies at each too."""
    at = {f"stock-{one['id']}": one["name"] for one in places} if len(places) > 1 else {}
    return {"stock": SHADES_BY["stock"], **at, **SHADES_BY}


def location_of(by: str) -> int | None:
    """The location whose stock is looked at; None for all of it."""
    return number(by.removeprefix("stock-")) if by.startswith("stock-") else None


@dataclass(frozen=True)
class Seen:
    """What the cells are made of: by variant what it costs now, what sells of it, what lies at the location shown."""

    asked: Mapping[int, AskedNow]
    sells: Mapping[int, Sells]
    at_location: Mapping[int, Decimal]


@dataclass(frozen=True)
class GridView:
    """The part's content. ``further``: for each axis beyond the second its choices with the layer each leads to."""

    product: Product
    by: str
    grid: Grid | None
    further: list[tuple[Attribute, list[tuple[str, str, bool]]]]
    legend: list[tuple[str, str]]


def view(product: Product, by: str, layer: Combination | None, seen: Seen) -> GridView:
    """The grid in one of its colourings and layers."""
    if not product.varies:
        return GridView(product, by, None, [], [])
    variants = {variant.combination: variant for variant in product.variants}
    grid = grids.draw(product.axes, variants, layer, _look(product, by, seen))
    further = []
    for place, axis in enumerate(product.axes[2:]):
        ways = []
        for choice in axis.choices:
            to = (*grid.layer[:place], choice.id, *grid.layer[place + 1 :])
            ways.append((choice.label, ".".join(map(str, to)), choice.id == grid.layer[place]))
        further.append((axis.attribute, ways))
    return GridView(product, by, grid, further, LEGENDS["location" if location_of(by) else by])


_STANDINGS = [
    ("s4", "enough"),
    ("s2", "below its threshold"),
    ("s1", "comes later"),
    ("out", "none"),
    ("plain", "any"),
]
LEGENDS = {
    "stock": _STANDINGS,
    "location": [("s4", "there"), ("out", "none"), ("plain", "not counted")],
    "sells": _STANDINGS,
    "price": [("s1", "lowest"), ("s5", "highest"), ("out", "no price")],
    "margin": [
        ("s5", "40 % or more"),
        ("s3", "20 % or more"),
        ("s1", "thin"),
        ("out", "below cost"),
        ("plain", "cost unknown"),
    ],
    "readiness": [("s5", "complete"), ("s2", "would help: GTIN, weight"), ("out", "no price")],
}  # fmt: skip


def _look(product: Product, by: str, seen: Seen) -> Callable[[Variant], Look]:
    found = price_range(one.asked for one in seen.asked.values())

    def look(variant: Variant) -> Look:
        now = seen.asked.get(variant.id)
        price = now.asked if now else inherited(variant.price, product.values.price)
        if variant.archived:
            return Look("gone", "")
        if by in ("stock", "sells"):
            return (grids.by_sells if by == "sells" else grids.by_stock)(seen.sells[variant.id])
        if location_of(by):
            return grids.by_location(seen.sells[variant.id], seen.at_location.get(variant.id, Decimal(0)))
        return _shade(variant, product.values, by, price, found)

    return look


def _shade(variant: Variant, base: ProductValues, by: str, price: Decimal | None, found: PriceRange) -> Look:
    if by == "price":
        return grids.by_number(price, found.low, found.high, format_money(price))
    if by == "margin":
        return grids.by_margin(price, inherited(variant.cost, base.cost))
    return grids.by_readiness(price, variant.gtin, inherited(variant.weight_g, base.weight_g))


@dataclass(frozen=True)
class Sketch:
    """The grid that a dry run would make, layer by layer: heading, and rows of (combination, state, label).

    A state is "there", "new", "left" (left out by hand) or "gap".
    """

    across: list[str]
    layers: list[tuple[str, list[tuple[str, list[tuple[str, str, str]]]]]]


def sketch(planned: Planned) -> Sketch:
    """The drawn dry run."""
    axes = planned.plan.axes
    there, new = set(planned.plan.moved.values()), set(planned.plan.new)

    def state(combination: Combination) -> str:
        if combination in there:
            return "there"
        if combination in new:
            return "new"
        return "left" if combination in planned.proposed else "gap"

    layers = []
    for layer in product_of(*(axis.ids for axis in axes[2:])):
        rows = []
        for row in axes[1].choices if len(axes) > 1 else (None,):
            cells = [(column.id, *((row.id,) if row else ()), *layer) for column in axes[0].choices]
            rows.append(
                (row.label if row else "", [(".".join(map(str, c)), state(c), label_of(axes, c)) for c in cells])
            )
        layers.append((label_of(axes[2:], layer), rows))
    return Sketch([choice.label for choice in axes[0].choices], layers)


def candidates(words: Vocabulary, product: Product) -> Mapping[str, list[Attribute]]:
    """What the product may differ by and does not yet: what its type names for it first, then all others."""
    taken = set(product.differs_by)
    kind = words.type_of(product.values.type_id)
    of_type = [one.attribute for one in kind.attributes if one.may_differ] if kind else []
    named = {attribute.id for attribute in of_type}
    others = [a for a in words.attributes.values() if a.can_vary and a.id not in named]
    return {
        "of its type": [a for a in of_type if a.id not in taken],
        "of this product": [a for a in others if a.product_id and a.id not in taken],
        "all": [a for a in others if not a.product_id and a.id not in taken],
    }


@dataclass(frozen=True)
class Pictured:
    """What a variant shows. ``own``: whether any of it belongs to it, and not to all or to others."""

    files: list[Media]
    own: bool


def pictures_of(product: Product, variant: Variant) -> Pictured:
    """The pictures of one variant."""
    said = product.values.pictures
    places = product.picture_places(variant)
    own = any(belongs(said[place], product.axes, variant.id, variant.combination) for place in places)
    return Pictured([product.pictures[place] for place in places], own)
