"""What a table is made of that goes out."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass


@dataclass(frozen=True)
class Column:
    """A column that goes out: its header, whether a spreadsheet can reckon with it, and in JSON-LD the path to its
    value, with what stands beside it there, and whether several that a cell parts by bars are a list there."""

    header: str
    is_number: bool = False
    linked: tuple[str, ...] = ()
    beside: Mapping[str, str] | None = None
    several: bool = False


@dataclass
class Written:
    """How many rows were written, and how many values were left out because no cell of a spreadsheet holds them."""

    rows: int = 0
    cut: int = 0


Rows = Iterable[Sequence[str]]
