"""The columns that a table of goods may have: the declared fields, and the attributes of the shop."""

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from graupel.core import file_pictures, units
from graupel.core.attributes import Attribute, AttributeKind, Choice
from graupel.core.declarations.products import IN_FILES, PRODUCT
from graupel.core.record_files import RecordColumns
from graupel.core.records import Field, FieldKind, InFile

#: What stands before the id of an attribute in the name of its column.
FACT = "fact-"
#: What stands before the key of a value for a language or a destination, as "own-.de.name".
OWN = "own-"
#: What stands before the id of a location in the name of the column of what was counted there.
STOCK_AT = "stock-"
#: The column of tags, and the id under which they go along with attributes: a list of words that a product has.
TAGS, TAGS_ID = "tags", 0
#: What stands before the id of another list in the name of its column; such ids begin beyond those of attributes.
LIST, FIRST_LIST = "list-", 4_000_000_000


def _name(field: Field) -> str:
    """What a field is called in a row: what names another record stands there by its name, all others as kept."""
    return field.name.removesuffix("_id")


_FIRST = ("sku", "code", "name")
#: The declared fields: the SKU, by which a row finds its variant, before all others.
COLUMNS: dict[str, Field] = {
    _name(field): field
    for field in sorted(IN_FILES.values(), key=lambda one: _FIRST.index(one.name) if one.name in _FIRST else 9)
}
#: The declared fields that a row can change, and those of them that all variants of a product share.
ROW_FIELDS = tuple(name for name in COLUMNS if name != "sku")
SHARED_FIELDS = tuple(_name(field) for field in PRODUCT.fields if field.file)
#: Those that name another record: what a row says is its name or path, what is kept its id.
REFS = tuple(name for name, field in COLUMNS.items() if field.kind is FieldKind.REF)
#: Those of them whose records are made where they are not there.
MADE = ("category", "brand")

#: How the values of an attribute are read from cells.
_KINDS = {
    AttributeKind.NUMBER: FieldKind.DECIMAL,
    AttributeKind.DATE: FieldKind.DAY,
    AttributeKind.LONG_TEXT: FieldKind.LINES,
    AttributeKind.YES_NO: FieldKind.WORD,
}
_HELP = {
    AttributeKind.NUMBER: "a number, with its unit or without",
    AttributeKind.YES_NO: "yes or no",
    AttributeKind.DATE: "2026-12-24",
    AttributeKind.ONE_CHOICE: "one of its choices; where the variants of a product differ by it, the variant’s",
    AttributeKind.COLOUR: "one of its choices; where the variants of a product differ by it, the variant’s",
    AttributeKind.SEVERAL_CHOICES: "its choices, parted by |",
}


def fact_column(attribute_id: int) -> str:
    """The name of an attribute's column, or of a list's."""
    if attribute_id >= FIRST_LIST:
        return f"{LIST}{attribute_id}"
    return f"{FACT}{attribute_id}" if attribute_id != TAGS_ID else TAGS


@dataclass(frozen=True)
class ListColumn:
    """A column of records that a product has several of, such as further categories; it goes along with attributes.

    ``find``: the id of the record that a text means, None where there is none; ``made``: it is made then; ``by_code``:
    they are products, which may stand in the same file, and a text is a code of theirs; ``most``: so many at most;
    ``in_order``: it matters in which order they stand.
    """

    id: int
    label: str
    headers: tuple[str, ...]
    help: str
    find: Callable[[str], int | None]
    made: bool = False
    by_code: bool = False
    most: int = 60
    in_order: bool = False

    @property
    def name(self) -> str:
        """Of its column."""
        return fact_column(self.id)

    @property
    def attribute(self) -> Attribute:
        """As which it goes along."""
        return Attribute(self.id, self.label, AttributeKind.SEVERAL_CHOICES, in_order=self.in_order)

    def field(self, taken: Collection[str]) -> Field:
        """As a column that a file may have; ``taken``: headers that mean a field or an attribute, which come first."""
        free = tuple(header for header in self.headers if header not in taken)
        return Field(self.name, self.label, file=InFile(self.help, free or (f"{self.label.lower()} (list)",)))


@dataclass(frozen=True)
class OwnColumn:
    """A column of what holds for a language or a destination. ``key``: as core.resolve.split_key takes it;
    ``currency``: of amounts."""

    key: str
    label: str
    headers: tuple[str, ...]
    currency: str = ""

    @property
    def field(self) -> Field:
        """As a column that a file may have."""
        declared = PRODUCT.field(self.key.rpartition(".")[2])
        return Field(f"{OWN}{self.key}", self.label, declared.kind, file=InFile("what holds there alone", self.headers))


