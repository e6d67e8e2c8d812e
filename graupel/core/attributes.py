"""Attributes: typed facts of goods, their choices, and values as they are typed and kept."""

import re
import unicodedata
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from enum import StrEnum
from typing import Any

from babel.dates import format_date

from graupel.core import units
from graupel.core.errors import Refused
from graupel.core.phrases import phrase
from graupel.core.units import Quantity

NAME_LENGTH = 80
LABEL_LENGTH = 80
CODE_LENGTH = 12
SHORT_TEXT_LENGTH = 200
LONG_TEXT_LENGTH = 5000
MOST_PASTED = 1000


class AttributeKind(StrEnum):
    """What an attribute's value is."""

    SHORT_TEXT = "short_text"
    LONG_TEXT = "long_text"
    NUMBER = "number"
    YES_NO = "yes_no"
    DATE = "date"
    ONE_CHOICE = "one_choice"
    SEVERAL_CHOICES = "several_choices"
    COLOUR = "colour"


KIND_WORDS = {
    AttributeKind.SHORT_TEXT: "Short text",
    AttributeKind.LONG_TEXT: "Long text",
    AttributeKind.NUMBER: "Number with unit",
    AttributeKind.YES_NO: "Yes or no",
    AttributeKind.DATE: "Date",
    AttributeKind.ONE_CHOICE: "One choice",
    AttributeKind.SEVERAL_CHOICES: "Several choices",
    AttributeKind.COLOUR: "Colour",
}
WITH_CHOICES = (AttributeKind.ONE_CHOICE, AttributeKind.SEVERAL_CHOICES, AttributeKind.COLOUR)
#: What variants may differ by: each variant has exactly one.
CAN_VARY = (AttributeKind.ONE_CHOICE, AttributeKind.COLOUR)


@dataclass(frozen=True)
class Choice:
    """One value of an attribute: its label, the short code that SKUs carry, its swatch.

    ``swatch``: a colour; ``swatch_picture``: the address of a picture that stands instead of it.
    """

    id: int
    label: str
    code: str
    swatch: str | None = None
    swatch_media_id: int | None = None
    position: int = 0
    swatch_picture: str | None = None


@dataclass(frozen=True)
class Attribute:
    """A typed fact. ``product_id``: the only product it belongs to, if one.

    ``measure`` (a key of units.FAMILIES) and ``unit`` are of numbers; ``unit_fixed``: they are always read in it;
    ``in_order``: what is chosen stands in an order.
    """

    id: int
    name: str
    kind: AttributeKind
    measure: str | None = None
    unit: str | None = None
    help: str = ""
    product_id: int | None = None
    choices: tuple[Choice, ...] = ()
    unit_fixed: bool = False
    in_order: bool = False

    @property
    def has_choices(self) -> bool:
        """Whether its values are chosen from a list."""
        return self.kind in WITH_CHOICES

    @property
    def can_vary(self) -> bool:
        """Whether variants may differ by it."""
        return self.kind in CAN_VARY

    def choice(self, choice_id: int | None) -> Choice | None:
        """One of its choices."""
        return next((choice for choice in self.choices if choice.id == choice_id), None)


@dataclass(frozen=True)
class Fact:
    """The value of one attribute: chosen ids, or a quantity, or text (a date as ISO 8601, yes/no as such)."""

    choices: tuple[int, ...] = ()
    quantity: Quantity | None = None
    text: str = ""

    def __bool__(self) -> bool:
        return bool(self.choices or self.quantity or self.text)

    def plain(self) -> list[Any]:
        """As plain data: choices in order, number and unit, text."""
        number = [str(self.quantity.number), self.quantity.unit] if self.quantity else None
        return [sorted(self.choices), number, self.text]

    @classmethod
    def of_plain(cls, plain: Sequence[Any]) -> "Fact":
        """From plain data. Raises ValueError or TypeError where it is none."""
        choices, number, text = plain
        quantity = Quantity(Decimal(number[0]), str(number[1])) if number else None
        return cls(tuple(int(one) for one in choices), quantity, str(text))


