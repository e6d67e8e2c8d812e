"""What a merchant does with products, one at a time."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from datetime import date
from decimal import Decimal
from operator import itemgetter
from typing import Any

from slugify import slugify

from graupel.context import Context
from graupel.core import pictures as picture_rules
from graupel.core import product_types, products, readiness
from graupel.core.availability import Held
from graupel.core.declarations.products import CHOICES
from graupel.core.errors import NotFound
from graupel.core.kits import Makes
from graupel.core.pricing import PriceRange, price_range
from graupel.core.product_types import ProductType
from graupel.core.products import BASE_FIELDS, OWN_FIELDS, PRODUCT_FIELDS, SWITCHES, ProductValues, Status
from graupel.core.readiness import Finding, PictureFacts
from graupel.core.resolve import Lens, inherited
from graupel.core.roles import Actor, Role
from graupel.core.variants import Axis, Combination
from graupel.db import Tx
from graupel.features.categories import service as categories
from graupel.features.media import service as media
from graupel.features.media.service import Media
from graupel.features.products import pictures, store
from graupel.features.terms import sells_sql, stocks
from graupel.features.vocabulary import facts as fact_rows
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.service import Vocabulary
from graupel.features.wording import service as wording
from graupel.features.wording.service import Own


@dataclass(frozen=True)
class Variant:
    """A variant as kept: its own values, None where it takes its product's."""

    id: int
    product_id: int
    sku: str
    combination: Combination
    price: Decimal | None = None
    list_price: Decimal | None = None
    cost: Decimal | None = None
    contents: str | None = None
    weight_g: int | None = None
    origin_country: str | None = None
    sells: str | None = None
    at_zero: str | None = None
    zero_limit: Decimal | None = None
    held_back: Decimal | None = None
    least_stock: Decimal | None = None
    low_stock: Decimal | None = None
    back_on: date | None = None
    coming_on: date | None = None
    order_least: Decimal | None = None
    order_most: Decimal | None = None
    order_step: Decimal | None = None
    packed_size: str | None = None
    customs_code: str | None = None
    gtin: str | None = None
    elsewhere: str | None = None
    mpn: str = ""
    stock: Decimal | None = None
    reserved: Decimal = Decimal(0)
    archived: bool = False
    version: int = 1
    own: Mapping[str, str] = field(default_factory=dict)


#: What a variant takes from its row without another look; a product may have thousands.
_AS_THEY_ARE = tuple(
    one.name for one in fields(Variant) if one.name not in ("stock", "reserved", "archived", "combination", "own")
)
_as_they_are, _choices = itemgetter(*_AS_THEY_ARE), itemgetter(*CHOICES)


def variant_of(row: Mapping[str, Any], own: Mapping[str, Own] | None = None, there: Held | None = None) -> Variant:
    """A variant from its row; ``own``: what is written for it for a destination or a language; ``there``: its stock."""
    given = dict(zip(_AS_THEY_ARE, _as_they_are(row), strict=True))
    return Variant(
        **given,
        stock=there.on_hand if there and there.counted else None,
        reserved=there.reserved if there else Decimal(0),
        archived=bool(row["archived"]),
        combination=tuple(choice for choice in _choices(row) if choice is not None),
        own={key: held.value for key, held in own.items()} if own else {},
    )


