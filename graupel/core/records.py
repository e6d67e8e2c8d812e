"""What a record is made of, said once and as data.

Each kind of record is declared in core/declarations, a module an area. Whatever needs to know the fields of a record
reads them there: the columns that a store writes, what the journal keeps and puts back, what has words, what refers to
what, what a variant may inherit, what a destination may have of its own, and what a field is called.
"""

from dataclasses import dataclass
from enum import StrEnum
from typing import Any


class FieldKind(StrEnum):
    """What kind of value a field holds, and so how it is read, compared and shown."""

    LINE = "line"
    LINES = "lines"
    RICH = "rich"
    CODE = "code"
    WORD = "word"
    MONEY = "money"
    DECIMAL = "decimal"
    QUANTITY = "quantity"
    WEIGHT = "weight"
    COUNT = "count"
    SWITCH = "switch"
    COUNTRY = "country"
    DAY = "day"
    MOMENT = "moment"
    REF = "ref"


#: Kept in the journal as a number of JSON; all others as its text.
_NUMBERS = (FieldKind.WEIGHT, FieldKind.COUNT, FieldKind.SWITCH, FieldKind.REF)
#: Which values a field may have beside the one that stands with its record.
LANGUAGE, DESTINATION = "language", "destination"


@dataclass(frozen=True)
class InFile:
    """How a field goes by in a table of goods: a sentence of help, and the headers that the trade gives it."""

    help: str
    headers: tuple[str, ...]


@dataclass(frozen=True)
class Field:
    """One field of a record; its name is that of its column.

    ``refers_to``: the kind of record whose id it holds; where another field says of which kind that is, ``kinds_in``
    names that field and what each of its values means. ``use``: what the records are called, in the plural, that use
    another by this field; without it they are not counted as using it. ``once``: the fields beside which it stands
    once: another record that holds the same in all of them says the same. ``own``: it may be written anew for a
    LANGUAGE, or for a DESTINATION. ``beside``: it stands in the record's second table. ``empty``: what the column
    holds where there is nothing, None being NULL. ``inherits``: NULL in a variant means as its product.
    ``moves_with``: a field with which it changes; where that was written too, a roll back does not mind that this one
    was moved on since, as a place among siblings is. ``optional``: the record can do without what it refers to, and
    comes back without it. ``booked``: it follows from entries of a record of their own, and stands in no column.

    Where it is met, beside the form of its record: ``many``: it may be set for many at once, by a selection or in
    bulk; ``listed``: it may be a column of the table; ``facet``: the table can be narrowed by it; ``file``: it comes
    and goes with files, with the product or with the variant as it is declared here.
    """

    name: str
    label: str
    kind: FieldKind = FieldKind.LINE
    refers_to: str = ""
    kinds_in: tuple[str, tuple[tuple[str, str], ...]] = ("", ())
    use: str = ""
    once: tuple[str, ...] = ()
    own: tuple[str, ...] = ()
    beside: bool = False
    empty: str | int | None = None
    inherits: bool = False
    moves_with: str = ""
    optional: bool = False
    many: bool = False
    listed: bool = False
    facet: bool = False
    file: InFile | None = None
    booked: bool = False

    @property
    def is_number(self) -> bool:
        """Whether the journal keeps it as a number."""
        return self.kind in _NUMBERS


def ref(name: str, label: str, refers_to: str = "", **more: Any) -> Field:
    """A field that holds the id of another record; of which kind another field says where ``refers_to`` is empty."""
    return Field(name, label, FieldKind.REF, refers_to, **more)


@dataclass(frozen=True)
class Beside:
    """A second table that holds a record's words in the default language. ``key``: its column of the record's id."""

    table: str
    alias: str
    key: str


@dataclass(frozen=True)
class Record:
    """A kind of record. ``alias``: of its table in every statement that is derived.

    ``table``: where it is called otherwise than the kind. ``parent``: the kind of record that it belongs to and whose
    lot it shares, named by its field "<parent>_id"; ``private_to``: the same where only some of them belong to one;
    ``said_of``: the fields that name the kind, and the id, of the record of which it is said; ``goes_along``: it goes
    when that goes, while others stay and are there again with it. ``revived``: columns that
    are no fields, and the SQL that fills them where a removed record is made again; ``kept_up``: the same where it is
    changed, from the row r of the journal. ``stamped``: it notes in changed_at
    when it changed. ``wholes``: fields that mean something only together, and so go back together or stay.
    """

    name: str
    label: str
    alias: str
    fields: tuple[Field, ...]
    table: str = ""
    beside: Beside | None = None
    parent: str = ""
    private_to: str = ""
    said_of: tuple[str, str] = ("", "")
    goes_along: bool = False
    revived: tuple[tuple[str, str], ...] = ()
    kept_up: tuple[tuple[str, str], ...] = ()
    wholes: tuple[tuple[str, ...], ...] = ()
    stamped: bool = False

    @property
    def plain(self) -> str:
        """The table that holds its id."""
        return self.table or self.name

    @property
    def owner(self) -> str:
        """The field that says to which record it belongs, "" where it stands by itself."""
        above = self.parent or self.private_to
        return f"{above}_id" if above else self.said_of[1]

    def field(self, name: str) -> Field:
        """One of its fields. Raises KeyError."""
        for field in self.fields:
            if field.name == name:
                return field
        raise KeyError(name)

    def column(self, name: str) -> str:
        """Where a field stands, with the alias of its table: "p.price". Raises KeyError."""
        alias = self.beside.alias if self.beside and self.field(name).beside else self.alias
        return f"{alias}.{name}"

    def columns(self, *, beside: bool = False) -> tuple[str, ...]:
        """The columns of its table, or of the one beside it, in the order of the fields."""
        return tuple(field.name for field in self.fields if field.beside == beside and not field.booked)

    @property
    def names(self) -> tuple[str, ...]:
        """The names of all fields."""
        return tuple(field.name for field in self.fields)

    def together_with(self, name: str) -> tuple[str, ...]:
        """The fields that mean something only together with one, itself among them."""
        return next((whole for whole in self.wholes if name in whole), (name,))

    @property
    def for_many(self) -> tuple[str, ...]:
        """The names of the fields that may be set for many at once."""
        return tuple(field.name for field in self.fields if field.many)

    @property
    def in_files(self) -> tuple[str, ...]:
        """The names of the fields that come and go with files."""
        return tuple(field.name for field in self.fields if field.file)

    def own(self, what: str) -> tuple[str, ...]:
        """The names of the fields that may be written anew for a LANGUAGE or a DESTINATION."""
        return tuple(field.name for field in self.fields if what in field.own)
