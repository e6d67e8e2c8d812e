"""Typed text of a product's fields: what it stands for, or why it can't be read."""

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from decimal import Decimal
from enum import StrEnum
from functools import lru_cache
from typing import Any

from graupel.core import (
    attributes,
    contents,
    countries,
    delivery,
    identifiers,
    ordering,
    products,
    quantities,
    richtext,
    stock,
    terms,
)
from graupel.core.attributes import Attribute
from graupel.core.availability import AtZero, Switch
from graupel.core.declarations.products import AMOUNTS, MONEY, WORDS
from graupel.core.errors import Refused
from graupel.core.pictures import TITLE_LENGTH, Picture
from graupel.core.problems import Problem
from graupel.core.resolve import (
    split_key,
)
from graupel.core.units import FAMILIES


@dataclass
class ReadProduct:
    """Typed values with the problems of those that could not be read."""

    values: products.ProductValues
    problems: list[Problem] = field(default_factory=list)


def read(
    raw: Mapping[str, Any],
    currency: str,
    start: products.ProductValues | None = None,
    known: Mapping[int, Attribute] | None = None,
    currencies: Mapping[str, str] | None = None,
) -> ReadProduct:
    """Typed values from what was typed: every field of ``raw`` is read, the others stay as in ``start``.

    A fact stands in ``raw`` as "fact-12", a list of texts; ``known`` has the attributes. What is written for a
    destination or language stands there as "own-c1.de.name"; ``currencies``: of destinations that have their own.
    A field that can't be read keeps its value of ``start`` and gives a problem at its place.
    """
    reading = ReadProduct(start or products.ProductValues())
    reads = readers(currency)
    facts, own = dict(reading.values.facts), dict(reading.values.own)
    for name, value in raw.items():
        try:
            if name in reads:
                reading.values = replace(reading.values, **{name: reads[name](value)})
            elif name.startswith("fact-") and (attribute := (known or {}).get(_id(name[5:]) or 0)):
                facts[attribute.id] = attributes.read_fact(attribute, value)
            elif name.startswith("own-"):
                own[name[4:]] = read_own(name[4:], str(value), currency, currencies or {})
        except Refused as refusal:
            reading.problems += [replace(problem, field=name) for problem in refusal.problems]
    reading.values = replace(
        reading.values,
        facts={key: fact for key, fact in facts.items() if fact},
        own={key: value for key, value in own.items() if value},
    )
    return reading


def read_own(key: str, text: str, currency: str, currencies: Mapping[str, str]) -> str:
    """A value for a destination or a language as plain text; "" takes it away. Raises Refused."""
    try:
        destination, _, field_name = split_key(key)
    except ValueError:
        return ""
    if field_name not in (*WORDS, *AMOUNTS) or not text.strip():
        return ""
    value = readers(currencies.get(destination, currency))[field_name](text)
    if field_name == "key_points":
        return "\n".join(value)
    return quantities.format_money(value) if field_name in AMOUNTS else str(value)


