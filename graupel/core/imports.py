"""Reading a table of products: which column is what, what a row says, and what it would do."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from enum import StrEnum
from functools import lru_cache
from typing import Any

from rapidfuzz import fuzz, process

from graupel.core import changes, identifiers, products, quantities
from graupel.core.errors import Refused
from graupel.core.problems import Problem

CATEGORY_SEPARATOR = " > "
CATEGORY_DEPTH = 8
CATEGORY_NAME_LENGTH = 120


@dataclass(frozen=True)
class Column:
    """A field that a file may bring: its help and the headers it goes by in the trade."""

    label: str
    help: str
    headers: tuple[str, ...]


COLUMNS = {
    "sku": Column(
        "SKU",
        "finds the product; a new one is made where it is not there yet",
        ("sku", "item number", "item no", "article number", "stock keeping unit", "artikelnummer"),
    ),
    "name": Column(
        "Name",
        "needed for new products",
        ("name", "title", "product name", "product", "bezeichnung", "artikelname", "titel"),
    ),
    "price": Column(
        "Price",
        "12.50 or 12,50, in the shop's currency",
        ("price", "unit price", "selling price", "price eur", "preis", "verkaufspreis"),
    ),
    "weight_g": Column(
        "Weight",
        "250, 250 g or 1.2 kg; a bare number is grams",
        ("weight", "weight g", "weight grams", "net weight", "gewicht"),
    ),
    "category": Column(
        "Category",
        "a path such as Yarn > Aran; made where it is not there yet",
        ("category", "category path", "product category", "kategorie", "warengruppe"),
    ),
    "description": Column(
        "Description", "plain text or HTML", ("description", "long description", "text", "details", "beschreibung")
    ),
}
GOOD_GUESS = 86


class Action(StrEnum):
    """What a row of a file would do."""

    NEW = "new"
    CHANGED = "changed"
    UNCHANGED = "unchanged"
    REFUSED = "refused"


def guess_columns(headers: Sequence[str]) -> dict[str, int]:
    """Field -> index of the column that most likely holds it; no column is taken twice.

    The surest guess is taken first, so an exact header wins over a like one.
    """
    scored = []
    for index, header in enumerate(headers):
        plain = re.sub(r"[^\w]+", " ", header.lower().replace("_", " ")).strip()
        for name, column in COLUMNS.items():
            best = process.extractOne(plain, column.headers, scorer=fuzz.ratio) if plain else None
            if best and best[1] >= GOOD_GUESS:
                scored.append((best[1], -index, name))
    guess: dict[str, int] = {}
    for _, negative, name in sorted(scored, reverse=True):
        if name not in guess and -negative not in guess.values():
            guess[name] = -negative
    return guess


@dataclass(frozen=True)
class FileRow:
    """A row as read: what its cells say (None: says nothing), the line it began on, and why it is refused."""

    line: int
    sku: str
    name: str | None = None
    price: Decimal | None = None
    weight_g: int | None = None
    category: str | None = None
    description: str | None = None
    problems: tuple[Problem, ...] = field(default=())


def read_row(cells: Sequence[str], columns: Mapping[str, int], line: int, currency: str) -> FileRow:
    """What one row says. An empty cell says nothing: it leaves what is there.

    A cell that can't be read makes the row refused; all its problems are collected.
    """
    values: dict[str, Any] = {}
    problems: list[Problem] = []
    for name, index in columns.items():
        text = cells[index].strip() if index < len(cells) else ""
        if not text and name != "sku":
            continue
        try:
            values[name] = _read_cell(name, text, currency)
        except Refused as refusal:
            problems += [problem.at(field=name, row=line) for problem in refusal.problems]
            values.setdefault("sku", text[: identifiers.SKU_LENGTH] if name == "sku" else "")
    return FileRow(line=line, problems=tuple(problems), **{"sku": "", **values})


def _read_cell(name: str, text: str, currency: str) -> Any:
    match name:
        case "sku":
            return identifiers.parse_sku(text)
        case "name":
            return products.parse_name(text)
        case "price":
            return quantities.parse_money(text, currency)
        case "weight_g":
            return quantities.parse_weight(text)
        case "category":
            return parse_category_path(text)
        case _:
            return products.parse_description(text)


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
class Plan:
    """What one row would do, with before and after of the fields it changes."""

    action: Action
    before: dict[str, Any]
    after: dict[str, Any]
    problems: tuple[Problem, ...] = ()


#: The fields a row can change, as the journal names them.
ROW_FIELDS = ("name", "price", "weight_g", "category", "description")


#: The fields that all variants of a product share.
SHARED_FIELDS = ("name", "category", "description")


def shared_field_problem(line: int) -> Problem:
    """Why a row of one variant can't change what all variants share."""
    return Problem(
        "variant.shared",
        "This SKU is one of several variants. Name, category and description belong to all of them: leave these cells "
        "empty, and change them at the product.",
        "name",
        line,
    )


def used_sku_problem(sku: str, line: int) -> Problem:
    """Why a SKU that was given before makes no new product."""
    return Problem(
        "sku.given_before", f"“{sku}” belonged to a variant that is gone, and is not given again.", "sku", line
    )


def plan_row(row: FileRow, current: Mapping[str, Any] | None, *, live: bool) -> Plan:
    """What a row would do to the product with its SKU (None: there is none).

    ``current`` has ROW_FIELDS, and under "varies" whether the SKU is one of several variants: then a row says what
    concerns that variant alone. ``live``: new products are to go live at once, so they must have
    all that a live product needs. The set-based plan in SQL is checked against this function.
    """
    said = {name: getattr(row, name) for name in ROW_FIELDS if getattr(row, name) is not None}
    problems = list(row.problems) + (_lacking_for_new(row, live=live) if current is None else [])
    if problems:
        return Plan(Action.REFUSED, {}, {}, tuple(problems))
    if current is None:
        return Plan(Action.NEW, {}, changes.journal_values({"sku": row.sku, **said}))
    before, after = changes.diff({name: current[name] for name in said}, said)
    if current.get("varies") and set(after) & set(SHARED_FIELDS):
        return Plan(Action.REFUSED, {}, {}, (shared_field_problem(row.line),))
    return Plan(Action.CHANGED if after else Action.UNCHANGED, before, after)


def _lacking_for_new(row: FileRow, *, live: bool) -> list[Problem]:
    problems = []
    if row.name is None:
        problems.append(Problem("name.missing", f"“{row.sku}” is new and needs a name.", "name", row.line))
    if live and row.price is None:
        problems.append(Problem("price.missing", "A new product that goes live needs a price.", "price", row.line))
    if live and row.category is None:
        problems.append(
            Problem("category.missing", "A new product that goes live needs a category.", "category", row.line)
        )
    return problems
