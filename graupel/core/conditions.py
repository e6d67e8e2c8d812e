"""Conditions that gather goods: a category fills itself by them, and a shop's assortment."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal

from graupel.core import countries, quantities
from graupel.core.declarations.products import FACETS
from graupel.core.errors import Refused
from graupel.core.problems import Problem
from graupel.core.records import FieldKind

MOST_CONDITIONS = 12
MOST_TEXT = 80

#: Fields that the table can be narrowed by can be asked for, under their own names.
FIELDS = {one.name: one for one in FACETS}
#: How their values are read, by kind.
_READERS = {FieldKind.COUNTRY: countries.parse}
#: What can be asked, and how; the first is what a new condition begins with.
QUESTIONS: dict[str, tuple[str, tuple[str, ...]]] = {
    "brand": ("Brand", ("is", "is not")),
    "tag": ("Tag", ("is", "is not")),
    "type": ("Type", ("is", "is not")),
    "choice": ("Choice", ("is", "is not")),
    "price": ("Price", ("below", "from")),
    "stock": ("Stock", ("below", "from")),
    "name": ("Name", ("has", "has not")),
    **{name: (field.label, ("is", "is not")) for name, field in FIELDS.items()},
}
#: Those that mean a record of the vocabulary, by its id.
BY_ID = ("brand", "tag", "type", "choice")


@dataclass(frozen=True)
class Condition:
    """One question with its answer. ``ref_id``: of the record that is meant; ``value``: text or number as text."""

    field: str
    op: str
    ref_id: int | None = None
    value: str = ""


@dataclass(frozen=True)
class Goods:
    """A product as conditions see it. ``price``: the lowest of what is for sale; ``choices``: of facts and variants.

    ``values``: of the FIELDS, what any of its variants for sale has.
    """

    name: str = ""
    brand_id: int | None = None
    type_id: int | None = None
    price: Decimal | None = None
    stock: Decimal | None = None
    tags: frozenset[int] = field(default_factory=frozenset)
    choices: frozenset[int] = field(default_factory=frozenset)
    values: Mapping[str, frozenset[str]] = field(default_factory=dict)


def is_met(condition: Condition, goods: Goods) -> bool:
    """Whether a product meets one condition. What a product does not have is neither below nor from anything.

    By sets, assortments/gathering.py says the same in SQL.
    """
    if condition.field in BY_ID and condition.ref_id is None:  # what was meant is gone
        return False
    match condition.field:
        case "name":
            return (condition.value.casefold() in goods.name.casefold()) == (condition.op == "has")
        case "price" | "stock":
            number = goods.price if condition.field == "price" else goods.stock
            if number is None:
                return False
            return number < Decimal(condition.value) if condition.op == "below" else number >= Decimal(condition.value)
        case "tag" | "choice":
            among = goods.tags if condition.field == "tag" else goods.choices
            return (condition.ref_id in among) == (condition.op == "is")
        case name if name in FIELDS:
            return (condition.value in goods.values.get(name, ())) == (condition.op == "is")
        case _:
            held = goods.brand_id if condition.field == "brand" else goods.type_id
            return (held == condition.ref_id) == (condition.op == "is")


def fits(conditions: Iterable[Condition], goods: Goods) -> bool:
    """Whether all conditions hold; without any, nothing fits."""
    asked = list(conditions)
    return bool(asked) and all(is_met(one, goods) for one in asked)


def read(rows: Sequence[Mapping[str, str]], currency: str) -> list[Condition]:
    """Conditions as typed: field, op and value (an id for what is chosen); empty ones are left out. Raises Refused."""
    found, problems = [], []
    for place, row in enumerate(rows):
        try:
            if row.get("value", "").strip():
                found.append(_one(row, currency))
        except Refused as refusal:
            problems += [replace(problem, field=f"condition-{place}") for problem in refusal.problems]
    if len(found) > MOST_CONDITIONS:
        problems.append(Problem("conditions.too_many", f"At most {MOST_CONDITIONS} conditions are taken."))
    if problems:
        raise Refused(problems)
    return found


def _one(row: Mapping[str, str], currency: str) -> Condition:
    name, op, value = row.get("field", ""), row.get("op", ""), row.get("value", "").strip()
    if name not in QUESTIONS or op not in QUESTIONS[name][1]:
        raise Refused.because("condition.unknown", "This condition is not known. Choose another.")
    if name in BY_ID:
        if not (value.isdecimal() and len(value) < 10):
            raise Refused.because("condition.value", f"Choose which {QUESTIONS[name][0].lower()} is meant.")
        return Condition(name, op, int(value))
    if name == "price":
        return Condition(name, op, None, quantities.format_money(quantities.parse_money(value, currency)))
    if name == "stock":
        if not (value.isdecimal() and len(value) < 9):
            raise Refused.because("condition.stock", f"“{value}” is no number of pieces. Write it like 5.")
        return Condition(name, op, None, str(int(value)))
    if name in FIELDS:
        return Condition(name, op, None, _READERS[FIELDS[name].kind](value) or "")
    if len(value) > MOST_TEXT:
        raise Refused.because("condition.text", f"At most {MOST_TEXT} characters are compared.")
    return Condition(name, op, None, value)
