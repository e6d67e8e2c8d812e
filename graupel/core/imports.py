"""Reading a table of products: which column is what, what a row says, and what it would do."""

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal
from enum import StrEnum
from typing import Any

from graupel.core import (
    changes,
    file_facts,
    file_pictures,
    identifiers,
    kits,
    ordering,
    product_fields,
    richtext,
    slips,
)
from graupel.core.categories import parse_category_path
from graupel.core.columns import Matching, Rule, text_of
from graupel.core.errors import Refused
from graupel.core.file_columns import COLUMNS, DECLARED, REFS, ROW_FIELDS, SHARED_FIELDS, STOCK_AT, Known
from graupel.core.file_facts import NewChoices
from graupel.core.handling import Key
from graupel.core.problems import Problem
from graupel.core.products import ProductValues, Status, lacks_for_live
from graupel.core.records import FieldKind


class Action(StrEnum):
    """What a row of a file would do."""

    NEW = "new"
    CHANGED = "changed"
    UNCHANGED = "unchanged"
    REFUSED = "refused"


@dataclass(frozen=True)
class FileRow:
    """A row as read: what its cells say by field, the line it began on, and why it is refused.

    ``sku``: "" where the row speaks of a product alone, which it names by its code. ``values``: under the names of
    columns, but the SKU; a field that is not there is not spoken of, one that is None is emptied, and attributes have
    Facts. ``odd``: what is worth a look, as in ODD.
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
    "eaten": "A code in it looks as if a spreadsheet had shortened it or made a day of it",
    "asleep": "It is archived, and stays so",
    "no_sku": "What it says of a variant alone is left out, for it has no SKU",
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
#: A cell says nothing.
NOTHING = object()
#: So many different values of a column are kept, to be read once each.
_KEPT_VALUES = 20_000


class ColumnReader:
    """Reads what rows say of one field. A value that repeats is read once; where hardly any does, none is kept."""

    def __init__(
        self, name: str, rules: Sequence[Rule], kind: FieldKind, read: Callable[[str], Any], *, cleared: bool
    ) -> None:
        self.name, self._rules, self._cleared = name, rules, cleared
        self._kind = kind
        self._reads = read
        self._columns = [rule.column for rule in rules if rule.column is not None]
        self._left_out = frozenset(code for rule in rules for code in rule.left_out)
        self._only = self._columns[0] if len(self._columns) == 1 else None
        #: Its cells are taken as they are.
        self._is_plain = len(rules) == 1 and self._only is not None and rules[0].is_plain and kind is not FieldKind.DAY
        self._odd = _ODD_CELLS.get(name)
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

    def said_by(self, rows: Sequence[Sequence[str]]) -> list[_Said]:
        """What each of several rows says that have all their cells."""
        only, kept = self._only, self._kept
        if only is None or kept is None:
            return [self.said(row) for row in rows]
        # A cell that was read before is found without a call.
        known = [kept.get(row[only]) for row in rows]
        found = [self.said(row) if one is None else one for one, row in zip(known, rows, strict=True)]
        self._repeated += len(known) - known.count(None)
        return found

    def _text(self, cells: Sequence[str]) -> str:
        if self._is_plain and (only := self._only) is not None:
            return cells[only].strip() if only < len(cells) else ""
        return text_of(self._rules, cells, self._kind)

    def _read(self, cells: Sequence[str]) -> _Said:
        text, name = "", self.name
        try:
            text = self._text(cells)
            if text or name == "sku":
                return self._reads(text), (), self._odd(text) if self._odd else ""
        except Refused as refusal:
            if self._left_out.issuperset(problem.code for problem in refusal.problems):
                return NOTHING, (), LEFT_OUT + refusal.problems[0].code
            problems = tuple(problem.at(field=name) for problem in refusal.problems)
            return (text[: identifiers.SKU_LENGTH] if name == "sku" else NOTHING), problems, ""
        return (None if self._cleared else NOTHING), (), ""


#: What stands before the code of a problem for which a cell was left out, where it is told what is odd.
LEFT_OUT = "-"


def left_out_code(strange: str) -> str:
    """The code of the problem for which a cell was left out, "" where it was not."""
    return strange.removeprefix(LEFT_OUT) if strange.startswith(LEFT_OUT) else ""


def _odd_text(text: str) -> str:
    return "pictures" if "<" in text and richtext.outside_pictures(text) else ""


def _odd_code(text: str) -> str:
    return "eaten" if slips.looks_eaten(text) else ""


#: By field what tells what is odd about a cell that can be read, "" where nothing is.
_ODD_CELLS: Mapping[str, Callable[[str], str]] = {"description": _odd_text, "sku": _odd_code, "code": _odd_code}


class RowReader:
    """Reads the rows of a file as they were matched.

    An empty cell says nothing and leaves what is there, or empties it where that was chosen. A cell that can't be read
    makes its row refused; all problems of a row are collected.
    """

    def __init__(
        self,
        matching: Matching,
        currency: str,
        known: Known = DECLARED,
        new: NewChoices | None = None,
        key: str = Key.SKU,
    ) -> None:
        """``new`` is told of the choices that the file would make; ``key``: by what rows mean variants."""
        new = new or NewChoices()
        #: How many cells said nothing though something stood there, by field and the code of its problem.
        self.left_out: Counter[tuple[str, str]] = Counter()
        #: The fields whose cells could not be read, with the codes of their problems.
        self.met: set[tuple[str, str]] = set()
        self.columns = [
            ColumnReader(
                name, rules, field.kind, cell_reader(known, name, currency, new), cleared=name in matching.cleared
            )
            for name, rules in matching.rules.items()
            if (field := known.fields.get(name))
        ]
        self._is_ordering = not set(ordering.FIELDS).isdisjoint(matching.rules)
        self._is_coded, self._by_other = "code" in matching.rules, key != Key.SKU
        #: Whether what a row says follows from its cells alone, each by itself, where none is wrong or odd.
        self.by_columns = "sku" in matching.rules and not self._is_ordering

    def read(self, cells: Sequence[str], line: int) -> FileRow:
        """What one row says."""
        values: dict[str, Any] = {}
        problems: list[Problem] = []
        odd: tuple[str, ...] = ()
        for column in self.columns:
            value, wrong, strange = column.said(cells)
            if value is not NOTHING:
                values[column.name] = value
            if wrong:
                problems += [problem.at(row=line) for problem in wrong]
                self.met.update((column.name, problem.code) for problem in wrong)
            if not strange:  # nearly always
                continue
            if code := left_out_code(strange):
                self.left_out[column.name, code] += 1
            else:
                odd = (*odd, strange)
        if self._is_ordering:
            problems += [problem.at(row=line) for problem in ordering.problems(values)]
        if self._by_other:  # which has to be there, the rows that lack it are told when all are looked at
            problems = [problem for problem in problems if problem.code != "sku.missing"]
        elif not values.get("sku") and not values.get("code") and not problems:
            problems.append(Problem("row.nameless", "This row names no SKU and no product code.", "sku", line))
        elif self._is_coded and values.get("code") and not values.get("sku"):
            problems = [problem for problem in problems if problem.code != "sku.missing"]
            alone = [name for name in values if name in VARIANT_ALONE or name.startswith(STOCK_AT)]
            left_out = [name for name in alone if values.pop(name) is not None]
            odd = (*odd, "no_sku") if left_out else odd
        return FileRow(line, values.pop("sku", ""), values, tuple(problems), odd)


_PICTURES: dict[str, Callable[[str], Any]] = {
    file_pictures.PICTURES: file_pictures.read_pictures,
    file_pictures.ALTS: file_pictures.read_alts,
}
#: What a row without a SKU can't say: it is no product's, and no variant inherits it.
VARIANT_ALONE = ("gtin", "elsewhere", "mpn", "stock")


def cell_reader(known: Known, name: str, currency: str, new: NewChoices) -> Callable[[str], Any]:
    """What reads the text of a cell of a column; it raises Refused."""
    if known.records:
        return known.records.read(name)
    if attribute := known.attributes.get(name):
        return file_facts.reader(attribute, new)
    if name in known.lists:
        return file_facts.list_reader(known.lists[name], new)
    if own := known.own.get(name):
        destination = own.key.partition(".")[0]
        return lambda text: product_fields.read_own(own.key, text, currency, {destination: own.currency or currency})
    if name in known.locations:
        return product_fields.readers(currency)["stock"]
    if name in _PICTURES:
        return _PICTURES[name]
    if name == "sku":
        return identifiers.parse_sku
    if name == "category":
        return parse_category_path
    if name in REFS and name != "brand":
        return lambda text: product_fields.one_line(text, REF_LENGTH, COLUMNS[name].label, name)
    return product_fields.readers(currency)[name]


#: The longest name of a record that a row refers to.
REF_LENGTH = 120


@dataclass(frozen=True)
class RowPlan:
    """What one row would do, with before and after of the fields it changes."""

    action: Action
    before: dict[str, Any]
    after: dict[str, Any]
    problems: tuple[Problem, ...] = ()


def shared_field_problem(line: int) -> Problem:
    """Why a row of one variant can't change what all variants share."""
    return Problem(
        "variant.shared",
        "This SKU is one of several variants. Name, brand, category, texts and delivery belong to all of them: say the "
        "product code too, or leave these cells empty and change them at the product.",
        "name",
        line,
    )


