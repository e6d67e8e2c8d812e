"""Rows of the area's tables, as its store reads them."""

from datetime import date, datetime
from decimal import Decimal
from typing import TypedDict

from graupel.features.vocabulary.rows import FactValueRow


class SellingColumns(TypedDict):
    """How goods are sold, as products and variants say it."""

    sells: str | None
    at_zero: str | None
    zero_limit: Decimal | None
    held_back: Decimal | None
    least_stock: Decimal | None
    low_stock: Decimal | None
    back_on: date | None
    coming_on: date | None
    order_least: Decimal | None
    order_most: Decimal | None
    order_step: Decimal | None


class ProductRow(SellingColumns):
    """A product with its words and the name of its brand."""

    id: int
    was_live: int
    version: int
    made_at: datetime
    changed_at: datetime
    brand: str
    code: str | None
    type_id: int | None
    name: str
    short_text: str
    description: str
    key_points: str
    status: str
    category_id: int | None
    brand_id: int | None
    mpn: str
    price: Decimal | None
    list_price: Decimal | None
    cost: Decimal | None
    buyer_raises: int
    suggested_price: Decimal | None
    tax_class_id: int | None
    contents: str | None
    priced_per: str
    weight_g: int | None
    origin_country: str | None
    sold_in: str
    delivered: str
    promise_id: int | None
    packed_size: str | None
    customs_code: str | None
    customs_value: Decimal | None
    sku_pattern: str
    address_part: str
    canonical: str
    meta_title: str
    meta_description: str
    first_place: int | None
    search_words: str
    sent_note: str


class ShelfRow(TypedDict):
    """What a shelf of the shop window shows."""

    id: int
    name: str
    short_text: str
    address_part: str
    tax_class_id: int | None


class TableRow(TypedDict):
    """A product as the table shows it."""

    id: int
    code: str | None
    status: str
    type_id: int | None
    brand_id: int | None
    category_id: int | None
    changed_at: datetime
    made_at: datetime
    version: int
    name: str
    variants: int
    sku: str
    price_low: Decimal | None
    price_high: Decimal | None
    stock: Decimal | None
    varies: int
    own_price: Decimal | None
    contents: str | None
    list_price: Decimal | None
    cost: Decimal | None
    weight_g: int | None
    origin_country: str | None


class PictureRow(TypedDict):
    """A picture of a product."""

    id: int
    media_id: int
    position: int
    alt: str
    title: str
    version: int


class MainPictureRow(TypedDict):
    """The first picture of a product."""

    id: int
    product_id: int
    media_id: int
    alt: str


class VariantRow(SellingColumns):
    """A variant."""

    id: int
    product_id: int
    sku: str
    price: Decimal | None
    list_price: Decimal | None
    cost: Decimal | None
    contents: str | None
    weight_g: int | None
    origin_country: str | None
    packed_size: str | None
    customs_code: str | None
    gtin: str | None
    elsewhere: str | None
    mpn: str
    archived: int
    choice_1: int | None
    choice_2: int | None
    choice_3: int | None
    choice_4: int | None
    choice_5: int | None
    version: int


class VariantWithProductRow(VariantRow):
    """A variant with what it may take from its product."""

    product_price: Decimal | None
    product_list_price: Decimal | None
    product_cost: Decimal | None
    product_contents: str | None
    product_weight_g: int | None
    product_origin_country: str | None
    product_sells: str | None
    product_at_zero: str | None
    product_zero_limit: Decimal | None
    product_held_back: Decimal | None
    product_least_stock: Decimal | None
    product_low_stock: Decimal | None
    product_back_on: date | None
    product_coming_on: date | None
    product_order_least: Decimal | None
    product_order_most: Decimal | None
    product_order_step: Decimal | None
    product_packed_size: str | None
    product_customs_code: str | None


class FactRow(FactValueRow):
    """A fact."""

    id: int
    product_id: int
    version: int


class AxisRow(TypedDict):
    """What a product differs by."""

    id: int
    product_id: int
    attribute_id: int
    position: int
    version: int


class PlaceRow(TypedDict):
    """Where a product stands."""

    id: int
    status: str
    category_id: int | None
    version: int


class FurtherCategoryRow(TypedDict):
    """A further category of a product."""

    id: int
    category_id: int
    version: int


class BelongingRow(TypedDict):
    """To which variants a picture belongs."""

    id: int
    picture_id: int
    variant_id: int | None
    choice_id: int | None
    version: int


class SkuOwnerRow(TypedDict):
    """Whose a SKU is or was; the rest is None where the variant is gone."""

    sku: str
    variant_id: int | None
    product_id: int | None
    name: str | None
    current: str | None


class NamedOfProduct(TypedDict):
    """A record of a product with its name."""

    id: int
    product_id: int | None
    name: str


class SellingRow(TypedDict):
    """What sells of a variant."""

    id: int
    standing: str
    ready: Decimal | None
    most: Decimal | None
    back_on: date | None
    coming_on: date | None
