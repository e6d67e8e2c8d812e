"""What a piece holds, and the price by unit of measure: 5.40 for 50 g is 10.80 per 100 g.

Kept as it is written, a number with a unit: "50 g". By how much the price is told follows from the contents, as is
usual on price tags (Directive 98/6/EC: by the kilogram, litre, metre, square metre or piece; small packs by 100 g or
100 ml), unless the product says otherwise.
"""

from dataclasses import dataclass
from decimal import Decimal

from graupel.core import quantities, units
from graupel.core.errors import Refused
from graupel.core.price_rules import rounded
from graupel.core.units import FAMILIES, Family, Quantity

_MEASURED = ("weight", "length", "area", "volume", "count")
#: Packs of at most so much, in base units, are told by the smaller measure.
_SMALL = Decimal(250)
_USUAL = {"weight": "1 kg", "length": "1 m", "area": "1 m²", "volume": "1 l", "count": "1 pc"}
_USUAL_SMALL = {"weight": "100 g", "volume": "100 ml"}
_EXAMPLE = "Write it like 50 g, 25 m or 0.75 l."


def _families(word: str) -> list[Family]:
    return [FAMILIES[key] for key in _MEASURED if FAMILIES[key].unit(word)]


def _read(text: str) -> tuple[Quantity, Family] | None:
    try:
        number, word = quantities.split_number(text, "number", "50 g")
    except Refused:
        return None
    found = _families(word) if word else []
    if not found or number <= 0:
        return None
    return units.parse(text, found[0], found[0].base.sign), found[0]


def parse(text: str) -> str | None:
    """Contents as they are kept: "50 g"; None for none. Raises Refused."""
    said = " ".join(text.split())
    if not said:
        return None
    found = _read(said)
    if found is None or found[0].number <= 0:
        raise Refused.because(
            "contents.not_a_measure",
            f"“{said[:40]}” is no weight, length, area, volume or count. {_EXAMPLE}",
        )
    quantity, family = found
    unit = family.unit(quantity.unit) or family.base
    kept = f"{units.number_in(quantity, unit)} {unit.sign or 'pc'}"
    if len(kept) > 24:
        raise Refused.because("contents.too_long", f"“{said[:40]}” says more than a price tag does. {_EXAMPLE}")
    return kept


def parse_per(text: str) -> str:
    """By how much a price is told: "100 g"; "" as is usual. Raises Refused."""
    return parse(text) or ""


@dataclass(frozen=True)
class UnitPrice:
    """A price by a measure such as "100 g"."""

    amount: Decimal
    per: str


def usual_per(contents: str) -> str:
    """By how much the price of such contents is told: "100 g" of 50 g; "" where they can't be read."""
    found = _read(contents)
    if found is None:
        return ""
    quantity, family = found
    small = _USUAL_SMALL.get(family.key) if quantity.number <= _SMALL else None
    return small or _USUAL[family.key]


def unit_price(price: Decimal, contents: str, per: str = "", decimals: int = 2) -> UnitPrice | None:
    """The price by unit of measure, half up; None where the two measure different things."""
    per = per or usual_per(contents)
    held, wanted = _read(contents), _read(per)
    if held is None or wanted is None or held[1] is not wanted[1]:
        return None
    shown = per.removeprefix("1 ") if per != "1 pc" else "piece"
    return UnitPrice(rounded(price * wanted[0].number / held[0].number, decimals), shown)
