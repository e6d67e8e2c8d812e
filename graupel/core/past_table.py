"""A line of the products table at a moment, from what a product and its variants held then."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from graupel.core.past import State

#: The columns of such a table, in their order.
COLUMNS = {"name": "Product", "status": "Status", "category": "Category", "brand": "Brand", "price": "Price"}
COLUMNS |= {"list_price": "List price", "variants": "Variants"}
_AMOUNTS = ("price", "list_price")


@dataclass(frozen=True)
class Names:
    """What the records that products refer to are called, by their ids."""

    category: Callable[[int], str | None]
    brand: Callable[[int], str | None]


def line(product: State, variants: Iterable[Mapping[str, Any]], names: Names) -> dict[str, str] | None:
    """What the table says of a product with these variants, by COLUMNS; None where it was not there. Amounts are those
    that variants have or inherit, the lowest and the highest."""
    if product is None:
        return None
    selling = [one for one in variants if not int(one.get("archived") or 0)]
    found = {"name": str(product.get("name") or ""), "status": str(product.get("status") or "").capitalize()}
    found["category"] = _called(product.get("category_id"), names.category)
    found["brand"] = _called(product.get("brand_id"), names.brand)
    for name in _AMOUNTS:
        found[name] = _range(
            product.get(name) if one.get(name) is None else one.get(name) for one in (selling or ({},))
        )
    return found | {"variants": str(len(selling))}


def _called(record_id: Any, called: Callable[[int], str | None]) -> str:
    return (called(int(record_id)) or "one that is gone") if record_id else ""


def _range(amounts: Iterable[Any]) -> str:
    found = sorted({Decimal(str(one)) for one in amounts if one is not None})
    return "–".join(f"{one:.2f}" for one in dict.fromkeys((found[0], found[-1]))) if found else ""