EMPTY = Fact()


def read_fact(attribute: Attribute, typed: Sequence[str]) -> Fact:
    """The value that was typed or chosen; EMPTY for none. Raises Refused, saying what is wrong."""
    said = [text for text in typed if text.strip()]
    if not said:
        return EMPTY
    if attribute.has_choices:
        return _chosen(attribute, said)
    text = said[0]
    match attribute.kind:
        case AttributeKind.NUMBER:
            family = units.FAMILIES[attribute.measure or "count"]
            return Fact(quantity=units.parse(text, family, attribute.unit or family.base.sign))
        case AttributeKind.YES_NO:
            return Fact(text=_yes_no(attribute, text))
        case AttributeKind.DATE:
            return Fact(text=_date(attribute, text).isoformat())
        case AttributeKind.LONG_TEXT:
            return Fact(text=_text(attribute, text.strip(), LONG_TEXT_LENGTH))
        case _:
            return Fact(text=_text(attribute, re.sub(r"\s+", " ", text).strip(), SHORT_TEXT_LENGTH))


def _chosen(attribute: Attribute, said: Sequence[str]) -> Fact:
    known = {str(choice.id): choice.id for choice in attribute.choices}
    if any(text not in known for text in said):
        raise Refused.because(
            "fact.choice",
            f"A choice of {attribute.name} is not there any more. Choose another.",
            f"fact-{attribute.id}",
        )
    ids = tuple(dict.fromkeys(known[text] for text in said))
    if len(ids) > 1 and attribute.kind is not AttributeKind.SEVERAL_CHOICES:
        raise Refused.because("fact.one", f"{attribute.name} has one value only.", f"fact-{attribute.id}")
    return Fact(choices=ids)


def _yes_no(attribute: Attribute, text: str) -> str:
    if text.strip().lower() not in ("yes", "no"):
        raise Refused.because("fact.yes_no", f"{attribute.name} is yes or no.", f"fact-{attribute.id}")
    return text.strip().lower()


def _date(attribute: Attribute, text: str) -> date:
    for pattern, order in ((r"(\d{4})-(\d{1,2})-(\d{1,2})", (1, 2, 3)), (r"(\d{1,2})\.(\d{1,2})\.(\d{4})", (3, 2, 1))):
        if found := re.fullmatch(pattern, text.strip()):
            try:
                return date(*(int(found[place]) for place in order))
            except ValueError:
                break
    raise Refused.because(
        "fact.date", f"“{text.strip()}” is not a date. Write it like 2026-03-31 or 31.3.2026.", f"fact-{attribute.id}"
    )


def _text(attribute: Attribute, text: str, most: int) -> str:
    if len(text) > most:
        raise Refused.because(
            "fact.too_long",
            f"{attribute.name} has at most {most} characters; this has {len(text)}.",
            f"fact-{attribute.id}",
        )
    return text


def read_by(attribute: Attribute, fact: Fact, locale: str) -> str:
    """The value as those read it who are told of goods: in words of their language, and units of their region."""
    if fact.quantity is None:
        return show_fact(attribute, fact, locale=locale)
    family = units.FAMILIES[attribute.measure or "count"]
    return units.show_for(fact.quantity, family, attribute.unit or "", locale, fixed=attribute.unit_fixed)


def show_fact(attribute: Attribute, fact: Fact, unit: str | None = None, *, locale: str = "en") -> str:
    """The value in words of a language; numbers in ``unit``, or as they were written."""
    if attribute.has_choices:
        return ", ".join(c.label for c in attribute.choices if c.id in fact.choices)
    if fact.quantity is not None:
        return units.show(fact.quantity, units.FAMILIES[attribute.measure or "count"], unit, locale=locale)
    if attribute.kind is AttributeKind.YES_NO and fact.text:
        return phrase(fact.text.capitalize(), locale)
    if attribute.kind is AttributeKind.DATE and fact.text and locale != "en":
        return format_date(date.fromisoformat(fact.text), format="long", locale=locale)
    return fact.text


