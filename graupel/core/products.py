"""A product as it is typed and as it is kept."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from datetime import date
from decimal import Decimal
from enum import StrEnum
from typing import Any

from graupel.core import quantities, showing, stock
from graupel.core.attributes import Fact
from graupel.core.declarations.products import AMOUNTS, DAYS, MONEY, MOVES_UP, PRODUCT, QUANTITIES, VARIANT, WORDS
from graupel.core.pictures import Picture
from graupel.core.problems import Problem
from graupel.core.records import FieldKind
from graupel.core.resolve import (
    OF_PRODUCT,
    OF_VARIANT,
    ONLY_VARIANT,
    Lens,
    Level,
    Resolved,
    ValuePlace,
    by_rule,
    money_places,
    of_another_language,
    places,
    places_of,
    resolve,
)

NAME_LENGTH = 255
BRAND_LENGTH = 120
TAG_LENGTH = 60
MPN_LENGTH = 70
ELSEWHERE_LENGTH = 64
ALT_LENGTH = 300
DESCRIPTION_LENGTH = 60_000
SHORT_TEXT_LENGTH = 600
KEY_POINT_LENGTH = 200
MOST_KEY_POINTS = 10
ADDRESS_LENGTH = 120
META_TITLE_LENGTH = 200
META_DESCRIPTION_LENGTH = 400
SEARCH_WORDS_LENGTH, SENT_NOTE_LENGTH = 300, 1000


class Status(StrEnum):
    """Where a product stands in its life in the shop."""

    LIVE = "live"
    DRAFT = "draft"
    ARCHIVED = "archived"


@dataclass(frozen=True)
class ProductValues:
    """What a merchant writes about a product. Prices in the shop's currency, weight in grams, stock as it
    is sold. Stock is what is there: it is not written with the others but booked (terms/booking.py).

    Of a product that varies, SKU, GTIN and stock stand in its variants; its prices and weight are what they inherit.
    ``categories``: the further ones beside the main one. ``facts``: values by attribute id, those set aside included.
    ``own``: what is written anew for a destination or a language, by its key (core.resolve.key_of), as plain text.
    """

    name: str = ""
    code: str = ""
    type_id: int | None = None
    sku: str = ""
    price: Decimal | None = None
    list_price: Decimal | None = None
    cost: Decimal | None = None
    buyer_raises: bool = False
    suggested_price: Decimal | None = None
    tax_class_id: int | None = None
    contents: str | None = None
    priced_per: str = ""
    stock: Decimal | None = None
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
    sold_in: str = ""
    delivered: str = ""
    promise_id: int | None = None
    packed_size: str | None = None
    customs_code: str | None = None
    customs_value: Decimal | None = None
    weight_g: int | None = None
    origin_country: str | None = None
    category_id: int | None = None
    categories: tuple[int, ...] = ()
    brand: str = ""
    mpn: str = ""
    gtin: str | None = None
    elsewhere: str | None = None
    tags: tuple[str, ...] = ()
    short_text: str = ""
    description: str = ""
    key_points: tuple[str, ...] = ()
    address_part: str = ""
    canonical: str = ""
    meta_title: str = ""
    meta_description: str = ""
    first_place: int | None = None
    search_words: str = ""
    sent_note: str = ""
    status: Status = Status.DRAFT
    pictures: tuple[Picture, ...] = ()
    facts: Mapping[int, Fact] = field(default_factory=dict)
    own: Mapping[str, str] = field(default_factory=dict)


#: What of the values stands in a product's own columns under the same name; the brand stands there by its id.
PRODUCT_FIELDS = tuple(name for name in PRODUCT.names if name not in (*MOVES_UP, "brand_id", "sku_pattern"))
SWITCHES = ("buyer_raises",)
#: What the only variant of a product that does not vary keeps for it, and what belongs to each variant.
BASE_FIELDS = MOVES_UP
OWN_FIELDS = ("sku", "gtin", "elsewhere")
#: What the fields of the form are called.
LABELS = {field.name: field.label for field in (*VARIANT.fields, *PRODUCT.fields)} | {
    "categories": "Further categories",
    "brand": "Brand",
    "tags": "Tags",
    "pictures": "Pictures",
    "facts": "Facts",
}


def label_of(name: str) -> str:
    """What a field of the form is called, those for a destination or language included."""
    return LABELS.get(name.rpartition(".")[2] if name.startswith("own-") else name, "A fact")


def lacks_for_live(values: ProductValues, unpriced: int | None = None) -> list[Problem]:
    """What must be there before a product can be live in the shop.

    ``unpriced``: of a product that varies, how many of its variants have no price of their own.
    """
    lacking = []
    if values.price is None and unpriced is None:
        lacking.append(Problem("price.missing", "A price is needed before the product can go live.", "price"))
    elif values.price is None and unpriced:
        what = "One variant has" if unpriced == 1 else f"{unpriced} variants have"
        lacking.append(
            Problem(
                "price.missing", f"{what} no price. Give the product one, which they inherit, or each its own.", "price"
            )
        )
    if values.category_id is None:
        lacking.append(
            Problem(
                "category.missing",
                "A category is needed before the product can go live: without one, no buyer finds it.",
                "category_id",
            )
        )
    return lacking


def problems_of(values: ProductValues, unpriced: int | None = None) -> list[Problem]:
    """What keeps these values from being saved, beside what could not be read; ``unpriced`` as in lacks_for_live."""
    problems = []
    if not values.name:
        problems.append(Problem("name.missing", "A name is needed, such as Fellside aran.", "name"))
    if values.status is Status.LIVE:
        problems += lacks_for_live(values, unpriced)
    return problems


_KINDS = {field.name: field.kind for field in (*VARIANT.fields, *PRODUCT.fields)}


def show(name: str, value: Any) -> str:
    """A value of the form's field in words, for a comparison of before and after."""
    return showing.show(_KINDS.get(name, FieldKind.LINE), value)


