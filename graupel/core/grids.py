"""The grid of variants: the first axis across, the second down, the others as layers; its cells and their shades."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from itertools import product
from typing import Any

from graupel.core import stock
from graupel.core.attributes import Choice
from graupel.core.availability import Sells, Standing
from graupel.core.pricing import margin
from graupel.core.variants import Axis, Combination

#: How many shades there are between the lowest and the highest value.
SHADES = 5


@dataclass(frozen=True)
class Cell:
    """One place of the grid, and the same in words. ``variant`` is None where it does not exist: a gap."""

    combination: Combination
    words: str
    variant: Any | None
    shade: str = "gap"
    label: str = ""


@dataclass(frozen=True)
class Grid:
    """A layer of the grid: headings across and down, and the cells row by row."""

    across: tuple[Choice, ...]
    down: tuple[Choice, ...]
    rows: tuple[tuple[Cell, ...], ...]
    layers: tuple[Combination, ...]
    layer: Combination


def draw(
    axes: Sequence[Axis], variants: Mapping[Combination, Any], layer: Combination | None, look: Callable[[Any], Any]
) -> Grid:
    """The cells of one layer; the first layer where ``layer`` is None or not there.

    ``look``: of a variant, its Look under the chosen view.
    """
    layers = tuple(product(*(axis.ids for axis in axes[2:])))
    chosen = layer if layer in layers else layers[0]
    across = axes[0].choices
    down = axes[1].choices if len(axes) > 1 else ()
    names = {choice.id: choice.label for axis in axes[2:] for choice in axis.choices}
    behind = [names[choice] for choice in chosen]
    rows = []
    for row in down or (None,):
        cells = []
        keys, labels = ((row.id,), [row.label, *behind]) if row else ((), behind)
        for column in across:
            combination = (column.id, *keys, *chosen)
            variant = variants.get(combination)
            seen = look(variant) if variant is not None else _GAP
            cells.append(Cell(combination, ", ".join((column.label, *labels)), variant, seen.shade, seen.label))
        rows.append(tuple(cells))
    return Grid(tuple(across), tuple(down), tuple(rows), layers, chosen)


@dataclass(frozen=True)
class Look:
    """How a cell looks: the name of its shade, and its short label."""

    shade: str
    label: str


_GAP = Look("gap", "")


_STANDING = {
    Standing.IN: "s4",
    Standing.LOW: "s2",
    Standing.LATER: "s1",
    Standing.COMING: "plain",
    Standing.UNCOUNTED: "plain",
    Standing.OUT: "out",
    Standing.OFF: "out",
}


def by_stock(found: Sells) -> Look:
    """What is there, shaded by how it stands."""
    return Look(_STANDING[found.standing], stock.show(found.held.on_hand) if found.held.counted else "–")


def by_location(found: Sells, there: Decimal) -> Look:
    """What lies at one of several locations; something, nothing, or not counted."""
    if not found.held.counted:
        return Look("plain", "–")
    return Look("s4" if there > 0 else "out", stock.show(there))


def by_sells(found: Sells) -> Look:
    """What can be had at once, shaded in the same way."""
    return Look(_STANDING[found.standing], "any" if found.ready is None else stock.show(found.ready))


def by_number(value: Decimal | None, low: Decimal | None, high: Decimal | None, label: str) -> Look:
    """A shade by where the value lies between the lowest and highest."""
    if value is None or low is None or high is None:
        return Look("out", "none")
    if high == low:
        return Look("s1", label)
    place = int((value - low) / (high - low) * (SHADES - 1) + Decimal("0.5"))
    return Look(f"s{place + 1}", label)


def by_margin(price: Decimal | None, cost: Decimal | None) -> Look:
    """Below cost, thin (under a fifth), fair, good (from two fifths)."""
    share = margin(price, cost)
    if share is None:
        return Look("plain", "?")
    label = f"{share * 100:.0f} %"
    if share < 0:
        return Look("out", label)
    return Look("s1" if share < Decimal("0.2") else "s3" if share < Decimal("0.4") else "s5", label)


def by_readiness(price: Decimal | None, gtin: str | None, weight_g: int | None) -> Look:
    """Blocked without a price; a GTIN and a weight would help."""
    if price is None:
        return Look("out", "no price")
    lacking = ["GTIN"] * (gtin is None) + ["weight"] * (weight_g is None)
    return Look("s2", f"no {lacking[0]}") if lacking else Look("s5", "✓")
