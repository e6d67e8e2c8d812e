"""The rows of variants under their product's in the products table."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

from graupel.core import countries
from graupel.core.declarations.products import AMOUNTS
from graupel.core.quantities import format_money
from graupel.core.resolve import key_of
from graupel.core.stock import show
from graupel.features.destinations.service import Seen
from graupel.features.products.asking import AskedNow
from graupel.features.products.service import Product, Variant
from graupel.features.products.table_cells import Cell, classes_of
from graupel.web import formats


@dataclass(frozen=True)
class VariantRow:
    """A variant as the table draws it, and what it is drawn from.

    ``of``: its product; ``shown`` and ``shown_of``: both as the lens shows them; ``asked``: what it costs there now.
    """

    variant: Variant
    of: Product
    shown: Variant
    shown_of: Product
    label: str
    seen: Seen
    asked: AskedNow | None = None

    def cells(self, columns: Sequence[str]) -> list[Cell]:
        """Its cells; those of what only products have are empty."""
        return [_CELLS[column](self) if column in _CELLS else Cell(classes=classes_of(column)) for column in columns]


def _state(row: VariantRow) -> Cell:
    edits = f"v{row.variant.id}:archived"
    if row.variant.archived:
        return Cell("Archived", stone="dash", edits=edits, typed="archived")
    return Cell("For sale", stone="full", edits=edits, typed="for sale")


def _amount(name: str) -> Callable[[VariantRow], Cell]:
    """An amount that a destination may have of its own: the variant's, else that of its product."""

    def draw(row: VariantRow) -> Cell:
        lens = row.seen.lens
        held = row.variant.own.get(key_of(lens, name), "")
        own = held if lens.destination else format_money(getattr(row.variant, name))
        now = getattr(row.shown, name)
        return Cell(
            formats.amount(getattr(row.shown_of.values, name) if now is None else now, row.seen.locale),
            f"{classes_of(name)} {'' if own else 'inherited'}".strip(),
            edits=f"v{row.variant.id}:{name}",
            typed=own,
            note="from the product" if now is None else "" if own else "as everywhere",
        )

    return draw


def _price(row: VariantRow) -> Cell:
    """What a piece costs now, with what it costs without a sale; edited is the typed price."""
    cell = _amount("price")(row)
    why = f"/prices/why?product={row.of.id}&variant={row.variant.id}"
    if row.asked is None:
        return replace(cell, why=why)
    asked, regular = (formats.amount(one, row.seen.locale) for one in (row.asked.asked, row.asked.regular))
    return replace(cell, text=asked, was=regular if row.asked.is_reduced else "", why=why)


def _stock(row: VariantRow) -> Cell:
    stock = row.variant.stock
    text, typed = ("", "") if stock is None else (formats.number(stock, row.seen.locale), show(stock))
    return Cell(text, classes_of("stock"), edits=f"v{row.variant.id}:stock", typed=typed)


def _inherited(column: str, name: str, say: Callable[[Any, str], str]) -> Callable[[VariantRow], Cell]:
    """A field of the variant, else that of its product."""

    def draw(row: VariantRow) -> Cell:
        own = getattr(row.variant, name)
        return Cell(say(getattr(row.of.values, name) if own is None else own, row.seen.locale), classes_of(column))

    return draw


_CELLS: dict[str, Callable[[VariantRow], Cell]] = {
    "code": lambda row: Cell(row.variant.sku, is_code=True),
    "status": _state,
    "stock": _stock,
    "cost": _inherited("cost", "cost", formats.amount),
    "weight": _inherited("weight", "weight_g", formats.weight),
    "origin_country": _inherited("origin_country", "origin_country", countries.name),
    **{name: _amount(name) for name in AMOUNTS},
    "price": _price,
}
