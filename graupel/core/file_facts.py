"""Values of attributes as the cells of a file say them; choices that are not there yet are made with the file."""

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field

from graupel.core import attributes, bars, identifiers
from graupel.core.attributes import Attribute, AttributeKind, Fact
from graupel.core.errors import Refused
from graupel.core.file_columns import ListColumn
from graupel.core.product_fields import parse_switch

#: A column that would make more choices of an attribute is most likely another one.
MOST_NEW = 1_000


@dataclass
class NewChoices:
    """The choices that a file would make. Each has a number below 0, which stands for its id until it is made."""

    labels: list[tuple[int, str]] = field(default_factory=list)
    _numbers: dict[tuple[int, str], int] = field(default_factory=dict)
    _of: Counter[int] = field(default_factory=Counter)

    def number(self, attribute: Attribute, label: str, *, most: int | None = MOST_NEW) -> int:
        """The number of a choice, by its label in any case of letters. Raises Refused where there are too many."""
        key = attribute.id, label.casefold()
        if key not in self._numbers:
            if most is not None and self._of[attribute.id] >= most:
                raise Refused.because(
                    "choice.many",
                    f"This file would give {attribute.name} more than {MOST_NEW:,} new choices. "
                    "Look whether this is the right column, or make them at the attribute first.",
                )
            self._of[attribute.id] += 1
            self.labels.append((attribute.id, label))
            self._numbers[key] = -len(self.labels)
        return self._numbers[key]


def reader(attribute: Attribute, new: NewChoices) -> Callable[[str], Fact]:
    """What reads a cell of an attribute's column; it raises Refused."""
    if attribute.has_choices:
        exact = {choice.label: choice.id for choice in attribute.choices}  # two may differ by nothing but case
        known = {choice.label.casefold(): choice.id for choice in attribute.choices}
        several = attribute.kind is AttributeKind.SEVERAL_CHOICES

        def chosen(text: str) -> Fact:
            whole = attributes.parse_label(text)
            labels = [whole] if not several or whole.casefold() in known else _labels(text)
            ids = [exact.get(label) or known.get(label.casefold()) or new.number(attribute, label) for label in labels]
            return Fact(choices=tuple(sorted(set(ids))))

        return chosen
    if attribute.kind is AttributeKind.YES_NO:
        return lambda text: Fact(text="yes" if parse_switch(text) else "no")
    return lambda text: attributes.read_fact(attribute, [text])


def _labels(text: str) -> list[str]:
    """Of several choices. Raises Refused."""
    if not bars.parts_several(text):
        return attributes.split_list(text)
    return [attributes.parse_label(part) for part in bars.parted(text) if part]


def list_reader(column: ListColumn, new: NewChoices) -> Callable[[str], Fact]:
    """What reads a cell of a list: what is parted by bars or lines. Products get numbers, whether they are there or
    not; it raises Refused."""

    def one(text: str) -> int:
        if column.by_code:
            return new.number(column.attribute, identifiers.parse_sku(text, "product code").upper(), most=None)
        found = column.find(text)
        if found is None and not column.made:
            said = f"There is nothing called “{text[:60]}” for {column.label}. Make it first, or mend the row."
            raise Refused.because("list.unknown", said)
        return found or new.number(column.attribute, text)

    def read(text: str) -> Fact:
        parts = bars.parted(text)
        ids = tuple(dict.fromkeys(one(part) for part in parts if part))
        if len(ids) > column.most:
            raise Refused.because("list.many", f"{column.label}: at most {column.most} of a product, here {len(ids)}.")
        return Fact(choices=ids)

    return read


def same(one: Fact | None, other: Fact | None, *, in_order: bool = False) -> bool:
    """Whether two values say the same: numbers do in whatever units they were written, and choices in any order,
    unless they stand ``in_order``."""
    if not one or not other:
        return bool(one) == bool(other)
    if one.quantity and other.quantity:
        return one.quantity.number == other.quantity.number
    if in_order:
        return one.choices == other.choices
    return (sorted(one.choices), one.quantity, one.text) == (sorted(other.choices), other.quantity, other.text)


def show_in_file(attribute: Attribute, fact: Fact) -> str:
    """A value as it goes out, and is read again."""
    if attribute.kind is AttributeKind.SEVERAL_CHOICES:
        return bars.joined(choice.label for choice in attribute.choices if choice.id in fact.choices)
    return (
        attributes.show_fact(attribute, fact).lower()
        if attribute.kind is AttributeKind.YES_NO
        else _plain(attribute, fact)
    )


def _plain(attribute: Attribute, fact: Fact) -> str:
    return fact.text or attributes.show_fact(attribute, fact)
