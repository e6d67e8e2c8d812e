"""How a file is read, and what its rows look like."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields
from enum import StrEnum
from typing import Any


class Kind(StrEnum):
    """What a file is."""

    TEXT = "text"
    SHEET = "sheet"
    LINES = "lines"
    JSON = "json"
    XML = "xml"


#: What people call them.
KINDS: Mapping[Kind, str] = {
    Kind.TEXT: "delimited text",
    Kind.SHEET: "spreadsheet",
    Kind.LINES: "JSON Lines",
    Kind.JSON: "JSON",
    Kind.XML: "XML",
}
DELIMITERS: Mapping[str, str] = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}
#: A cell has at most so many signs.
LONGEST_CELL = 1_000_000
QUOTES: Mapping[str, str] = {'"': "quotation marks", "'": "apostrophes", "": "nothing"}


@dataclass(frozen=True)
class Shape:
    """How a file is read.

    ``encoding``, ``delimiter`` and ``quote`` are of delimited text; ``part`` is the sheet of a spreadsheet, the key
    under which the rows of JSON stand, or the path of the element that repeats in XML. ``header``: the line on which
    the headers stand, 0 where there are none. ``member``: which file of a packed one, "" of one that is not packed.
    """

    kind: Kind = Kind.TEXT
    encoding: str = "utf-8"
    delimiter: str = ","
    quote: str = '"'
    part: str = ""
    header: int = 1
    member: str = ""

    def as_dict(self) -> dict[str, Any]:
        """As it is kept."""
        return asdict(self)

    @classmethod
    def of(cls, kept: Mapping[str, Any]) -> "Shape":
        """From what is kept."""
        known = {one.name for one in fields(cls)}
        said = {name: value for name, value in kept.items() if name in known}
        return cls(**said | {"kind": Kind(said.get("kind", Kind.TEXT))})


@dataclass(frozen=True)
class RawRow:
    """Cells of one row, and its place: the line on which it begins, or its number among the rows. ``trouble``: why it
    can't be read, "" where it can."""

    line: int
    cells: list[str]
    trouble: str = ""


@dataclass(frozen=True)
class Found:
    """What a file is: how it is read at first, and what can be chosen instead.

    ``parts``: sheets, keys or paths whose rows can be read; ``members``: the tables of a packed file.
    """

    shape: Shape
    parts: tuple[str, ...] = ()
    members: tuple[str, ...] = ()