def priceless_problem(line: int) -> Problem:
    """Why the price of goods that are live can't be emptied."""
    what = "These goods are live, and would have no price: there is none that they could go back to."
    return Problem("price.last", what, "price", line)


def used_sku_problem(sku: str, line: int) -> Problem:
    """Why a SKU that was given before makes no new product."""
    return Problem(
        "sku.given_before", f"“{sku}” belonged to a variant that is gone, and is not given again.", "sku", line
    )


def plan_row(row: FileRow, current: Mapping[str, Any] | None, *, live: bool) -> RowPlan:
    """What a row would do to the product with its SKU (None: there is none).

    ``current`` has ROW_FIELDS, and under "varies" whether the SKU is one of several variants: then a row says what
    concerns that variant alone. "inherited" names what a variant takes from its product, so that there is nothing to
    empty, "follows" what is not written because it follows from parts, and "only_price" says that it is live and has no
    other price behind its own. ``live``: new products are to go live at
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
    if current.get("only_price") and after.get("price", 0) is None:
        follows.append(priceless_problem(row.line))
    if "status" in after and said["status"] == Status.LIVE:
        follows += _lacking_to_go_live({**current, **said}, row.line)
    if follows:
        return RowPlan(Action.REFUSED, {}, {}, tuple(follows))
    return RowPlan(Action.CHANGED if after else Action.UNCHANGED, before, after)


def _emptied(name: str) -> Any:
    """What a field holds where there is nothing."""
    return "" if COLUMNS[name].empty is not None else None


def _lacking_for_new(row: FileRow, *, live: bool) -> list[Problem]:
    """``live``: how new goods begin of which nothing is said."""
    problems = []
    if row.values.get("name") is None:
        problems.append(Problem("name.missing", f"“{row.sku}” is new and needs a name.", "name", row.line))
    if (row.values.get("status") or (Status.LIVE if live else Status.DRAFT)) == Status.LIVE:
        problems += _lacking_to_go_live(row.values, row.line)
    return problems


def _lacking_to_go_live(values: Mapping[str, Any], line: int) -> list[Problem]:
    category = None if values.get("category") is None else 0  # one that is named will be there
    lacks = lacks_for_live(ProductValues(price=values.get("price"), category_id=category))
    return [replace(problem, field=(problem.field or "").removesuffix("_id")).at(row=line) for problem in lacks]