@dataclass(frozen=True)
class Product:
    """A product as kept. ``axes``: what its variants differ by, none where it does not vary; ``made``: of a kit how
    many its parts make."""

    id: int
    values: ProductValues
    version: int
    variants: tuple[Variant, ...]
    axes: tuple[Axis, ...] = ()
    was_live: bool = False
    sku_pattern: str = ""
    made_at: Any = None
    changed_at: Any = None
    pictures: tuple[Media, ...] = ()
    category_path: str = ""
    vocabulary: Vocabulary | None = None
    sources: Mapping[str, str | None] = field(default_factory=dict)
    made: Makes | None = None

    @property
    def varies(self) -> bool:
        """Whether there may be several variants."""
        return bool(self.axes)

    @property
    def for_sale(self) -> list[Variant]:
        """The variants that are not archived."""
        return [variant for variant in self.variants if not variant.archived]

    @property
    def unpriced(self) -> int | None:
        """Of a product that varies, how many variants have no price of their own."""
        return sum(variant.price is None for variant in self.for_sale) if self.varies else None

    @property
    def unweighed(self) -> int | None:
        """Of a product that varies, how many variants have no weight of their own."""
        return sum(variant.weight_g is None for variant in self.for_sale) if self.varies else None

    @property
    def prices(self) -> PriceRange:
        """The range of what buyers pay."""
        return price_range(inherited(variant.price, self.values.price) for variant in self.for_sale)

    @property
    def type(self) -> ProductType | None:
        """Its product type."""
        return self.vocabulary.type_of(self.values.type_id) if self.vocabulary else None

    @property
    def differs_by(self) -> tuple[int, ...]:
        """The ids of the attributes that its variants differ by."""
        return tuple(axis.attribute.id for axis in self.axes)

    @property
    def shown_code(self) -> str:
        """What it is known by: its product code, or the SKU of its only variant."""
        return self.values.code or (self.variants[0].sku if self.variants else "")

    @property
    def history_keys(self) -> dict[str, list[int]]:
        """The records whose history is the product's."""
        return {"product": [self.id], "variant": [variant.id for variant in self.variants]}

    def picture_places(self, variant: Variant) -> list[int]:
        """The places of the pictures that a variant shows, in their order."""
        if not self.varies:
            return list(range(len(self.pictures)))
        return picture_rules.shown_for(self.values.pictures, self.axes, variant.id, variant.combination)

    @property
    def picture_labels(self) -> list[list[str]]:
        """For each picture what it belongs to, in words."""
        combinations = {variant.id: variant.combination for variant in self.variants}
        return [picture_rules.labels_of(one, self.axes, combinations) for one in self.values.pictures]

    @property
    def picture_names(self) -> list[str]:
        """For each picture the name under which it is delivered, made from the product and what the picture shows."""
        return [
            slugify(said)[:100] or "picture"
            for said in picture_rules.suggest_alts(self.values.name, self.picture_labels)
        ]

    @property
    def facts(self) -> list[PictureFacts]:
        """The measured facts of its pictures."""
        return pictures.facts(zip(self.pictures, self.values.pictures, strict=True))


