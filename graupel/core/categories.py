"""A category as it is typed: its kind, its texts, and the paths under which it is named."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from functools import lru_cache
from typing import Any

from graupel.core import attributes, product_fields, products
from graupel.core.attributes import Attribute, Fact
from graupel.core.declarations.categories import CATEGORY, CATEGORY_TEXT
from graupel.core.errors import Refused
from graupel.core.problems import Problem

NAME_LENGTH = 120
#: Of a path that names a category: how many names it may have, and what stands between them.
DEPTH, CATEGORY_SEPARATOR = 8, " > "


class CategoryKind(StrEnum):
    """What stands at a place of the tree: a category with goods, a page of text and pictures without goods, a heading
    that only gives structure, a link."""

    GOODS = "goods"
    PAGE = "page"
    HEADING = "heading"
    LINK = "link"


class Layout(StrEnum):
    """How a category's page looks in the shop window."""

    GRID = "grid"
    BANNER = "banner"
    ASIDE = "aside"
    LEAD = "lead"


LAYOUT_WORDS = {
    Layout.GRID: ("Plain", "the text, then the goods in a dense grid"),
    Layout.BANNER: ("Banner", "picture and text across the top, goods below"),
    Layout.ASIDE: ("Aside", "categories below it and filters beside the goods; on a page the picture beside the text"),
    Layout.LEAD: ("Lead", "one product large with the text, the others around it"),
}


class Order(StrEnum):
    """In which order the goods stand."""

    NEWEST = "newest"
    NAME = "name"
    CHEAPEST = "cheapest"
    DEAREST = "dearest"
    STOCK = "stock"
    HAND = "hand"


ORDER_WORDS = {
    Order.NEWEST: "the newest first",
    Order.NAME: "by name",
    Order.CHEAPEST: "the cheapest first",
    Order.DEAREST: "the dearest first",
    Order.STOCK: "what there is most of first",
    Order.HAND: "by hand",
}


def arrange(ids: Sequence[int], by_hand: Sequence[int]) -> list[int]:
    """Goods in the order by hand; those that have no place in it come after, in the order they are given in."""
    there = set(ids)
    placed = dict.fromkeys(one for one in by_hand if one in there)
    return [*placed, *(one for one in ids if one not in placed)]


KIND_WORDS = {
    CategoryKind.GOODS: "A category with goods",
    CategoryKind.PAGE: "A page of text and pictures, without goods",
    CategoryKind.HEADING: "A heading, only for structure",
    CategoryKind.LINK: "A link to somewhere else",
}


@dataclass(frozen=True)
class CategoryValues:
    """What a merchant writes about a category. ``link``: a path of the shop or an address, of the kind link.

    ``facts``: values of the merchant's own attributes, by the attribute's id.
    """

    name: str = ""
    kind: CategoryKind = CategoryKind.GOODS
    hidden: bool = True
    in_navigation: bool = True
    link: str = ""
    description: str = ""
    address_part: str = ""
    canonical: str = ""
    meta_title: str = ""
    meta_description: str = ""
    picture_id: int | None = None
    picture_alt: str = ""
    tags: tuple[str, ...] = ()
    layout: Layout = Layout.BANNER
    lead_product_id: int | None = None
    facts: Mapping[int, Fact] = field(default_factory=dict)
    search_words: str = ""


#: Kept in the words of a language; the others with the category.
TEXTS = ("description", "address_part", "meta_title", "meta_description", "picture_alt", "search_words")
LABELS = {field.name: field.label for field in (*CATEGORY.fields, *CATEGORY_TEXT.fields)} | {"tags": "Tags"}
#: What may be written anew for a destination or a language.
WORDS = ("name", *TEXTS)


def flat(values: CategoryValues, own: Mapping[str, str]) -> dict[str, Any]:
    """All values as plain data under the names of the form's fields; facts stand under "fact-12"."""
    plain = {name: value for name, value in vars(values).items() if name != "facts"}
    plain |= {"kind": str(values.kind), "layout": str(values.layout), "tags": sorted(values.tags)}
    plain |= {f"own-{key}": text for key, text in own.items() if text}
    return plain | {f"fact-{key}": fact.plain() for key, fact in values.facts.items()}


def unflat(plain: Mapping[str, Any]) -> tuple[CategoryValues, dict[str, str]]:
    """The values and the words for destinations and languages again, out of what ``flat`` made."""
    given = {name: plain[name] for name in vars(CategoryValues()) if name != "facts"}
    given |= {"kind": CategoryKind(plain["kind"]), "layout": Layout(plain["layout"]), "tags": tuple(plain["tags"])}
    facts = {int(key[5:]): Fact.of_plain(value) for key, value in plain.items() if key.startswith("fact-") and value}
    own = {key[4:]: value or "" for key, value in plain.items() if key.startswith("own-")}
    return CategoryValues(**given, facts=facts), own


