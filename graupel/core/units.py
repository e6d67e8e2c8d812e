"""Numbers with a unit: families of units, each with one in which its numbers are kept."""

from dataclasses import dataclass
from decimal import Decimal, InvalidOperation

from babel.numbers import format_decimal
from babel.units import format_unit

from graupel.core import quantities
from graupel.core.errors import Refused


@dataclass(frozen=True)
class Unit:
    """A unit. A number of it times ``factor`` plus ``offset`` is in the family's base unit."""

    sign: str
    label: str
    factor: Decimal
    offset: Decimal = Decimal(0)
    also: tuple[str, ...] = ()


@dataclass(frozen=True)
class Family:
    """Units that measure the same thing; the first is the base, in which numbers are kept."""

    key: str
    label: str
    units: tuple[Unit, ...]
    may_be_negative: bool = False

    @property
    def base(self) -> Unit:
        """The unit in which numbers are kept."""
        return self.units[0]

    def unit(self, sign: str) -> Unit | None:
        """The unit written like this, if the family has it."""
        wanted = sign.strip().lower()
        return next((u for u in self.units if wanted in (u.sign.lower(), *u.also)), None)


def _unit(sign: str, label: str, factor: str, *also: str, offset: str = "0") -> Unit:
    return Unit(sign, label, Decimal(factor), Decimal(offset), also)


#: Inches, feet, yards, ounces and pounds: the international ones of 1959. Fahrenheit: 5/9 of a kelvin, 32 at 0 °C.
FAMILIES = {
    family.key: family
    for family in (
        Family(
            "weight",
            "Weight",
            (
                _unit("g", "gram", "1", "gr", "gram", "grams"),
                _unit("kg", "kilogram", "1000", "kilo"),
                _unit("mg", "milligram", "0.001"),
                _unit("oz", "ounce", "28.349523125", "ounce", "ounces"),
                _unit("lb", "pound", "453.59237", "lbs", "pound", "pounds"),
            ),
        ),
        Family(
            "length",
            "Length",
            (
                _unit("mm", "millimetre", "1"),
                _unit("cm", "centimetre", "10"),
                _unit("m", "metre", "1000", "metre", "metres", "meter", "meters"),
                _unit("km", "kilometre", "1000000"),
                _unit("in", "inch", "25.4", '"', "inch", "inches"),
                _unit("ft", "foot", "304.8", "foot", "feet"),
                _unit("yd", "yard", "914.4", "yard", "yards"),
            ),
        ),
        Family(
            "area",
            "Area",
            (
                _unit("cm²", "square centimetre", "1", "cm2", "sqcm"),
                _unit("m²", "square metre", "10000", "m2", "sqm"),
                _unit("in²", "square inch", "6.4516", "in2", "sqin"),
                _unit("ft²", "square foot", "929.0304", "ft2", "sqft"),
            ),
        ),
        Family(
            "volume",
            "Volume",
            (
                _unit("ml", "millilitre", "1"),
                _unit("cl", "centilitre", "10"),
                _unit("l", "litre", "1000", "litre", "litres", "liter"),
                _unit("m³", "cubic metre", "1000000", "m3"),
                _unit("fl oz", "US fluid ounce", "29.5735295625", "floz"),
            ),
        ),
        Family(
            "temperature",
            "Temperature",
            (
                _unit("°C", "degree Celsius", "1", "c"),
                _unit(
                    "°F",
                    "degree Fahrenheit",
                    "0.5555555555555555555555555556",
                    "f",
                    offset="-17.77777777777777777777777778",
                ),
                _unit("K", "kelvin", "1", offset="-273.15"),
            ),
            may_be_negative=True,
        ),
        Family(
            "count",
            "Count",
            (_unit("", "piece", "1", "pc", "pcs", "piece", "pieces", "st"), _unit("dozen", "dozen", "12", "dz")),
        ),
    )
}


def all_units() -> list[tuple[str, str]]:
    """Every unit for a list to choose from: ("weight:kg", "Weight: kilogram")."""
    return [(f"{one.key}:{unit.sign}", f"{one.label}: {unit.label}") for one in FAMILIES.values() for unit in one.units]


LARGEST = Decimal(10) ** 12
_FINEST = Decimal("0.000001")


@dataclass(frozen=True)
class Quantity:
    """A number in its family's base unit, and the unit in which it was written."""

    number: Decimal
    unit: str


