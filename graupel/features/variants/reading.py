"""A variant's fields from typed text."""

from typing import Any

from graupel.core import product_fields, products, stock


def read_value(name: str, text: str, currency: str) -> Any:
    """A variant's field from typed text; None where it is blank and so inherited. Raises Refused."""
    text = text.strip()
    match name:
        case "stock":  # a bare number is a count where nothing says what stood there
            return stock.parse(text)
        case "archived":
            return product_fields.parse_switch(text)
        case "name":  # a variant may do without a name of its own
            return product_fields.one_line(text, products.NAME_LENGTH, "A name", "name")
    value = product_fields.readers(currency)[name](text)
    return value if value != "" or name in ("mpn", "short_text", "sku") else None
