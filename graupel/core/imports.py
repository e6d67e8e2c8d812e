"""Reading a table of products: which column is what, what a row says, and what it would do."""

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal
from enum import StrEnum
from functools import lru_cache
from typing import Any

from graupel.core import changes, identifiers, kits, ordering, product_fields, richtext
from graupel.core.columns import Matching, Rule, text_of
from graupel.core.declarations.products import IN_FILES, PRODUCT
from graupel.core.errors import Refused
from graupel.core.problems import Problem
from graupel.core.products import ProductValues, lacks_for_live
from graupel.core.records import Field, FieldKind

CATEGORY_SEPARATOR = " > "
CATEGORY_DEPTH = 8
CATEGORY_NAME_LENGTH = 120


def _name(field: Field) -> str:
    """What a field is called in a row: a category stands there by its path, all others as they are kept."""
    return field.name.removesuffix("_id")


#: The fields that a file may bring: the SKU, by which a row finds its variant, before all others.
COLUMNS: dict[str, Field] = {
    _name(field): field for field in sorted(IN_FILES.values(), key=lambda one: (one.name != "sku", one.name != "name"))
}


class Action(StrEnum):
    """What a row of a file would do."""

    NEW = "new"
    CHANGED = "changed"
    UNCHANGED = "unchanged"
    REFUSED = "refused"


@dataclass(frozen=True)
class FileRow:
    """A row as read: what its cells say by field, the line it began on, and why it is refused.

    ``values``: under the names of COLUMNS, but the SKU; a field that is not there is not spoken of, one that is None is
    emptied. ``odd``: what is
    worth a look, as in ODD.
    """

    line: int
    sku: str
    values: Mapping[str, Any] = field(default_factory=dict)
    problems: tuple[Problem, ...] = field(default=())
    odd: tuple[str, ...] = ()


#: What may be odd about a row that is taken all the same, in words.
ODD = {
    "jump": "far from what it was",
    "pictures": "Pictures from elsewhere are left out: take them into the library",
}
#: By how many times more or less than before a value must become to be told.
JUMPS = {"price": 3, "weight_g": 10}


def jumps(before: Mapping[str, Any], after: Mapping[str, Any]) -> list[str]:
    """The fields of a changed row whose values jump; from nothing, or from nought, nothing jumps."""
    found = []
    for name, times in JUMPS.items():
        was, becomes = before.get(name), after.get(name)
        if was is None or becomes is None or not Decimal(str(was)):
            continue
        was, becomes = Decimal(str(was)), Decimal(str(becomes))
        if becomes > was * times or becomes * times < was:
            found.append(name)
    return found


#: What a cell says: its value, or that it says nothing; why it can't be read; what is odd about it.
_Said = tuple[Any, tuple[Problem, ...], str]
_NOTHING = object()
#: So many different values of a column are kept, to be read once each.
_KEPT_VALUES = 20_000


class _ColumnReader:
    """Reads what rows say of one field. A value that repeats is read once; where hardly any does, none is kept."""

    def __init__(self, name: str, rules: Sequence[Rule], currency: str, *, cleared: bool) -> None:
        self.name, self._rules, self._cleared = name, rules, cleared
        self._kind = COLUMNS[name].kind
        self._readers = product_fields.readers(currency)
        self._columns = [rule.column for rule in rules if rule.column is not None]
        self._only = self._columns[0] if len(self._columns) == 1 else None
        self._kept: dict[Any, _Said] | None = {}
        self._repeated = 0

    def said(self, cells: Sequence[str]) -> _Said:
        """What a row says."""
        kept = self._kept
        if kept is None:
            return self._read(cells)
        only = self._only
        if only is not None:
            key: Any = cells[only] if only < len(cells) else ""
        else:
            key = tuple(cells[column] if column < len(cells) else "" for column in self._columns)
        found = kept.get(key)
        if found is not None:
            self._repeated += 1
            return found
        found = self._read(cells)
        if len(kept) >= _KEPT_VALUES:
            if self._repeated < _KEPT_VALUES:
                self._kept = None
            kept.clear()
            self._repeated = 0
        kept[key] = found
        return found

    def _read(self, cells: Sequence[str]) -> _Said:
        text, name = "", self.name
        try:
            text = text_of(self._rules, cells, self._kind)
            if text or name == "sku":
                odd = name == "description" and "<" in text and richtext.outside_pictures(text)
                return read_cell(self._readers, name, text), (), "pictures" if odd else ""
        except Refused as refusal:
            problems = tuple(problem.at(field=name) for problem in refusal.problems)
            return (text[: identifiers.SKU_LENGTH] if name == "sku" else _NOTHING), problems, ""
        return (None if self._cleared else _NOTHING), (), ""


