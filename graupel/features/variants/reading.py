"""A variant's fields from typed text."""

from typing import Any

from graupel.core import identifiers, products, quantities


def read_value(name: str, text: str, currency: str) -> Any:
    """A variant's field from typed text; None where it is blank. Raises Refused."""
    text = text.strip()
    if name in ("price", "list_price", "cost"):
        return quantities.parse_money(text, currency) if text else None
    match name:
        case "weight_g":
            return quantities.parse_weight(text) if text else None
        case "stock":
            return products.parse_stock(text)
        case "sells_without_stock":
            return None if not text else text == "yes"
        case "archived":
            return text == "yes"
        case "sku":
            return identifiers.parse_sku(text)
        case "gtin":
            return identifiers.parse_gtin(text) if text else None
        case "mpn":
            return products.one_line(text, products.MPN_LENGTH, "A manufacturer part number", "mpn")
        case "name":
            return products.one_line(text, products.NAME_LENGTH, "A name", "name")
        case _:
            return products.one_line(text, products.SHORT_TEXT_LENGTH, "A short text", "short_text")
