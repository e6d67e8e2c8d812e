"""Values of records, and numbers of them, in words."""

from typing import Any

from graupel.core import countries, quantities, richtext
from graupel.core.records import FieldKind


def plural(count: int, one: str, many: str | None = None) -> str:
    """ "1 product", "2,214 products" """
    return f"{count:,} {one if count == 1 else many or one + 's'}"


def number(text: str) -> str:
    """A number as it is kept, without needless noughts: "15.00" is 15."""
    return text.rstrip("0").rstrip(".") if "." in text else text


def typed_text(kind: FieldKind, value: Any) -> str:
    """A field's value as a person would type it into its field, "" for none."""
    if value is None:
        return ""
    if kind is FieldKind.MONEY:
        return quantities.format_money(value)
    if kind is FieldKind.QUANTITY:
        return number(str(value))
    if kind is FieldKind.WEIGHT:
        return quantities.format_weight(int(value))
    return countries.name(str(value)) if kind is FieldKind.COUNTRY else str(value)


def show(kind: FieldKind, value: Any) -> str:
    """A field's value, as the journal keeps it, in words."""
    if value is None or value == "":
        return "(empty)"
    if isinstance(value, (list, tuple)):
        return ", ".join(map(str, value)) or "(empty)"
    match kind:
        case FieldKind.WEIGHT:
            return quantities.format_weight(int(value))
        case FieldKind.RICH:
            return richtext.to_plain(str(value))
        case FieldKind.COUNTRY:
            return countries.name(str(value))
        case FieldKind.SWITCH:
            return "Yes" if value in (True, 1, "1") else "No"
        case FieldKind.DECIMAL | FieldKind.QUANTITY:
            return number(str(value))
        case FieldKind.MOMENT:
            return f"{str(value)[:16]} UTC"
        case FieldKind.WORD:
            return str(value).replace("_", " ").capitalize()
    return str(value)
