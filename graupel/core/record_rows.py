"""Reading the rows of a file of records (core.record_files)."""

from collections import Counter
from collections.abc import Sequence
from typing import Any

from graupel.core.columns import Matching
from graupel.core.imports import NOTHING, ColumnReader, FileRow, left_out_code
from graupel.core.problems import Problem
from graupel.core.record_files import RecordColumns


class RecordReader:
    """Reads rows as they were matched: what cells say as texts, "" where an empty cell empties a field."""

    def __init__(self, matching: Matching, columns: RecordColumns) -> None:
        #: How many cells said nothing though something stood there, by field and the code of its problem.
        self.left_out: Counter[tuple[str, str]] = Counter()
        #: The fields whose cells could not be read, with the codes of their problems.
        self.met: set[tuple[str, str]] = set()
        self._needed = columns.columns[columns.keys[0]]
        self._columns = [
            ColumnReader(name, rules, columns.columns[name].kind, columns.read(name), cleared=name in matching.cleared)
            for name, rules in matching.rules.items()
            if name in columns.columns
        ]

    def read(self, cells: Sequence[str], line: int) -> FileRow:
        """What one row says."""
        values: dict[str, Any] = {}
        problems: list[Problem] = []
        for column in self._columns:
            value, wrong, strange = column.said(cells)
            if value is not NOTHING:
                values[column.name] = value or ""
            problems += [problem.at(row=line) for problem in wrong]
            self.met.update((column.name, problem.code) for problem in wrong)
            if code := left_out_code(strange):
                self.left_out[column.name, code] += 1
        if not values.get(self._needed.name) and not problems:
            said = f"This row says nothing of “{self._needed.label}”: what does it mean?"
            problems.append(Problem("row.nameless", said, self._needed.name, line))
        return FileRow(line, "", values, tuple(problems))