@lru_cache(64)
def readers(currency: str) -> Mapping[str, Callable[[Any], Any]]:
    """By field what reads typed text; it raises Refused. Money is read in ``currency``."""

    def money(text: str) -> Decimal | None:
        return quantities.parse_money(text, currency) if text.strip() else None

    return {
        "name": parse_name,
        "code": lambda text: identifiers.parse_sku(text, "product code") if text.strip() else "",
        "type_id": _id,
        "sku": lambda text: identifiers.parse_sku(text) if text.strip() else "",
        **dict.fromkeys(MONEY, money),
        "stock": stock.count,
        "sells": lambda text: _one_of(text, Switch, "sells"),
        "at_zero": lambda text: _one_of(text, AtZero, "at_zero"),
        **dict.fromkeys(("zero_limit", "held_back", "least_stock", "low_stock"), _not_negative),
        **dict.fromkeys(ordering.FIELDS, ordering.read_amount),
        **dict.fromkeys(("back_on", "coming_on"), lambda text: terms.day(text) if text.strip() else None),
        "sold_in": parse_sold_in,
        "delivered": lambda text: _one_of(text, delivery.Way, "delivered") or "",
        "promise_id": _id,
        "packed_size": delivery.parse_size,
        "customs_code": delivery.parse_customs_code,
        **dict.fromkeys(products.SWITCHES, parse_switch),
        "tax_class_id": _id,
        "contents": contents.parse,
        "priced_per": contents.parse_per,
        "weight_g": lambda text: quantities.parse_weight(text) if text.strip() else None,
        "origin_country": countries.parse,
        "gtin": lambda text: identifiers.parse_gtin(text) if text.strip() else None,
        "elsewhere": lambda text: one_line(text, products.ELSEWHERE_LENGTH, "An id elsewhere", "elsewhere") or None,
        "brand": lambda text: one_line(text, products.BRAND_LENGTH, "A brand", "brand"),
        "mpn": lambda text: one_line(text, products.MPN_LENGTH, "A part number", "mpn"),
        "tags": parse_tags,
        "short_text": lambda text: one_line(text, products.SHORT_TEXT_LENGTH, "A short text", "short_text"),
        "description": parse_description,
        "key_points": parse_key_points,
        "address_part": parse_address_part,
        "canonical": parse_canonical,
        "meta_title": lambda text: one_line(text, products.META_TITLE_LENGTH, "A meta title", "meta_title"),
        "meta_description": lambda t: one_line(
            t, products.META_DESCRIPTION_LENGTH, "A meta description", "meta_description"
        ),
        "first_place": parse_first_place,
        "search_words": parse_search_words,
        "sent_note": parse_note,
        "status": _status,
        "category_id": _id,
        "categories": lambda values: tuple(dict.fromkeys(filter(None, map(_id, values)))),
        "pictures": lambda pictures: tuple(_picture(picture) for picture in pictures),
    }


def _picture(typed: Picture) -> Picture:
    return replace(
        typed,
        alt=one_line(typed.alt, products.ALT_LENGTH, "An alt text", "pictures"),
        title=one_line(typed.title, TITLE_LENGTH, "A picture's title", "pictures"),
    )


def _id(value: Any) -> int | None:
    """The id of a record that was chosen from a list."""
    if not value or str(value).isdecimal():
        return int(value) if value else None
    raise Refused.because("choice.unknown", f"“{str(value)[:40]}” is none of the list. Choose one that is there.")


_CONTROL = re.compile(r"[\x00-\x08\x0e-\x1f\x7f]")


def one_line(text: str, most: int, what: str, code: str) -> str:
    """Text on one line, blanks folded, without control characters. Raises Refused where it is too long."""
    folded = " ".join(_CONTROL.sub("", text).split())
    if len(folded) > most:
        raise Refused.because(f"{code}.too_long", f"{what} has at most {most} characters; this one has {len(folded)}.")
    return folded


def parse_name(text: str) -> str:
    """A product's name. Raises Refused where it is empty or too long."""
    name = one_line(text, products.NAME_LENGTH, "A name", "name")
    if not name:
        raise Refused.because("name.missing", "A name is needed, such as Fellside aran, tweed wool.")
    return name


def parse_description(text: str) -> str:
    """Cleaned rich text. Raises Refused where it is too long."""
    cleaned = richtext.clean(text)
    if len(cleaned) > products.DESCRIPTION_LENGTH:
        raise Refused.because(
            "description.too_long",
            f"A description has at most {products.DESCRIPTION_LENGTH} characters; this one has {len(cleaned)}.",
        )
    return cleaned


def parse_key_points(text: str) -> tuple[str, ...]:
    """Key points, one a line; signs of lists before them are dropped. Raises Refused."""
    lines = (one_line(re.sub(r"^\s*[-*•]\s+", "", line), 10_000, "", "") for line in text.splitlines())
    points = tuple(line for line in lines if line)
    if len(points) > products.MOST_KEY_POINTS:
        raise Refused.because(
            "key_points.too_many", f"There are {len(points)} key points; at most {products.MOST_KEY_POINTS} are taken."
        )
    if long := next((point for point in points if len(point) > products.KEY_POINT_LENGTH), None):
        raise Refused.because(
            "key_points.too_long",
            f"A key point has at most {products.KEY_POINT_LENGTH} characters; “{long[:30]}…” has {len(long)}.",
        )
    return points


def parse_first_place(value: Any) -> int | None:
    """The place before others, 1 to 999; None for no such place. Raises Refused."""
    text = str(value or "").strip()
    if not text:
        return None
    if not (text.isascii() and text.isdigit() and len(text) < 4 and int(text)):
        raise Refused.because("first_place.unknown", f"“{text[:40]}” is no place. Write a number from 1 to 999.")
    return int(text)


