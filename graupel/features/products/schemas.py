"""Products and variants as programs see them."""

from collections.abc import Mapping
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, PlainSerializer

from graupel.core.availability import Standing
from graupel.core.products import ProductValues
from graupel.core.quantities import format_money
from graupel.core.resolve import inherited
from graupel.features.products.asking import AskedNow
from graupel.features.products.selling import SellsNow
from graupel.features.products.service import Product, Variant

Id = Annotated[int, Field(ge=1, le=4_294_967_295)]


def _as_number(amount: Decimal) -> int | float:
    return int(amount) if amount == amount.to_integral_value() else float(amount)


#: A quantity with at most two decimals, a number of JSON.
Quantity = Annotated[Decimal, PlainSerializer(_as_number, return_type=float, when_used="json")]


class Money(BaseModel):
    """An amount with its currency."""

    model_config = ConfigDict(extra="forbid")
    amount: str = Field(pattern=r"^[0-9]{1,10}\.[0-9]{2}$", examples=["12.50"])
    currency: str = Field(pattern="^[A-Z]{3}$", examples=["EUR"])


class PictureOut(BaseModel):
    """A picture of a product; sides in pixels."""

    id: int
    alt: str
    link: str
    width: int
    height: int


class VariantOut(BaseModel):
    """What a buyer buys. ``choice_ids``: what it differs by.

    ``price`` is what was typed, ``asked`` what a piece costs in the first shop now, sales taken off, until
    ``asked_until``. Price, contents, weight (grams) and country of origin (ISO 3166-1, two letters) may come from its
    product. ``stock`` is what is there, null where it is not counted; ``standing`` how it stands in the shop; ``ready``
    what can be had at once and ``sells`` what can be ordered, null without end.
    """

    id: int
    product_id: int
    sku: str
    price: Money | None
    asked: Money | None
    asked_until: datetime | None
    contents: str | None
    weight_g: int | None
    origin_country: str | None
    gtin: str | None
    elsewhere: str | None
    stock: Quantity | None
    reserved: Quantity
    standing: Standing | None
    sells: Quantity | None
    ready: Quantity | None
    back_on: date | None
    coming_on: date | None
    archived: bool
    choice_ids: list[int]
    version: int


class ProductOut(BaseModel):
    """A product with its variants. ``version`` is what If-Match compares, as the ETag gives it."""

    id: int
    name: str
    code: str
    type_id: int | None
    short_text: str
    description: str
    key_points: list[str]
    status: Literal["draft", "live", "archived"]
    category_id: int | None
    brand: str
    mpn: str
    made_at: datetime
    changed_at: datetime
    version: int
    variants: list[VariantOut]
    pictures: list[PictureOut] | None = Field(None, description="Only where one product is read.")


class ProductPage(BaseModel):
    """A page of products; ``next`` is the cursor of the following page, null at the end."""

    items: list[ProductOut]
    next: str | None


class VariantPage(BaseModel):
    """A page of variants; ``next`` is the cursor of the following page, null at the end."""

    items: list[VariantOut]
    next: str | None


class VariantIn(BaseModel):
    """Changes of a variant; members left out stay as they are."""

    model_config = ConfigDict(extra="forbid")
    sku: Annotated[str, Field(min_length=1, max_length=64)] | None = None
    price: Money | None = None
    contents: Annotated[str, Field(max_length=40, examples=["50 g"])] | None = None
    weight_g: Annotated[int, Field(ge=0, le=100_000_000)] | None = None
    origin_country: Annotated[str, Field(pattern="^[A-Z]{2}$", examples=["PT"])] | None = None
    gtin: str | None = None
    elsewhere: Annotated[str, Field(max_length=64)] | None = None
    stock: Annotated[Decimal, Field(ge=-100_000_000, le=100_000_000, decimal_places=2)] | None = None


class ProductPatch(VariantIn):
    """Changes of a product; members left out stay as they are (RFC 7396).

    Of a product that varies, ``price``, ``contents``, ``weight_g`` and ``origin_country`` are what its variants
    inherit; SKU, GTIN and stock are theirs.
    """

    name: Annotated[str, Field(min_length=1, max_length=255)] | None = None
    code: Annotated[str, Field(max_length=64)] | None = None
    type_id: Id | None = None
    short_text: str | None = None
    description: str | None = None
    key_points: list[str] | None = None
    status: Literal["draft", "live", "archived"] | None = None
    category_id: Id | None = None
    brand: str | None = None
    mpn: str | None = None


class ProductIn(ProductPatch):
    """A new product with its one variant. A SKU that is left out is made."""

    name: Annotated[str, Field(min_length=1, max_length=255)]
    status: Literal["draft", "live"] = "draft"


class CategoryOut(BaseModel):
    """A category with its path from the root."""

    id: int
    name: str
    path: str
    parent_id: int | None


def money(amount: Decimal | None, currency: str) -> Money | None:
    """An amount as programs see it."""
    return None if amount is None else Money(amount=format_money(amount), currency=currency)


def variant_out(
    variant: Variant, base: ProductValues, currency: str, asked: AskedNow | None, sells: SellsNow | None
) -> VariantOut:
    """A variant as programs see it; ``base``: its product's values, which it may inherit; ``asked``, ``sells``: now."""
    return VariantOut(
        id=variant.id,
        product_id=variant.product_id,
        sku=variant.sku,
        price=money(inherited(variant.price, base.price), currency),
        asked=money(asked.asked, currency) if asked else None,
        asked_until=asked.until if asked else None,
        contents=inherited(variant.contents, base.contents),
        weight_g=inherited(variant.weight_g, base.weight_g),
        origin_country=inherited(variant.origin_country, base.origin_country),
        gtin=variant.gtin,
        elsewhere=variant.elsewhere,
        stock=variant.stock,
        reserved=variant.reserved,
        standing=sells.standing if sells else None,
        sells=sells.most if sells else Decimal(0),
        ready=sells.ready if sells else Decimal(0),
        back_on=sells.back_on if sells else None,
        coming_on=sells.coming_on if sells else None,
        archived=variant.archived,
        choice_ids=list(variant.combination),
        version=variant.version,
    )


def product_out(
    product: Product,
    currency: str,
    asked: Mapping[int, AskedNow],
    sells: Mapping[int, SellsNow],
    *,
    address: str = "",
    with_pictures: bool = False,
) -> ProductOut:
    """A product as programs see it; ``asked`` and ``sells``: what its variants cost now, and what sells of them,
    by their ids."""
    values = product.values
    pictures = (
        [
            PictureOut(
                id=file.id, alt=picture.alt, link=f"{address}{file.link()}", width=file.width, height=file.height
            )
            for file, picture in zip(product.pictures, values.pictures, strict=True)
        ]
        if with_pictures
        else None
    )
    return ProductOut(
        id=product.id,
        name=values.name,
        code=values.code,
        type_id=values.type_id,
        short_text=values.short_text,
        description=values.description,
        key_points=list(values.key_points),
        status=values.status.value,
        category_id=values.category_id,
        brand=values.brand,
        mpn=values.mpn,
        made_at=product.made_at.replace(tzinfo=UTC),
        changed_at=product.changed_at.replace(tzinfo=UTC),
        version=product.version,
        variants=[
            variant_out(variant, values, currency, asked.get(variant.id), sells.get(variant.id))
            for variant in product.variants
        ],
        pictures=pictures,
    )
