"""Expected problems, as records that page, API and file show the same way."""

from collections.abc import Iterable
from dataclasses import asdict, dataclass, replace
from typing import Any


@dataclass(frozen=True)
class Problem:
    """Something wrong with what was given.

    ``code`` is stable and for programs; ``message`` says what is wrong and what to do.
    ``field`` is the field's name in the record, ``row`` the line in a file (the first line
    is 1), ``column`` the header of that line's cell.
    """

    code: str
    message: str
    field: str | None = None
    row: int | None = None
    column: str | None = None

    def at(self, *, field: str | None = None, row: int | None = None, column: str | None = None) -> "Problem":
        """The same problem with its place filled in where it was open."""
        return replace(self, field=self.field or field, row=self.row or row, column=self.column or column)

    def as_dict(self) -> dict[str, Any]:
        """The record without its empty places, as the API shows it."""
        return {key: value for key, value in asdict(self).items() if value is not None}


def by_field(problems: Iterable[Problem]) -> dict[str, list[Problem]]:
    """Problems grouped by field; those without one stand under ``""``."""
    grouped: dict[str, list[Problem]] = {}
    for problem in problems:
        grouped.setdefault(problem.field or "", []).append(problem)
    return grouped
