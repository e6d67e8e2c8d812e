"""The grid of a product's variants as the page draws it."""

from collections.abc import Callable, Mapping
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
from graupel.core.variants import Combination, label_of
from graupel.features.media.service import Media
from graupel.features.products.asking import AskedNow
from graupel.features.products.service import Product, Variant
from graupel.features.variants.making import Planned
from graupel.features.vocabulary.service import Vocabulary

#: By what cells are coloured and labelled.
SHADES_BY = {"stock": "Stock", "sells": "What sells", "price": "Price", "margin": "Margin", "readiness": "Readiness"}


@dataclass(frozen=True)
class GridView:
    """The part's content. ``further``: for each axis beyond the second its choices with the layer each leads to."""

    product: Product
    by: str
    grid: Grid | None
    further: list[tuple[Attribute, list[tuple[str, str, bool]]]]
    legend: list[tuple[str, str]]


def view(
    product: Product, by: str, layer: Combination | None, asked: Mapping[int, AskedNow], sells: Mapping[int, Sells]
) -> GridView:
    """The grid in one of its colourings and layers; ``asked``: what its variants cost now, ``sells``: what of them."""
    by = by if by in SHADES_BY else "stock"
    if not product.varies:
        return GridView(product, by, None, [], [])
    variants = {variant.combination: variant for variant in product.variants}
    grid = grids.draw(product.axes, variants, layer, _look(product, by, asked, sells))
    further = []
    for place, axis in enumerate(product.axes[2:]):
        ways = []
        for choice in axis.choices:
            to = (*grid.layer[:place], choice.id, *grid.layer[place + 1 :])
            ways.append((choice.label, ".".join(map(str, to)), choice.id == grid.layer[place]))
        further.append((axis.attribute, ways))
    return GridView(product, by, grid, further, LEGENDS[by])


_STANDINGS = [
    ("s4", "enough"),
    ("s2", "below its threshold"),
    ("s1", "comes later"),
    ("out", "none"),
    ("plain", "any"),
]
LEGENDS = {
    "stock": _STANDINGS,
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


def _look(
    product: Product, by: str, asked: Mapping[int, AskedNow], sells: Mapping[int, Sells]
) -> Callable[[Variant], Look]:
    found = price_range(one.asked for one in asked.values())

    def look(variant: Variant) -> Look:
        now = asked.get(variant.id)
        price = now.asked if now else inherited(variant.price, product.values.price)
        if variant.archived:
            return Look("gone", "")
        if by in ("stock", "sells"):
            return (grids.by_sells if by == "sells" else grids.by_stock)(sells[variant.id])
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
