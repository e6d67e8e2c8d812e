"""Rows of a file read together, column by column: of most of them there is nothing to tell but their values.

A row of which there is more to tell (why it is refused, what is odd about it) is read by itself, as RowReader does; a
test holds the two against each other.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from graupel.core.imports import NOTHING, FileRow, RowReader


@dataclass(frozen=True)
class RowBlock:
    """``lines``: on which each row begins. ``said``: by column what each of them says, NOTHING where that is nothing;
    ``apart``: by place those rows that were read by themselves, of which ``said`` tells nothing."""

    lines: Sequence[int]
    said: Mapping[str, Sequence[Any]]
    apart: Mapping[int, FileRow]

    @classmethod
    def of(cls, rows: Sequence[FileRow]) -> "RowBlock":
        """Of rows that were read one by one."""
        return cls([row.line for row in rows], {}, dict(enumerate(rows)))

    def row(self, place: int) -> FileRow:
        """One of its rows."""
        if place in self.apart:
            return self.apart[place]
        values = {name: column[place] for name, column in self.said.items() if column[place] is not NOTHING}
        return FileRow(self.lines[place], values.pop("sku", ""), values)

    def rows(self) -> list[FileRow]:
        """All of them."""
        return [self.row(place) for place in range(len(self.lines))]


def read(
    reader: RowReader, rows: Sequence[Sequence[str]], lines: Sequence[int], apart: Mapping[int, FileRow]
) -> RowBlock:
    """Read rows that have a cell for each column. ``apart``: by place those of which it is known what they are."""
    found = {column.name: column.said_by(rows) for column in reader.columns}
    told = {place for said in found.values() for place, (_, wrong, odd) in enumerate(said) if wrong or odd}
    alone = {place: reader.read(rows[place], lines[place]) for place in sorted(told - apart.keys())} | dict(apart)
    return RowBlock(lines, {name: _values(said, alone) for name, said in found.items()}, alone)


def _values(said: Sequence[Any], alone: Collection[int]) -> list[Any]:
    values = [one[0] for one in said]
    for place in alone:
        values[place] = NOTHING
    return values