# --- bringing two people's work together ---------------------------------------------------------------------


def flat(values: ProductValues) -> dict[str, Any]:
    """All values as plain data under the names of the form's fields; facts stand under "fact-12"."""
    plain = {name: value for name, value in asdict(values).items() if name not in ("pictures", "facts", "own")}
    plain |= {
        **{name: quantities.format_money(getattr(values, name)) or None for name in MONEY},
        **{name: stock.show(getattr(values, name)) or None for name in (*QUANTITIES, "stock")},
        **{name: day.isoformat() if (day := getattr(values, name)) else None for name in DAYS},
        "status": str(values.status),
        "categories": sorted(values.categories),
        "tags": sorted(values.tags),
        "key_points": list(values.key_points),
        "pictures": [plain_picture(picture) for picture in values.pictures],
    }
    own = {f"own-{key}": value for key, value in values.own.items()}
    return plain | own | {f"fact-{key}": fact.plain() for key, fact in values.facts.items()}


def plain_picture(picture: Picture) -> list[Any]:
    """A picture as plain data."""
    return [picture.media_id, picture.alt, picture.title, sorted(picture.choices), sorted(picture.variants)]


def picture_of_plain(plain: Sequence[Any]) -> Picture:
    """The picture again. Raises ValueError or TypeError where ``plain`` was not made by plain_picture."""
    media_id, alt, title, choices, variants = plain
    return Picture(int(media_id), str(alt), str(title), tuple(map(int, choices)), tuple(map(int, variants)))


def unflat(plain: Mapping[str, Any]) -> ProductValues:
    """The values again. Raises ValueError, TypeError or KeyError where ``plain`` was not made by flat."""
    given = {name: plain[name] for name in asdict(ProductValues()) if name not in ("facts", "own")}
    numbers = {name: Decimal(plain[name]) if plain[name] else None for name in (*MONEY, *QUANTITIES, "stock")}
    return ProductValues(
        **given
        | numbers
        | {name: date.fromisoformat(plain[name]) if plain[name] else None for name in DAYS}
        | {name: tuple(plain[name]) for name in ("categories", "tags", "key_points")}
        | {"status": Status(plain["status"]), "pictures": tuple(map(picture_of_plain, plain["pictures"]))},
        facts={int(key[5:]): Fact.of_plain(value) for key, value in plain.items() if key.startswith("fact-") and value},
        own={key[4:]: str(value) for key, value in plain.items() if key.startswith("own-") and value},
    )


# --- through a lens ------------------------------------------------------------------------------------------


def words_seen(own: Mapping[str, str], written: Mapping[str, str], lens: Lens) -> dict[str, Resolved[str]]:
    """A product's words as a lens shows them, by field; ``written``: in the default language, for everywhere."""
    where = places(lens, OF_PRODUCT, worded=True)
    base = ValuePlace(Level.PRODUCT)
    return {name: resolve({base: text} | places_of(own, name, Level.PRODUCT), where) for name, text in written.items()}


def written_words(values: ProductValues) -> dict[str, str]:
    """A product's words in the default language, as plain text."""
    return {name: getattr(values, name) for name in WORDS if name != "key_points"} | {
        "key_points": "\n".join(values.key_points)
    }


def amount_typed(
    name: str,
    lens: Lens,
    values: ProductValues,
    variant: Decimal | None = None,
    variants_own: Mapping[str, str] | None = None,
) -> Resolved[Decimal]:
    """An amount of money that holds at the destination of a lens, as it was typed, and where.

    Of a product, or with ``variants_own`` of one of its variants.
    """
    is_variant = variants_own is not None
    held: dict[ValuePlace, Any] = {ValuePlace(Level.PRODUCT): getattr(values, name), ValuePlace(Level.VARIANT): variant}
    held |= {place: Decimal(text) for place, text in places_of(values.own, name, Level.PRODUCT).items()}
    if variants_own:
        held |= {place: Decimal(text) for place, text in places_of(variants_own, name, Level.VARIANT).items()}
    return resolve(held, money_places(lens, OF_VARIANT if is_variant else OF_PRODUCT))


def amount_seen(name: str, lens: Lens, values: ProductValues) -> Resolved[Decimal]:
    """An amount of money of a product as a lens shows it."""
    found = amount_typed(name, lens, values)
    return Resolved(by_rule(found.value, found.place, lens), found.place)


def variants_amount_seen(name: str, lens: Lens, amount: Decimal | None, own: Mapping[str, str]) -> Decimal | None:
    """What was said of a variant itself, as a lens shows it; None where it takes its product's."""
    if not own and not lens.currency and not lens.rule:
        return amount
    held: dict[ValuePlace, Any] = {ValuePlace(Level.VARIANT): amount}
    held |= {place: Decimal(text) for place, text in places_of(own, name, Level.VARIANT).items()}
    found: Resolved[Decimal] = resolve(held, money_places(lens, ONLY_VARIANT))
    return by_rule(found.value, found.place, lens)


def seen(values: ProductValues, lens: Lens) -> ProductValues:
    """The values as a lens shows them."""
    if lens.is_default:
        return values
    found = words_seen(values.own, written_words(values), lens)
    words = {name: one.value or "" for name, one in found.items()} | dict.fromkeys(of_another_language(found, lens), "")
    points = words.pop("key_points")
    shown: dict[str, Any] = words | {"key_points": tuple(points.split("\n")) if points else ()}
    shown |= {name: amount_seen(name, lens, values).value for name in AMOUNTS}
    return replace(values, **shown)
