"""A product as it is typed and as it is kept."""

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from decimal import Decimal
from enum import StrEnum
from typing import Any

from graupel.core import identifiers, quantities, richtext
from graupel.core.errors import Refused
from graupel.core.problems import Problem

NAME_LENGTH = 255
BRAND_LENGTH = 120
MPN_LENGTH = 70
ALT_LENGTH = 300
DESCRIPTION_LENGTH = 60_000


class Status(StrEnum):
    """Where a product stands in its life in the shop."""

    LIVE = "live"
    DRAFT = "draft"
    ARCHIVED = "archived"


@dataclass(frozen=True)
class Picture:
    """One picture of a product: a stored file and what it says to those who can't see it."""

    media_id: int
    alt: str = ""


@dataclass(frozen=True)
class ProductValues:
    """What a merchant writes about a product that does not vary. Price in the shop's currency, weight in grams."""

    name: str = ""
    sku: str = ""
    price: Decimal | None = None
    weight_g: int | None = None
    category_id: int | None = None
    brand: str = ""
    mpn: str = ""
    gtin: str | None = None
    description: str = ""
    status: Status = Status.DRAFT
    pictures: tuple[Picture, ...] = ()


PRODUCT_FIELDS = ("name", "description", "status", "category_id", "brand", "mpn")
VARIANT_FIELDS = ("sku", "price", "weight_g", "gtin")
LABELS = {
    "name": "Name",
    "sku": "SKU",
    "price": "Price",
    "weight_g": "Weight",
    "category_id": "Category",
    "brand": "Brand",
    "mpn": "Manufacturer part number",
    "gtin": "GTIN",
    "description": "Description",
    "status": "Status",
    "pictures": "Pictures",
    "alt": "Alt text",
    "position": "Place",
    "parent_id": "Below",
    "product_id": "Product",
    "media_id": "Picture file",
}


@dataclass
class Reading:
    """Typed values with the problems of those that could not be read."""

    values: ProductValues
    problems: list[Problem] = field(default_factory=list)


def read(raw: Mapping[str, Any], currency: str, start: ProductValues | None = None) -> Reading:
    """Typed values from what was typed: every field of ``raw`` is read, the others stay as in ``start``.

    A field that can't be read keeps its value of ``start`` and gives a problem at its place.
    """
    reading = Reading(start or ProductValues())
    readers = _readers(currency)
    for name, value in raw.items():
        if name not in readers:
            continue
        try:
            reading.values = replace(reading.values, **{name: readers[name](value)})
        except Refused as refusal:
            reading.problems += [problem.at(field=name) for problem in refusal.problems]
    return reading


def _readers(currency: str) -> dict[str, Callable[[Any], Any]]:
    return {
        "name": parse_name,
        "sku": identifiers.parse_sku,
        "price": lambda text: quantities.parse_money(text, currency) if text.strip() else None,
        "weight_g": lambda text: quantities.parse_weight(text) if text.strip() else None,
        "gtin": lambda text: identifiers.parse_gtin(text) if text.strip() else None,
        "brand": lambda text: one_line(text, BRAND_LENGTH, "A brand", "brand"),
        "mpn": lambda text: one_line(text, MPN_LENGTH, "A manufacturer part number", "mpn"),
        "description": parse_description,
        "status": _status,
        "category_id": lambda value: int(value) if value else None,
        "pictures": lambda pictures: tuple(
            replace(picture, alt=one_line(picture.alt, ALT_LENGTH, "An alt text", "pictures")) for picture in pictures
        ),
    }


def one_line(text: str, most: int, what: str, code: str) -> str:
    """Text on one line, blanks folded, without control characters. Raises Refused where it is too long."""
    folded = re.sub(r"\s+", " ", re.sub(r"[\x00-\x08\x0e-\x1f\x7f]", "", text)).strip()
    if len(folded) > most:
        raise Refused.because(f"{code}.too_long", f"{what} has at most {most} characters; this one has {len(folded)}.")
    return folded


def parse_name(text: str) -> str:
    """A product's name. Raises Refused where it is empty or too long."""
    name = one_line(text, NAME_LENGTH, "A name", "name")
    if not name:
        raise Refused.because("name.missing", "A name is needed, such as Fellside aran, tweed wool.")
    return name


def parse_description(text: str) -> str:
    """Cleaned rich text. Raises Refused where it is too long."""
    cleaned = richtext.clean(text)
    if len(cleaned) > DESCRIPTION_LENGTH:
        raise Refused.because(
            "description.too_long",
            f"A description has at most {DESCRIPTION_LENGTH} characters; this one has {len(cleaned)}.",
        )
    return cleaned


def _status(text: str) -> Status:
    if text not in tuple(Status):
        raise Refused.because("status.unknown", "A status is draft, live or archived.")
    return Status(text)


def lacks_for_live(values: ProductValues) -> list[Problem]:
    """What must be there before a product can be live in the shop."""
    lacking = []
    if values.price is None:
        lacking.append(Problem("price.missing", "A price is needed before the product can go live.", "price"))
    if values.category_id is None:
        lacking.append(
            Problem(
                "category.missing",
                "A category is needed before the product can go live: without one, no buyer finds it.",
                "category_id",
            )
        )
    return lacking


def problems_of(values: ProductValues) -> list[Problem]:
    """What keeps these values from being saved, beside what could not be read."""
    problems = []
    if not values.name:
        problems.append(Problem("name.missing", "A name is needed, such as Fellside aran.", "name"))
    if not values.sku:
        problems.append(Problem("sku.missing", "A SKU is needed, such as FEL-AR-100.", "sku"))
    if values.status is Status.LIVE:
        problems += lacks_for_live(values)
    return problems


def show(name: str, value: Any) -> str:
    """A field's journal value in words, for a comparison of before and after."""
    if value is None or value == "":
        return "(empty)"
    if name == "weight_g":
        return quantities.format_weight(int(value))
    if name == "description":
        return richtext.to_plain(str(value))
    if name == "status":
        return str(value).capitalize()
    return str(value)
