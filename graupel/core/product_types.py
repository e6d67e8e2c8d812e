"""Product types: which attributes a product has, in which groups, and which it needs to go live."""

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import groupby

from graupel.core.attributes import Attribute, Fact
from graupel.core.errors import Refused
from graupel.core.problems import Problem

PREFIX_LENGTH = 12


class Need(StrEnum):
    """When an attribute must have a value before a product goes live."""

    NO = "no"
    ALWAYS = "always"
    WHEN = "when"


@dataclass(frozen=True)
class TypeAttribute:
    """An attribute's place in a type. ``when``: attribute and choice that make it needed."""

    attribute: Attribute
    group: str = ""
    need: Need = Need.NO
    when: tuple[int, int] | None = None
    may_differ: bool = False


class ArticleLayout(StrEnum):
    """How the blocks of an article's page stand in the shop window."""

    BESIDE = ""
    BELOW = "below"
    WORDS = "words"


LAYOUT_WORDS = {
    ArticleLayout.BESIDE: ("Pictures beside", "pictures at the left, all else beside them"),
    ArticleLayout.BELOW: ("Text below", "pictures and price side by side, copy and facts in two columns below"),
    ArticleLayout.WORDS: ("Words first", "the copy wide at the left, the price beside it, pictures in a row below"),
}


@dataclass(frozen=True)
class ProductType:
    """A product type with its attributes in order. ``code_prefix``: of new product codes, "" for none.

    ``delivered``: how its goods are (core.delivery.Way) where they do not say so themselves, "" for shipped;
    ``layout``: of their articles.
    """

    id: int
    name: str
    attributes: tuple[TypeAttribute, ...] = ()
    code_prefix: str = ""
    next_number: int = 1
    delivered: str = ""
    layout: str = ""

    @property
    def groups(self) -> list[tuple[str, list[TypeAttribute]]]:
        """The attributes by group, in order; one group's stand together even where they were typed apart."""
        order = {group: place for place, group in reversed(list(enumerate(a.group for a in self.attributes)))}
        ordered = sorted(self.attributes, key=lambda a: order[a.group])
        return [(group, list(members)) for group, members in groupby(ordered, key=lambda a: a.group)]

    def has(self, attribute_id: int) -> bool:
        """Whether the type names the attribute."""
        return any(one.attribute.id == attribute_id for one in self.attributes)


def needed(kind: ProductType | None, facts: Mapping[int, Fact], differs_by: Sequence[int] = ()) -> list[TypeAttribute]:
    """The attributes that must have a value now. What variants differ by has one in each of them."""
    return [
        one
        for one in (kind.attributes if kind else ())
        if _is_needed(one, facts) and one.attribute.id not in differs_by
    ]


def _is_needed(one: TypeAttribute, facts: Mapping[int, Fact]) -> bool:
    if one.need is Need.WHEN and one.when:
        attribute_id, choice_id = one.when
        return choice_id in facts.get(attribute_id, Fact()).choices
    return one.need is Need.ALWAYS


def lacking(kind: ProductType | None, facts: Mapping[int, Fact], differs_by: Sequence[int] = ()) -> list[Problem]:
    """What the type still wants before the product goes live."""
    return [
        Problem(
            "fact.missing",
            f"{one.attribute.name} is needed for {_with_article(kind)} before it can go live.",
            f"fact-{one.attribute.id}",
        )
        for one in needed(kind, facts, differs_by)
        if not facts.get(one.attribute.id)
    ]


def _with_article(kind: ProductType | None) -> str:
    return f"the type {kind.name}" if kind else "it"


def set_aside(kind: ProductType | None, facts: Iterable[Attribute]) -> list[Attribute]:
    """The attributes with a value that the type does not name: kept, but not shown to buyers.

    Private attributes belong to their product whatever its type is; without a type nothing is set aside.
    """
    if kind is None:
        return []
    return [attribute for attribute in facts if attribute.product_id is None and not kind.has(attribute.id)]


def parse_prefix(text: str) -> str:
    """The beginning of new product codes, in capitals. Raises Refused."""
    prefix = text.strip().upper()
    if prefix and not re.fullmatch(rf"[A-Z0-9][A-Z0-9-]{{0,{PREFIX_LENGTH - 1}}}", prefix):
        raise Refused.because(
            "type.prefix",
            f"“{text.strip()}” can't begin product codes. Use up to {PREFIX_LENGTH} letters A to Z, digits and dashes, "
            "such as YRN.",
            "code_prefix",
        )
    return prefix


def code_of(prefix: str, number: int) -> str:
    """A product code of a type: YRN-0042."""
    return f"{prefix}-{number:04d}"
