"""What can be translated: each area tells which of its records have words, and where these stand."""

from collections.abc import Mapping
from dataclasses import dataclass

from graupel.core.errors import NotFound
from graupel.core.records import LANGUAGE, FieldKind, Record


@dataclass(frozen=True)
class Words:
    """One field with words: what it is called, and whether it takes several lines or rich text."""

    label: str
    column: str
    long: bool = False
    rich: bool = False


def words_of(record: Record, column: str = "{}") -> dict[str, Words]:
    """The words of a record by field, as it was declared. ``column``: SQL around each column."""
    return {
        name: Words(
            record.field(name).label,
            column.format(record.column(name)),
            record.field(name).kind is FieldKind.LINES,
            record.field(name).kind is FieldKind.RICH,
        )
        for name in record.own(LANGUAGE)
    }


@dataclass(frozen=True)
class Original:
    """Records of one kind and their words in the default language.

    ``table``: the FROM clause, which may use the bound ``%(lang)s``; ``key``: SQL of the id; ``title``: SQL of the
    record's name; ``link``: its page, with "{}" for ``link_key``; ``where``: which of them count; ``live``: SQL that
    is true for what buyers see now.
    """

    kind: str
    label: str
    table: str
    key: str
    title: str
    link: str
    fields: Mapping[str, Words]
    link_key: str = ""
    where: str = "TRUE"
    live: str = "TRUE"


_ORIGINALS: dict[str, Original] = {}


def register(original: Original) -> None:
    """Make a kind of record with words known."""
    _ORIGINALS[original.kind] = original


def all_kinds() -> list[Original]:
    """All of them, in the order of the areas."""
    return list(_ORIGINALS.values())


def of_kind(kind: str) -> Original:
    """One of them. Raises NotFound."""
    if kind not in _ORIGINALS:
        raise NotFound(f"Nothing called {kind[:20]} can be translated.")
    return _ORIGINALS[kind]


def field_of(kind: str, field: str) -> Words:
    """One field of one kind. Raises NotFound."""
    found = of_kind(kind).fields.get(field)
    if found is None:
        raise NotFound(f"There is no field {field[:20]} to be translated.")
    return found
