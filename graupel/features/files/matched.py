"""The columns of a file: what stands in them, which field each goes to, and how that would be understood."""

import json
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import islice
from typing import Any

from graupel.context import Context
from graupel.core import attributes, guessing, imports, showing
from graupel.core import columns as rules_of
from graupel.core.columns import Rule
from graupel.core.errors import Refused
from graupel.core.file_columns import REFS, Known
from graupel.core.file_facts import NewChoices
from graupel.core.guessing import Guess
from graupel.features.files.rows import HabitRow, ImportFileRow
from graupel.tables import reading
from graupel.tables.shapes import Shape

SAMPLE_VALUES = 3
LOOKED_AT_ROWS = 200
LONGEST_HEADER = 120


@dataclass(frozen=True)
class Understood:
    """A first value of a column, and how it would be read: in words, or why it can't be."""

    text: str
    becomes: str = ""
    problem: str = ""


@dataclass(frozen=True)
class FileColumn:
    """A column of a file: its header, its first values, and the rules that take from it. ``joins``: an earlier column
    goes to the same field."""

    index: int
    header: str
    samples: list[Understood]
    rules: list[Rule]
    joins: bool = False

    @property
    def rule(self) -> Rule:
        """The rule that stands beside it; of one that is left out an empty one."""
        return self.rules[0] if self.rules else Rule("", self.index)


def columns(ctx: Context, row: ImportFileRow, known: Known) -> list[FileColumn]:
    """The columns of a file as they are matched."""
    path = ctx.folder("uploads") / row["sha256"]
    table = reading.table(path, ctx.folder("uploads"), Shape.of(row["shape"]))
    try:
        first = [raw.cells for raw in islice(table.rows, LOOKED_AT_ROWS)]
    except Refused:  # the dry run says so
        first = []
    matching = [Rule.of(one) for one in row["rules"]]
    found: list[FileColumn] = []
    for index, header in enumerate(row["headers"]):
        mine = [rule for rule in matching if rule.column == index and rule.field in known.fields]
        samples = _understood(mine[:1], first_values(first, index)[:SAMPLE_VALUES], ctx.settings.currency, known)
        joins = bool(mine) and any(mine[0].field == one.rule.field for one in found)
        found.append(FileColumn(index, header or f"column {index + 1}", samples, mine, joins))
    return found


def first_values(rows: Sequence[Sequence[str]], index: int) -> list[str]:
    """The first different values of a column; what is empty tells nothing."""
    values = (cells[index].strip()[:200] for cells in rows if index < len(cells))
    return list(dict.fromkeys(value for value in values if value))


def _understood(rules: Sequence[Rule], values: Sequence[str], currency: str, known: Known) -> list[Understood]:
    if not rules:
        return [Understood(value) for value in values]
    read = imports.cell_reader(known, rules[0].field, currency, NewChoices())
    return [_one_understood(replace(rules[0], column=0), value, read, known) for value in values]


def _one_understood(rule: Rule, value: str, read: Callable[[str], Any], known: Known) -> Understood:
    """How one value would be read."""
    kind = known.fields[rule.field].kind
    try:
        text = rules_of.text_of([rule], [value], kind)
        if not text:
            return Understood(value)
        found = read(text)
    except Refused as refusal:
        return Understood(value, problem=refusal.problems[0].message)
    if rule.field in known.lists:
        return Understood(value, becomes=text)
    if attribute := known.attributes.get(rule.field):
        shown = text if attribute.has_choices else attributes.show_fact(attribute, found)
        return Understood(value, becomes=shown)
    return Understood(value, becomes=str(found) if rule.field in ("sku", *REFS) else showing.show(kind, found))


def rule_of(guess: Guess, habit: HabitRow | None) -> Rule:
    """The rule for a guessed column: as it was chosen last time, or plain."""
    if habit and habit["field"] == guess.field:
        return replace(Rule.of(json.loads(habit["rule"])), field=guess.field, column=guess.column)
    return Rule(guess.field, guess.column)


def habits(headers: Sequence[str], rules: Sequence[Rule]) -> Iterator[tuple[str, str, Mapping[str, Any]]]:
    """By header what was chosen for its column: field and rule, "" where it is left out."""
    chosen = {rule.column: rule for rule in reversed(rules) if rule.column is not None}
    for index, header in enumerate(headers):
        if key := guessing.plain(header)[:LONGEST_HEADER]:
            rule = chosen.get(index)
            yield key, rule.field if rule else "", rule.as_dict() if rule else {}
