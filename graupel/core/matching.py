"""Whether the rules of a file's columns go together, and what can be said of them beside."""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from graupel.core.attributes import AttributeKind
from graupel.core.categories import CATEGORY_SEPARATOR
from graupel.core.columns import Empty, Rule
from graupel.core.file_columns import DECLARED, STOCK_AT, Known
from graupel.core.handling import Key
from graupel.core.problems import Problem
from graupel.core.records import FieldKind

#: Fields that no empty cell empties: without them goods are not there, or not sold.
KEPT = ("sku", "code", "name", "category", "stock", "status")
#: Kinds of field that can be put together from several columns.
JOINS = (FieldKind.LINE, FieldKind.LINES, FieldKind.RICH, FieldKind.REF)


def unfit(rules: Sequence[Rule], known: Known = DECLARED, key: str = Key.SKU) -> list[Problem]:
    """Why nothing could be brought in by these, if nothing could.

    ``known``: what columns can go to; ``key``: by what rows mean variants, as in core.handling.
    """
    if known.records:
        return known.records.unfit(rules)
    fields = {rule.field for rule in rules}
    wanted = "code" if key == Key.CHOICES else key
    if key != Key.SKU and wanted not in fields:
        label = known.fields[wanted].label if wanted in known.fields else "what goods are found by"
        return [Problem("columns.no_key", f"Say which column holds the {label}: it tells which variant a row means.")]
    if key == Key.SKU and not fields & {"sku", "code"}:
        said = "Say which column holds the SKU: it tells which product a row means."
        return [Problem("columns.no_sku", said)]
    emptied = {rule.field for rule in rules if rule.empty is Empty.CLEAR}
    if kept := sorted(name for name in emptied if name in KEPT or name.startswith(STOCK_AT)):
        label = known.fields[kept[0]].label
        return [Problem("columns.kept", f"An empty cell can’t empty {label}: goods can’t do without it.")]
    for name in sorted(fields):
        field = known.fields.get(name)
        if field and sum(rule.field == name for rule in rules) > 1 and field.kind not in JOINS:
            said = f"Two columns are matched to {field.label}. Leave one of them out."
            return [Problem("columns.twice", said)]
    if len(fields) < 2:
        return [Problem("columns.only_sku", "Match at least one column beside the SKU, or nothing can change.")]
    return []


def beside_none(rules: Sequence[Rule]) -> list[Rule]:
    """The rules that stand beside no column: one text for all rows, and what more is taken from a column."""
    seen: set[int] = set()
    found = []
    for rule in rules:
        if rule.column is None or rule.column in seen:
            found.append(rule)
        else:
            seen.add(rule.column)
    return found


def is_list(name: str, known: Known) -> bool:
    """Whether the cells of a column are lists of choices."""
    attribute = known.attributes.get(name)
    return name in known.lists or (attribute is not None and attribute.kind is AttributeKind.SEVERAL_CHOICES)


def mendable(rules: Sequence[Mapping[str, Any]], makes: Iterable[Sequence[Any]]) -> set[str]:
    """Which of the names that a file would make can be read as others by one press: whole cells, or parts of lists.

    ``rules``: as they are kept; ``makes``: name, what it is like, kind.
    """
    fields = [one["field"] for one in rules]
    made = [(name, kind) for name, _, kind in makes if fields.count(kind) == 1]
    return {
        name
        for name, kind in made
        if kind != "category" or not any(other.startswith(f"{name}{CATEGORY_SEPARATOR}") for other, _ in made)
    }
