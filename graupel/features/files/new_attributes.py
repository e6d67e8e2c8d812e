"""Attributes that are made where a column of a file has no place to go to yet."""

from collections.abc import Mapping, Sequence

from graupel.context import Context
from graupel.core import attributes as rules
from graupel.core import file_columns, units
from graupel.core.attributes import AttributeKind
from graupel.core.errors import Refused
from graupel.core.file_columns import TAGS_ID
from graupel.core.roles import Actor, Role
from graupel.features.files import known
from graupel.features.files.matched import FileColumn
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary.attributes import Definition

#: What a column may be sent to so that an attribute is made of it, and the kind of that.
NEW: Mapping[str, AttributeKind] = {
    "new-choice": AttributeKind.ONE_CHOICE,
    "new-number": AttributeKind.NUMBER,
    "new-text": AttributeKind.SHORT_TEXT,
}
NEW_WORDS = {
    "new-choice": "of choices: variants can differ by it",
    "new-number": "of numbers",
    "new-text": "of text",
}


def name_of(header: str) -> str:
    """What an attribute is called that is made of a column."""
    name = " ".join(header.replace("_", " ").split())[: rules.NAME_LENGTH]
    return name[:1].upper() + name[1:]


def make(ctx: Context, actor: Actor, fields: Mapping[int, str], columns: Sequence[FileColumn]) -> dict[int, str]:
    """Where columns go, with attributes made for those that ask for it; one that is there by this name is taken.

    Raises Refused.
    """
    actor.require(Role.EDITOR)
    found = dict(fields)
    for column in columns:
        if kind := NEW.get(fields.get(column.index, "")):
            found[column.index] = file_columns.fact_column(_made(ctx, actor, column, kind))
    return found


def _made(ctx: Context, actor: Actor, column: FileColumn, kind: AttributeKind) -> int:
    name = rules.parse_attribute_name(name_of(column.header))
    unit = _unit(column) if kind is AttributeKind.NUMBER else ""
    there = {one.name.casefold(): one for one in known.current(ctx).attributes.values() if one.id != TAGS_ID}
    if found := there.get(name.casefold()):
        return found.id
    return attributes.make(ctx, actor, Definition(name, kind, unit)).id


def _unit(column: FileColumn) -> str:
    """The unit that stands in the first values of a column; plain numbers where there is none."""
    for family in units.FAMILIES.values():
        for sample in column.samples:
            word = sample.text.lstrip("+-0123456789.,' \u00a0")
            try:
                if word and (unit := family.unit(word)) and units.parse(sample.text, family, unit.sign):
                    return f"{family.key}:{unit.sign}"
            except Refused:
                continue
    return "count:"