def read(ctx: Context, actor: Actor, product_id: int) -> Product:
    """One product with its variants. Raises NotFound."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: load(ctx, tx, product_id))


def load(ctx: Context, tx: Tx, product_id: int, *, lock: bool = False) -> Product:
    """One product within a transaction. Raises NotFound."""
    row = store.read(tx, product_id, ctx.settings.language, lock=lock)
    if row is None:
        raise NotFound(f"There is no product {product_id}.")
    variants_own = wording.of_variants(tx, product_id)
    found = store.variants(tx, [product_id])
    held = stocks.held(tx, [one["id"] for one in found])
    variants = tuple(variant_of(one, variants_own.get(one["id"]), held.get(one["id"])) for one in found)
    own = wording.of_record(tx, "product", product_id)
    words = vocabulary.current(ctx, tx, product_id)
    axes = axes_of(store.axes(tx, [product_id]), variants, words)
    shown = pictures.of_product(tx, product_id)
    files = media.by_ids(tx, [picture.media_id for picture in shown])
    values = replace(
        values_of(row, variants, bool(axes)),
        categories=tuple(one["category_id"] for one in store.further_categories(tx, product_id)),
        tags=tuple(words.tags[tag_id] for tag_id in vocabulary.tag_ids_of(tx, "product", product_id)),
        pictures=shown,
        facts=fact_rows.facts_of(store.facts(tx, [product_id])),
        own={key: held.value for key, held in own.items()},
    )
    return Product(
        product_id,
        values,
        row["version"],
        variants,
        axes,
        bool(row["was_live"]),
        row["sku_pattern"],
        row["made_at"],
        row["changed_at"],
        tuple(files[picture.media_id] for picture in shown),
        categories.current(ctx, tx).path(row["category_id"]),
        words,
        {key: held.source for key, held in own.items()},
        sells_sql.made(tx, [product_id]).get(product_id),
    )


def through(product: Product, lens: Lens, words: Vocabulary | None = None) -> Product:
    """The product as a lens shows it: words and amounts, of its variants too; what they inherit they still inherit.

    ``words``: the vocabulary through the same lens, where the names of attributes and choices are wanted too.
    """
    if lens.is_default:
        return product
    axes = tuple(_axis_in(axis, words) for axis in product.axes) if words else product.axes
    values = products.seen(product.values, lens)

    def amount(name: str, variant: Variant) -> Decimal | None:
        if not product.varies:  # it keeps its product's amounts
            return getattr(values, name)  # type: ignore[no-any-return]
        return products.variants_amount_seen(name, lens, getattr(variant, name), variant.own)

    variants = (
        replace(one, price=amount("price", one), list_price=amount("list_price", one)) for one in product.variants
    )
    return replace(product, values=values, variants=tuple(variants), axes=axes, vocabulary=words or product.vocabulary)


def _axis_in(axis: Axis, words: Vocabulary) -> Axis:
    attribute = words.attributes[axis.attribute.id]
    labels = {choice.id: choice for choice in attribute.choices}
    return Axis(attribute, tuple(labels[choice.id] for choice in axis.choices))


def choice_labels(product: Product, variant: Variant, words: Vocabulary) -> str:
    """What a variant differs by, in the words of a lens: "Moss, 4 mm"; "" of what does not vary."""
    found = []
    for axis, choice_id in zip(product.axes, variant.combination, strict=True):
        attribute = words.attributes.get(axis.attribute.id, axis.attribute)
        found.append(next((one.label for one in attribute.choices if one.id == choice_id), ""))
    return ", ".join(filter(None, found))


def values_of(row: Mapping[str, Any], variants: Sequence[Variant], varies: bool) -> ProductValues:
    """The product's values; prices, SKU and the like of one that does not vary are its variant's."""
    only = None if varies or not variants else variants[0]
    switches: dict[str, Any] = {name: bool(row[name]) for name in SWITCHES}
    return ProductValues(
        **{name: row[name] for name in PRODUCT_FIELDS if name not in ("code", "status", "key_points", *SWITCHES)},
        code=row["code"] or "",
        brand=row["brand"],
        status=Status(row["status"]),
        key_points=tuple(row["key_points"].split("\n")) if row["key_points"] else (),
        **switches,
        **{name: getattr(only, name) if only else row[name] for name in BASE_FIELDS},
        **({name: getattr(only, name) for name in (*OWN_FIELDS, "stock")} if only else {}),
    )


def axes_of(rows: Sequence[Mapping[str, Any]], variants: Sequence[Variant], words: Vocabulary) -> tuple[Axis, ...]:
    """What the variants differ by, with the choices that any of them has, in the attribute's order."""
    axes = []
    for place, row in enumerate(rows):
        used = {variant.combination[place] for variant in variants if len(variant.combination) > place}
        attribute = words.attributes[row["attribute_id"]]
        axes.append(Axis(attribute, tuple(choice for choice in attribute.choices if choice.id in used)))
    return tuple(axes)


def product_of_variant(ctx: Context, actor: Actor, variant_id: int) -> Product:
    """The product that a variant belongs to. Raises NotFound."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> Product:
        product_id = store.product_of_variant(tx, variant_id)
        if product_id is None:
            raise NotFound(f"There is no variant {variant_id}.")
        return load(ctx, tx, product_id)

    return ctx.db.run(work)


def findings(product: Product) -> list[Finding]:
    """What a product still lacks for the shop."""
    return readiness.for_shop(product.values, product.facts, product.unpriced, product.type, product.unweighed) + [
        Finding(problem.code, problem.message, problem.field or "", True)
        for problem in product_types.lacking(product.type, product.values.facts, product.differs_by)
    ]
