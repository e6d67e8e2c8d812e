"""Relations as lines of a file: a code, a kind, a code."""

import csv
from collections.abc import Sequence
from dataclasses import dataclass

from graupel.core.problems import Problem

MOST_LINES = 20_000
MOST_TEXT = 2_000_000
#: What may part the three; the one that stands in most lines does.
DELIMITERS = ("\t", ";", ",")
HEADER = ("code", "kind", "other code")


@dataclass(frozen=True)
class RelationLine:
    """A line: the goods of ``code`` have those of ``other`` beside them, as ``kind``."""

    line: int
    code: str
    kind: str
    other: str


def read_lines(text: str) -> tuple[list[RelationLine], list[Problem]]:
    """The lines of a table with three columns, tabs, semicolons or commas between them, quoted where that is needed; a
    header is left out. What can't be read is named with its line."""
    rows = text.removeprefix("\ufeff").splitlines()[: MOST_LINES + 1]
    delimiter = max(DELIMITERS, key=lambda one: sum(row.count(one) >= 2 for row in rows[:200]))
    found: list[RelationLine] = []
    problems: list[Problem] = []
    if len(rows) > MOST_LINES:
        problems.append(Problem("relation.lines", f"At most {MOST_LINES:,} lines are read at once.", "text"))
    for number, row in enumerate(rows[:MOST_LINES], 1):
        cells = _cells(row, delimiter)
        if not any(cells) or (number == 1 and _is_header(cells)):
            continue
        if len(cells) != 3 or not all(cells):
            said = f"Line {number} needs a code, a kind and a code, such as FEL-1, Accessories, NDL-4."
            problems.append(Problem("relation.line", said, "text", number))
            continue
        found.append(RelationLine(number, *cells))
    return found, problems


def _cells(row: str, delimiter: str) -> list[str]:
    try:
        cells = next(csv.reader([row], delimiter=delimiter), [])
    except csv.Error:
        return [row]
    return [one.strip() for one in cells]


def _is_header(cells: Sequence[str]) -> bool:
    return len(cells) == 3 and cells[0].casefold() in ("code", "sku", "product") and "code" not in cells[1].casefold()