@dataclass(frozen=True)
class Place:
    """A further location at which stock is counted."""

    id: int
    name: str

    @property
    def field(self) -> Field:
        """As a column that a file may have."""
        ends = (f"({self.name})", self.name)
        headers = tuple(f"{word} {end}".lower() for word in ("stock", "bestand") for end in ends)
        said = InFile("how many were there when the file came in", headers)
        return Field(f"{STOCK_AT}{self.id}", f"Stock at {self.name}", FieldKind.QUANTITY, booked=True, file=said)


@dataclass(frozen=True)
class Known:
    """What columns of files can go to. ``attributes``: shared ones, by the names of their columns, tags among them as
    one; ``names``: of attributes in other languages, by their ids; ``own``: of what holds for a language or a
    destination, by name; ``locations``: the further ones, and ``lists``: the other ones, by the names of their
    columns. ``records``: the columns of a file whose rows are no goods; then there are no others."""

    attributes: Mapping[str, Attribute]
    names: Mapping[int, Sequence[str]] = field(default_factory=dict)
    own: Mapping[str, OwnColumn] = field(default_factory=dict)
    locations: Mapping[str, Place] = field(default_factory=dict)
    lists: Mapping[str, ListColumn] = field(default_factory=dict)
    records: RecordColumns | None = None

    @classmethod
    def of(
        cls,
        attributes: Iterable[Attribute],
        tags: Mapping[int, str],
        names: Mapping[int, Sequence[str]],
        own: Iterable[OwnColumn] = (),
        locations: Iterable[Place] = (),
        lists: Iterable[ListColumn] = (),
    ) -> "Known":
        """With these attributes, those that are private to a product left out: a file can't tell whose is meant."""
        shared = {fact_column(one.id): one for one in attributes if one.product_id is None}
        choices = tuple(Choice(tag_id, name, "") for tag_id, name in tags.items())
        tag = Attribute(TAGS_ID, "Tags", AttributeKind.SEVERAL_CHOICES, choices=choices)
        by_key = {f"{OWN}{one.key}": one for one in own}
        return cls({TAGS: tag, **shared}, names, by_key, _by_name(locations), {one.name: one for one in lists})

    @cached_property
    def facts(self) -> Mapping[str, Attribute]:
        """What goes along as attributes do, by the names of columns: these, and the lists."""
        return {**self.attributes, **{name: one.attribute for name, one in self.lists.items()}}

    @cached_property
    def fields(self) -> Mapping[str, Field]:
        """All columns by name, attributes last."""
        if self.records:
            return self.records.fields
        found = {name: field_of(name, one, self.names.get(one.id, ())) for name, one in self.attributes.items()}
        own = {name: one.field for name, one in self.own.items()}
        places = {name: one.field for name, one in self.locations.items()}
        taken = _TAKEN.union(*(one.file.headers for one in found.values() if one.file))
        lists = {name: one.field(taken) for name, one in self.lists.items()}
        return {**COLUMNS, **file_pictures.FIELDS, **lists, **found, **own, **places}

    @property
    def keys(self) -> dict[str, str]:
        """The attributes by which rows may mean goods, in words by the names of their columns: short texts, such as the
        ids by which other systems know them."""
        texts = (one for one in self.attributes.items() if one[1].kind is AttributeKind.SHORT_TEXT)
        return {name: f"their {one.name}" for name, one in texts}

    def header(self, name: str) -> str:
        """What heads a column that goes out; an attribute that is called like a field says that it is one."""
        field = self.fields[name]
        return field.file.headers[0] if field.file else field.label

    def units(self, name: str) -> tuple[str, ...]:
        """The units that can be said for a column whose numbers may lack one."""
        if name == "weight_g":
            return ("g", "kg", "mg", "oz", "lb")
        attribute = self.attributes.get(name)
        if attribute is None or not attribute.measure:
            return ()
        return tuple(unit.sign for unit in units.FAMILIES[attribute.measure].units if unit.sign)


def _by_name(locations: Iterable[Place]) -> dict[str, Place]:
    return {f"{STOCK_AT}{one.id}": one for one in locations}


def field_of(name: str, attribute: Attribute, also: Sequence[str], taken: Collection[str] | None = None) -> Field:
    """The column of an attribute. ``also``: further names of it; ``taken``: what heads other columns, without it those
    of goods."""
    taken = _TAKEN if taken is None else taken
    said = attribute.name.lower()
    headers: tuple[str, ...] = (f"{said} (attribute)",) if said in taken else (said, f"{said} (attribute)")
    if name == TAGS:
        headers = ("tags", "tag", "schlagwörter")
    headers += tuple(one.lower() for one in also if one.lower() not in taken)
    kind = _KINDS.get(attribute.kind, FieldKind.LINE)
    return Field(name, attribute.name, kind, file=InFile(_HELP.get(attribute.kind, "text"), headers))


_TAKEN = frozenset(header for field in COLUMNS.values() if field.file for header in field.file.headers)
#: Where no shop is asked.
DECLARED = Known({})
