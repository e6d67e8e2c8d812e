"""Files whose rows are no goods but what goods refer to: categories, brands, tags, attributes with their choices,
product types with their attributes.

A row says by its keys which record it means; what it says of it is text, read and written as a cell has it, so that
what is there and what a row says are compared as they stand.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from graupel.core import languages
from graupel.core.columns import Empty, Rule
from graupel.core.problems import Problem
from graupel.core.records import Field, FieldKind, InFile


class RowsAre(StrEnum):
    """What the rows of a file are."""

    GOODS = "goods"
    CATEGORY = "category"
    ATTRIBUTE = "attribute"
    TYPE = "type"
    SALE = "sale"
    BRAND = "brand"
    TAG = "tag"


#: What they are called, where they are chosen.
ROWS_ARE: Mapping[RowsAre, str] = {
    RowsAre.GOODS: "goods",
    RowsAre.CATEGORY: "categories",
    RowsAre.ATTRIBUTE: "attributes and their choices",
    RowsAre.TYPE: "product types and their attributes",
    RowsAre.SALE: "sale prices",
    RowsAre.BRAND: "brands",
    RowsAre.TAG: "tags",
}
#: One and many of the records that such rows make.
CALLED: Mapping[RowsAre, tuple[str, str]] = {
    RowsAre.GOODS: ("product", "products"),
    RowsAre.CATEGORY: ("category", "categories"),
    RowsAre.ATTRIBUTE: ("attribute or choice", "attributes and choices"),
    RowsAre.TYPE: ("product type or attribute of one", "product types and attributes of them"),
    RowsAre.SALE: ("sale price", "sale prices"),
    RowsAre.BRAND: ("brand", "brands"),
    RowsAre.TAG: ("tag", "tags"),
}
#: Languages that a column is for stand before its name, as "de.description".
_LANG = "."


@dataclass(frozen=True)
class RecordColumn:
    """A column of such a file. ``read``: the text of a cell as it is kept; it raises Refused. ``kept``: no empty cell
    empties it."""

    name: str
    label: str
    help: str
    headers: tuple[str, ...]
    read: Callable[[str], str]
    kind: FieldKind = FieldKind.LINE
    kept: bool = False

    @property
    def field(self) -> Field:
        """As a column that a file may have."""
        return Field(self.name, self.label, self.kind, file=InFile(self.help, self.headers))

    def in_language(self, lang: str) -> "RecordColumn":
        """The same words in another language."""
        called, itself = languages.name(lang), languages.name(lang, lang)
        ends = dict.fromkeys((f"({lang})", lang, f"({called})", called, f"({itself})", itself))
        headers = tuple(f"{self.headers[0]} {end}".lower() for end in ends)
        said = f"{self.label} in {called}"
        return replace(self, name=f"{lang}{_LANG}{self.name}", label=said, headers=headers, kept=False)


@dataclass(frozen=True)
class RecordColumns:
    """The columns that a file of such rows may have. ``keys``: the names of those that say which record is meant; a row
    needs the first. ``shared``: what several rows with the same first key say of one record."""

    rows_are: RowsAre
    keys: tuple[str, ...]
    columns: Mapping[str, RecordColumn]
    shared: frozenset[str] = frozenset()

    @property
    def fields(self) -> Mapping[str, Field]:
        """By name, as files know columns."""
        return {name: one.field for name, one in self.columns.items()}

    @property
    def kept(self) -> tuple[str, ...]:
        """The columns that no empty cell empties."""
        return tuple(name for name, one in self.columns.items() if one.kept or name in self.keys)

    def read(self, name: str) -> Callable[[str], str]:
        """What reads a cell of a column."""
        return self.columns[name].read

    def unfit(self, rules: Sequence[Rule]) -> list[Problem]:
        """Why nothing could be brought in by these rules, if nothing could."""
        fields = [rule.field for rule in rules]
        if self.keys[0] not in fields:
            label = self.columns[self.keys[0]].label
            return [Problem("columns.no_key", f"Say which column holds “{label}”: it tells what a row means.")]
        for rule in rules:
            column = self.columns.get(rule.field)
            if column and rule.empty is Empty.CLEAR and rule.field in self.kept:
                return [Problem("columns.kept", f"An empty cell can’t empty {column.label}: it is needed.")]
            if column and fields.count(rule.field) > 1 and rule.field not in self.keys:
                said = f"Two columns are matched to {column.label}. Leave one of them out."
                return [Problem("columns.twice", said)]
        return []


def words_of(name: str) -> tuple[str, str]:
    """The language, "" for the default one, and the field of a column's name."""
    lang, sign, field = name.rpartition(_LANG)
    return (lang, field) if sign else ("", name)