def parse_name(text: str) -> str:
    """A category's name. Raises Refused: it may not be empty, too long, or hold the sign that paths are cut at."""
    name = product_fields.one_line(text, NAME_LENGTH, "A category's name", "category.name")
    if not name or ">" in name:
        raise Refused.because(
            "category.name", "A category needs a name without the sign >, such as Sock yarns.", "name"
        )
    return name


@lru_cache(4096)  # a file says the same few paths many times
def parse_category_path(text: str) -> str:
    """A path of category names joined by " > ". Raises Refused where a name is empty or too long."""
    names = [re.sub(r"\s+", " ", name).strip() for name in text.strip("> \t").split(">")]
    if any(not name for name in names):
        raise Refused.because(
            "category.empty_name", f"“{text}” has an empty category name in it. Write it like Yarn > Aran."
        )
    if len(names) > DEPTH or max(map(len, names)) > NAME_LENGTH:
        raise Refused.because(
            "category.too_long",
            f"“{text[:60]}…” is no category path: at most {DEPTH} names of {NAME_LENGTH} characters.",
        )
    return CATEGORY_SEPARATOR.join(names)


def parse_link(text: str) -> str:
    """Where a link leads: a path of the shop such as /shop/p/12, or a whole address. Raises Refused."""
    link = product_fields.parse_canonical(text)
    if link and not link.startswith(("http://", "https://", "/")):
        raise Refused.because("category.link", "A link leads to a path such as /shop/p/12 or an address with https://.")
    return link


@dataclass(frozen=True)
class ReadCategory:
    """Typed values with the problems of those that could not be read."""

    values: CategoryValues
    problems: list[Problem]


def read(raw: Mapping[str, Any], start: CategoryValues, known: Mapping[int, Attribute] | None = None) -> ReadCategory:
    """Typed values from what was typed; a field that can't be read keeps its value of ``start``.

    A fact stands in ``raw`` as "fact-12", a list of texts; ``known`` has the attributes.
    """
    readers = _readers()
    facts = dict(start.facts)
    found: dict[str, Any] = {}
    problems: list[Problem] = []
    for name, value in raw.items():
        try:
            if name in readers:
                found[name] = readers[name](value)
            elif name.startswith("fact-") and (attribute := (known or {}).get(int(name[5:]))):
                facts[attribute.id] = attributes.read_fact(attribute, value)
        except Refused as refusal:
            problems += [problem.at(field=name) for problem in refusal.problems]
        except ValueError:
            problems.append(Problem("category.value", "This can't be read. Choose it again.", name))
    found["facts"] = {key: fact for key, fact in facts.items() if fact}
    values = CategoryValues(**{**start.__dict__, **found})
    if values.kind is CategoryKind.LINK and not values.link and "link" not in {problem.field for problem in problems}:
        problems.append(Problem("category.link", "Say where the link leads, such as /shop/p/12.", "link"))
    return ReadCategory(values, problems)


def read_one(name: str, text: str) -> Any:
    """One typed field. Raises Refused."""
    return _readers()[name](text)


def read_own(typed: Mapping[str, str]) -> tuple[dict[str, str], list[Problem]]:
    """Words for a destination or a language by key; "" takes one away."""
    found: dict[str, str] = {}
    problems: list[Problem] = []
    for key, text in typed.items():
        field_name = key.rpartition(".")[2]
        if field_name not in WORDS:
            continue
        try:
            found[key] = _readers()[field_name](text) if text.strip() else ""
        except Refused as refusal:
            problems += [problem.at(field=field_name) for problem in refusal.problems]
    return found, problems


def _readers() -> dict[str, Any]:
    return {
        "name": parse_name,
        "kind": CategoryKind,
        "layout": Layout,
        "lead_product_id": lambda value: int(value) if value else None,
        "hidden": lambda value: value in (True, "yes"),
        "in_navigation": lambda value: value in (True, "yes"),
        "link": parse_link,
        "description": product_fields.parse_description,
        "address_part": product_fields.parse_address_part,
        "canonical": product_fields.parse_canonical,
        "meta_title": lambda t: product_fields.one_line(t, products.META_TITLE_LENGTH, "A meta title", "meta_title"),
        "meta_description": lambda t: product_fields.one_line(
            t, products.META_DESCRIPTION_LENGTH, "A meta description", "meta_description"
        ),
        "picture_id": lambda value: int(value) if value else None,
        "picture_alt": lambda t: product_fields.one_line(t, products.ALT_LENGTH, "An alt text", "picture_alt"),
        "search_words": product_fields.parse_search_words,
        "tags": product_fields.parse_tags,
    }