# --- choices -------------------------------------------------------------------------------------------------


def split_list(text: str) -> list[str]:
    """Labels from a pasted list: one a line where there are lines, else separated by bars, semicolons or commas.

    Doubles (by case) and empty ones are left out. Raises Refused where one is too long, or there are too many.
    """
    separator = next((mark for mark in ("\n", "|", ";", ",") if mark in text.strip()), "\n")
    labels: dict[str, str] = {}
    for part in text.replace("\t", " ").split(separator):
        label = re.sub(r"\s+", " ", part).strip(" ,;|")
        if label:
            labels.setdefault(label.casefold(), label)
    if len(labels) > MOST_PASTED:
        raise Refused.because(
            "choices.too_many", f"A list of at most {MOST_PASTED} choices is taken; this has {len(labels)}.", "choices"
        )
    return [parse_label(label) for label in labels.values()]


def parse_label(text: str) -> str:
    """A choice's label on one line. Raises Refused where it is empty or too long."""
    label = re.sub(r"\s+", " ", text).strip()
    if not label:
        raise Refused.because("choice.empty", "A choice needs a label, such as Heather.", "label")
    if len(label) > LABEL_LENGTH:
        raise Refused.because(
            "choice.too_long",
            f"A choice's label has at most {LABEL_LENGTH} characters; “{label[:20]}…” has {len(label)}.",
            "label",
        )
    return label


def parse_code(text: str) -> str:
    """A choice's short code for SKUs, in capitals. Raises Refused."""
    code = text.strip().upper()
    if not re.fullmatch(rf"[A-Z0-9][A-Z0-9.]{{0,{CODE_LENGTH - 1}}}", code):
        raise Refused.because(
            "choice.code",
            f"“{text.strip()}” can't be a code. Use up to {CODE_LENGTH} letters A to Z, digits and dots, such as HEA.",
            "code",
        )
    return code


def parse_swatch(text: str) -> str | None:
    """A colour as #RRGGBB, or None for none. Raises Refused."""
    colour = text.strip().upper()
    if not colour:
        return None
    if not re.fullmatch(r"#[0-9A-F]{6}", colour):
        raise Refused.because("choice.swatch", f"“{text.strip()}” is not a colour. Write it like #8C7AA0.", "swatch")
    return colour


def suggest_code(label: str, taken: Iterable[str]) -> str:
    """A short code for a label that none of ``taken`` is: HEA for Heather, 45 for 4.5 mm."""
    used = set(taken)
    base = _base_code(label)
    for length in (3, 4, 5):
        if base[:length] not in used:
            return base[:length]
    number = 2
    while f"{base[:3]}{number}" in used:
        number += 1
    return f"{base[:3]}{number}"


def _base_code(label: str) -> str:
    plain = "".join(str(unicodedata.decimal(one, one)) for one in unicodedata.normalize("NFKD", label))
    if number := re.match(r"\s*(\d+)(?:[.,](\d+))?", plain):
        whole, fraction = str(number[1]), str(number[2] or "")
        return f"{whole}{fraction}"[:CODE_LENGTH]
    words: list[str] = re.findall(r"[A-Za-z0-9]+", plain.replace("ß", "ss"))
    if not words:
        return "X"
    if len(words) == 1:
        return words[0].upper()[:CODE_LENGTH]
    return "".join(word[0] for word in words[:3]).upper() + words[-1][1:].upper()


def parse_attribute_name(text: str) -> str:
    """An attribute's name on one line. Raises Refused."""
    name = re.sub(r"\s+", " ", text).strip()
    if not name or len(name) > NAME_LENGTH:
        raise Refused.because(
            "attribute.name", f"An attribute needs a name of up to {NAME_LENGTH} characters, such as Fibre.", "name"
        )
    return name