def parse_search_words(text: str) -> str:
    """Words by which something is searched, parted by commas, each once. Raises Refused."""
    plain = one_line(text, products.SEARCH_WORDS_LENGTH, "Search words", "search_words")
    return ", ".join(dict.fromkeys(one for part in plain.split(",") if (one := part.strip())))


def parse_note(text: str) -> str:
    """What goes out with a mail: plain lines. Raises Refused."""
    plain = re.sub(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f]", "", text).replace("\r\n", "\n")
    lines = "\n".join(line.rstrip() for line in plain.split("\n")).strip()
    if len(lines) > products.SENT_NOTE_LENGTH:
        said = f"A note has at most {products.SENT_NOTE_LENGTH:,} characters; this one has {len(lines):,}."
        raise Refused.because("sent_note.too_long", said)
    return lines


def parse_tags(names: Any) -> tuple[str, ...]:
    """Tags by name, each once. Raises Refused where one is too long."""
    read_names = (one_line(str(name), products.TAG_LENGTH, "A tag", "tags") for name in names)
    return tuple(dict.fromkeys(name for name in read_names if name))


_SWITCHES = {
    **dict.fromkeys(("yes", "on", "true", "1", "ja", "y", "x"), True),
    **dict.fromkeys(("", "no", "off", "false", "0", "nein", "n"), False),
}


def parse_switch(value: Any) -> bool:
    """Whether a switch is on, as people write it; "" is off. Raises Refused where it is neither."""
    if isinstance(value, bool):
        return value
    text = str(value).strip().casefold()
    if text not in _SWITCHES:
        raise Refused.because("switch.wrong", f"“{str(value).strip()[:40]}” is neither yes nor no. Write yes or no.")
    return _SWITCHES[text]


def _one_of(text: str, words: type[StrEnum], name: str) -> str | None:
    """A word of a list, None for none. Raises Refused."""
    said = text.strip().lower().replace(" ", "_")
    if said and said not in tuple(words):
        known = ", ".join(one.replace("_", " ") for one in words)
        raise Refused.because(f"{name}.unknown", f"“{text.strip()[:40]}” is not known here. Choose {known}.")
    return said or None


def _not_negative(text: str) -> Decimal | None:
    """A quantity of at least 0, None for none. Raises Refused."""
    if not text.strip():
        return None
    found = stock.quantity(text)
    if found < 0:
        raise Refused.because("quantity.negative", f"“{text.strip()[:40]}” is below 0. Write 0 or more.")
    return found


def parse_sold_in(text: str) -> str:
    """In what goods are sold: "m", "kg"; "" for pieces. Raises Refused."""
    said = text.strip()
    if said and not any(FAMILIES[key].unit(said) for key in ("length", "weight", "volume", "area")):
        message = f"“{said[:40]}” is no measure. Write m, cm, kg, g or l; blank is pieces."
        raise Refused.because("sold_in.unknown", message)
    return said


def parse_address_part(text: str) -> str:
    """The end of a page's address: small letters a to z, digits and single dashes. Raises Refused."""
    part = text.strip().strip("/").lower()
    if not part:
        return ""
    if len(part) > products.ADDRESS_LENGTH or not re.fullmatch(r"[a-z0-9]+(?:-[a-z0-9]+)*", part):
        raise Refused.because(
            "address.characters",
            f"“{text.strip()[:40]}” can't stand in an address. Use a to z, digits and single dashes, "
            f"up to {products.ADDRESS_LENGTH} characters, such as fellside-aran.",
        )
    return part


def parse_canonical(text: str) -> str:
    """The address under which search engines should know the page: whole, or a path of the shop. Raises Refused."""
    address = text.strip()
    if address and (len(address) > 300 or not re.fullmatch(r"(?:https?://[^\s/<>\"]+)?/?[^\s<>\"]*", address)):
        raise Refused.because(
            "canonical.address", f"“{address[:40]}” is no address. Write it like https://shop.example/fellside-aran."
        )
    return address


def _status(text: str) -> products.Status:
    if text.lower() not in tuple(products.Status):
        raise Refused.because("status.unknown", "A status is draft, live or archived.")
    return products.Status(text.lower())