class RowReader:
    """Reads the rows of a file as they were matched.

    An empty cell says nothing and leaves what is there, or empties it where that was chosen. A cell that can't be read
    makes its row refused; all problems of a row are collected.
    """

    def __init__(self, matching: Matching, currency: str) -> None:
        self._columns = [
            _ColumnReader(name, rules, currency, cleared=name in matching.cleared)
            for name, rules in matching.rules.items()
        ]
        self._is_ordering = not set(ordering.FIELDS).isdisjoint(matching.rules)

    def read(self, cells: Sequence[str], line: int) -> FileRow:
        """What one row says."""
        values: dict[str, Any] = {}
        problems: list[Problem] = []
        odd: tuple[str, ...] = ()
        for column in self._columns:
            value, wrong, strange = column.said(cells)
            if value is not _NOTHING:
                values[column.name] = value
            if wrong:
                problems += [problem.at(row=line) for problem in wrong]
            if strange:
                odd = (*odd, strange)
        if self._is_ordering:
            problems += [problem.at(row=line) for problem in ordering.problems(values)]
        return FileRow(line, values.pop("sku", ""), values, tuple(problems), odd)


def read_cell(readers: Mapping[str, Callable[[Any], Any]], name: str, text: str) -> Any:
    """What the text of a cell says of a field. Raises Refused."""
    if name == "sku":
        return identifiers.parse_sku(text)
    return parse_category_path(text) if name == "category" else readers[name](text)


@lru_cache(4096)  # a file says the same few paths many times
def parse_category_path(text: str) -> str:
    """A path of category names joined by " > ". Raises Refused where a name is empty or too long."""
    names = [re.sub(r"\s+", " ", name).strip() for name in text.split(">")]
    if any(not name for name in names):
        raise Refused.because(
            "category.empty_name", f"“{text}” has an empty category name in it. Write it like Yarn > Aran."
        )
    if len(names) > CATEGORY_DEPTH or max(map(len, names)) > CATEGORY_NAME_LENGTH:
        raise Refused.because(
            "category.too_long",
            f"“{text[:60]}…” is no category path: at most {CATEGORY_DEPTH} names of {CATEGORY_NAME_LENGTH} characters.",
        )
    return CATEGORY_SEPARATOR.join(names)


@dataclass(frozen=True)
class RowPlan:
    """What one row would do, with before and after of the fields it changes."""

    action: Action
    before: dict[str, Any]
    after: dict[str, Any]
    problems: tuple[Problem, ...] = ()


#: The fields a row can change, and those of them that all variants of a product share.
ROW_FIELDS = tuple(name for name in COLUMNS if name != "sku")
#: Those that name another record: what a row says is its name or path, what is kept its id.
REFS = tuple(name for name, field in COLUMNS.items() if field.kind is FieldKind.REF)
SHARED_FIELDS = tuple(_name(field) for field in PRODUCT.fields if field.file)


def shared_field_problem(line: int) -> Problem:
    """Why a row of one variant can't change what all variants share."""
    return Problem(
        "variant.shared",
        "This SKU is one of several variants. Name, brand, category, texts and delivery belong to all of them: leave "
        "these cells empty, and change them at the product.",
        "name",
        line,
    )


def used_sku_problem(sku: str, line: int) -> Problem:
    """Why a SKU that was given before makes no new product."""
    return Problem(
        "sku.given_before", f"“{sku}” belonged to a variant that is gone, and is not given again.", "sku", line
    )


def plan_row(row: FileRow, current: Mapping[str, Any] | None, *, live: bool) -> RowPlan:
    """What a row would do to the product with its SKU (None: there is none).

    ``current`` has ROW_FIELDS, and under "varies" whether the SKU is one of several variants: then a row says what
    concerns that variant alone. "inherited" names what a variant takes from its product, so that there is nothing to
    empty, and "follows" what is not written because it follows from parts. ``live``: new products are to go live at
    once, so they must have all that a live product needs. The set-based plan in SQL is checked against this function.
    """
    said = {name: row.values[name] for name in ROW_FIELDS if name in row.values}
    problems = list(row.problems) + (_lacking_for_new(row, live=live) if current is None else [])
    if problems:
        return RowPlan(Action.REFUSED, {}, {}, tuple(problems))
    if current is None:
        told = {name: value for name, value in said.items() if value is not None}
        return RowPlan(Action.NEW, {}, changes.journal_values({"sku": row.sku, **told}))
    said = {
        name: _emptied(name) if value is None else value
        for name, value in said.items()
        if value is not None or name not in current.get("inherited", ())
    }
    before, after = changes.diff({name: current[name] for name in said}, said)
    if current.get("varies") and set(after) & set(SHARED_FIELDS):
        return RowPlan(Action.REFUSED, {}, {}, (shared_field_problem(row.line),))
    follows = [kits.FOLLOWS[name].at(row=row.line) for name in current.get("follows", ()) if name in after]
    if follows:
        return RowPlan(Action.REFUSED, {}, {}, tuple(follows))
    return RowPlan(Action.CHANGED if after else Action.UNCHANGED, before, after)


def _emptied(name: str) -> Any:
    """What a field holds where there is nothing."""
    return "" if COLUMNS[name].empty is not None else None


def _lacking_for_new(row: FileRow, *, live: bool) -> list[Problem]:
    problems = []
    if row.values.get("name") is None:
        problems.append(Problem("name.missing", f"“{row.sku}” is new and needs a name.", "name"))
    if live:  # a category that is named will be there
        category = None if row.values.get("category") is None else 0
        lacks = lacks_for_live(ProductValues(price=row.values.get("price"), category_id=category))
        problems += [replace(problem, field=(problem.field or "").removesuffix("_id")) for problem in lacks]
    return [problem.at(row=row.line) for problem in problems]