def parse(text: str, family: Family, default: str) -> Quantity:
    """A quantity from "4 mm" or "4,5mm"; a bare number is in ``default``.

    Raises Refused where it is no number, has a unit of another family, or is below zero where that makes no sense.
    """
    example = f"{'-4' if family.may_be_negative else '4.5'} {default}".strip()
    number, word = quantities.split_number(text, "number", example)
    unit = family.unit(word or default)
    if unit is None:
        known = ", ".join(u.sign for u in family.units if u.sign)
        raise Refused.because(
            "number.unit", f"“{word}” is not a unit of {family.label.lower()}. Use {known or 'a bare number'}."
        )
    if number < 0 and not family.may_be_negative:
        raise Refused.because("number.negative", f"“{text.strip()}” is below zero, which no {family.label.lower()} is.")
    based = number * unit.factor + unit.offset
    if abs(based) > LARGEST:
        raise Refused.because("number.too_large", f"“{text.strip()[:40]}” is too large to be meant.")
    based = based.quantize(_FINEST)
    return Quantity(based.normalize() if based else Decimal(0), unit.sign)


def show(quantity: Quantity, family: Family, unit: str | None = None, *, locale: str = "en") -> str:
    """The quantity in ``unit``, or as it was written: "4.5 mm"; in German "4,5 mm".

    In other languages than English, units are written as the Unicode CLDR has them ("short"): 4 in is 4 Zoll.
    """
    found = family.unit(quantity.unit if unit is None else unit) or family.base
    number = number_in(quantity, found)
    if locale == "en":
        return f"{number} {found.sign}".strip()
    if found.sign in _CLDR:
        return format_unit(Decimal(number), _CLDR[found.sign], "short", "#,##0.######", locale).replace("\u202f", " ")
    return f"{format_decimal(Decimal(number), '#,##0.######', locale)} {found.sign}".strip()


#: Regions that measure in feet and pounds (Unicode CLDR, measurementData); all others read the metric system.
_IMPERIAL_REGIONS = ("US", "LR", "MM")
_COUNTERPARTS = {
    "oz": "g", "lb": "kg", "in": "cm", "ft": "m", "yd": "m", "in²": "cm²", "ft²": "m²", "fl oz": "ml", "°F": "°C",
}  # fmt: skip
_TO_IMPERIAL = {
    "g": "oz", "kg": "lb", "mm": "in", "cm": "in", "m": "yd", "cm²": "in²", "m²": "ft²", "ml": "fl oz", "cl": "fl oz",
    "l": "fl oz", "°C": "°F", "K": "°F",
}  # fmt: skip


def show_for(quantity: Quantity, family: Family, unit: str, locale: str, *, fixed: bool) -> str:
    """The quantity as it is read in a region: as it was written, where that is measured there, else in the shop's unit
    ``unit``, else in the one that stands for it there, to three figures. ``fixed``: always in the shop's unit.

    The region is the locale’s ("en_US"); a language without one reads the metric system.
    """
    foreign = _TO_IMPERIAL if locale.rpartition("_")[2] in _IMPERIAL_REGIONS else _COUNTERPARTS
    if fixed and unit:
        return show(quantity, family, unit, locale=locale)
    if quantity.unit not in foreign:
        return show(quantity, family, locale=locale)
    if unit and unit not in foreign:
        return show(_rounded(quantity, family, unit), family, unit, locale=locale)
    other = foreign[quantity.unit]
    return show(_rounded(quantity, family, other), family, other, locale=locale)


def _rounded(quantity: Quantity, family: Family, sign: str) -> Quantity:
    """Converted numbers say no more than was measured: three figures."""
    unit = family.unit(sign) or family.base
    number = (quantity.number - unit.offset) / unit.factor
    figures = max(0, 2 - number.adjusted()) if number else 0
    rounded = number.quantize(Decimal(1).scaleb(-figures))
    return Quantity(rounded * unit.factor + unit.offset, unit.sign)


#: Signs of units as the Unicode CLDR names them.
_CLDR = {
    "g": "mass-gram", "kg": "mass-kilogram", "oz": "mass-ounce", "lb": "mass-pound", "mm": "length-millimeter",
    "cm": "length-centimeter", "m": "length-meter", "km": "length-kilometer", "in": "length-inch", "ft": "length-foot",
    "yd": "length-yard", "cm²": "area-square-centimeter", "m²": "area-square-meter", "in²": "area-square-inch",
    "ft²": "area-square-foot", "ml": "volume-milliliter", "cl": "volume-centiliter", "l": "volume-liter",
    "m³": "volume-cubic-meter", "fl oz": "volume-fluid-ounce", "°C": "temperature-celsius",
    "°F": "temperature-fahrenheit", "K": "temperature-kelvin",
}  # fmt: skip


def number_in(quantity: Quantity, unit: Unit) -> str:
    """The bare number in a unit, at most six decimals, without needless noughts."""
    try:
        number = ((quantity.number - unit.offset) / unit.factor).quantize(_FINEST)
    except InvalidOperation:  # pragma: no cover - parse keeps numbers far smaller
        number = quantity.number
    text = f"{number:f}"
    return text.rstrip("0").rstrip(".") if "." in text else text
