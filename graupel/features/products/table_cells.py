"""The cells of the products table as they are drawn: what each column shows, and how it is edited in place."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from graupel.core.declarations.products import LISTED
from graupel.core.quantities import format_money
from graupel.core.stock import show
from graupel.core.tables import COLUMNS as LABELS
from graupel.core.tables import NUMBERS, SORTED_BY, TableState
from graupel.features.destinations.service import Seen
from graupel.web import formats

#: The columns that stay where a screen is narrow.
_STAY = ("code", "status", "price")
#: Those that hold words beside the goods' own: quieter, and cut where they are long.
_WORDS = ("type", "brand", "category", *(field.name for field in LISTED))


@dataclass(frozen=True)
class Cell:
    """One cell. ``edits``: the record and its field, "p12:price", where it can be edited in place, and ``typed`` what
    stands in that field. ``stone``: the shape of a state's mark; ``chips``: words shown one by one; ``note``: what
    its pointer says; ``was``: a price without the sale that holds; ``why``: where a price says how it came about.
    """

    text: str = ""
    classes: str = ""
    edits: str = ""
    typed: str = ""
    stone: str = ""
    is_code: bool = False
    chips: tuple[str, ...] = ()
    note: str = ""
    was: str = ""
    why: str = ""


@dataclass(frozen=True)
class Heading:
    """The head of a column. ``sort``: the query under which the table is sorted by it, "" where it never is;
    ``arrow``: which way it is sorted by it now, "" where it is not.
    """

    label: str
    classes: str
    sort: str = ""
    arrow: str = ""


@dataclass(frozen=True)
class Row:
    """A product as the table draws it. ``shown_in``: the language of its name, where that of the lens is missing;
    ``variants``: how many, "" where it does not vary.
    """

    id: int
    name: str
    note: str
    typed_name: str
    picture: Any
    shown_in: str
    variants: str
    cells: list[Cell]


def classes_of(column: str) -> str:
    """How a column's cells stand: numbers to the right, and those that a narrow screen does without."""
    kind = "num" if column in NUMBERS else "muted cat" if column in _WORDS else ""
    return f"{kind} {'' if column in _STAY else 'optional'}".strip()


def headings(columns: Sequence[str], state: TableState, currency: str) -> list[Heading]:
    """The heads of these columns."""
    return [_heading(column, state, currency) for column in columns]


def _heading(column: str, state: TableState, currency: str) -> Heading:
    key = SORTED_BY.get(column)
    label = f"{LABELS[column]} {currency}" if column == "price" else LABELS[column]
    if key is None:
        return Heading(label, classes_of(column))
    return Heading(label, classes_of(column), state.sorted_by(key).query(), arrow(state, key))


def arrow(state: TableState, key: str) -> str:
    """Which way the table is sorted by a key, "" where it is not."""
    return "" if state.sort_key != key else "↓" if state.descending else "↑"


def row(found: Mapping[str, Any], columns: Sequence[str], seen: Seen, shop_locale: str) -> Row:
    """A product as the table draws it. ``found``: as ``table.read`` gives it; ``shop_locale``: times are told in it."""
    lensed = not seen.lens.is_default
    missing = lensed and found["is_missing"]
    cells = [_CELLS.get(column, _word(column))(found, seen, shop_locale) for column in columns]
    return Row(
        found["id"],
        found["name"],
        f"{found['name']}: {found['origin']}" if lensed and found["origin"] else found["name"],
        found["own"]["name"] if lensed else found["name"],
        found["picture"],
        found["shown_in"] if missing else "",
        formats.number(found["variants"], seen.locale) if found["varies"] else "",
        cells,
    )


_Draw = Callable[[Mapping[str, Any], Seen, str], Cell]


def _status(found: Mapping[str, Any], seen: Seen, _locale: str) -> Cell:
    stone = formats.STATUS_STONES[found["status"]]
    return Cell(found["status"].capitalize(), stone=stone, edits=f"p{found['id']}:status", typed=found["status"])


def _amount(found: Mapping[str, Any], seen: Seen, name: str, text: str, own: str) -> Cell:
    """An amount; edited is what is written at a destination, elsewhere what stands with the product (``own``)."""
    typed = found["own"][name] if seen.lens.destination else format_money(found[own])
    return Cell(text, classes_of(name), edits=f"p{found['id']}:{name}", typed=typed)


def _price(found: Mapping[str, Any], seen: Seen, _locale: str) -> Cell:
    low, high = (formats.amount(found[name], seen.locale) for name in ("price_low", "price_high"))
    is_one = found["price_low"] == found["price_high"]
    cell = _amount(found, seen, "price", low if is_one else f"{low} – {high}", "own_price")
    was = formats.amount(found["was"], seen.locale) if found.get("was") is not None else ""
    return replace(cell, was=was, why=f"/prices/why?product={found['id']}")


def _list_price(found: Mapping[str, Any], seen: Seen, _locale: str) -> Cell:
    return _amount(found, seen, "list_price", formats.amount(found["list_price"], seen.locale), "list_price")


def _stock(found: Mapping[str, Any], seen: Seen, _locale: str) -> Cell:
    there = found["stock"] is not None
    text = formats.number(found["stock"], seen.locale) if there else ""
    if found["varies"]:  # counted for each variant
        return Cell(text, classes_of("stock"))
    return Cell(text, classes_of("stock"), edits=f"p{found['id']}:stock", typed=show(found["stock"]) if there else "")


def _category(found: Mapping[str, Any], _seen: Seen, _locale: str) -> Cell:
    return Cell(found["category"].split(" > ")[-1], classes_of("category"), note=found["category"])


def _time(name: str) -> _Draw:
    return lambda found, _seen, locale: Cell(formats.ago(found[name], locale), "muted optional")


def _word(name: str) -> _Draw:
    return lambda found, _seen, _locale: Cell(found[name], classes_of(name))


_CELLS: dict[str, _Draw] = {
    "code": lambda found, _seen, _locale: Cell(found["sku"], is_code=True),
    "status": _status,
    "price": _price,
    "list_price": _list_price,
    "cost": lambda found, seen, _locale: Cell(formats.amount(found["cost"], seen.locale), classes_of("cost")),
    "stock": _stock,
    "variants": lambda found, seen, _locale: Cell(
        formats.number(found["variants"], seen.locale), classes_of("variants")
    ),
    "weight": lambda found, seen, _locale: Cell(formats.weight(found["weight_g"], seen.locale), classes_of("weight")),
    "category": _category,
    "tags": lambda found, _seen, _locale: Cell(classes="optional cat", chips=tuple(found["tags"])),
    "changed": _time("changed_at"),
    "made": _time("made_at"),
}
