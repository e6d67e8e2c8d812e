"""Both sides of a bulk edit in words: what a product has, and what it would have."""

from collections.abc import Mapping
from typing import Any

from graupel.core import showing
from graupel.core.declarations.products import PRODUCT
from graupel.features.bulk.rows import BulkEditRow
from graupel.features.categories import service as categories


def of(bulk: BulkEditRow, row: Mapping[str, Any], tree: categories.Tree) -> tuple[str, str]:
    """What a product has now, and what it would have."""
    return _now(bulk["field"], row, tree), then(bulk)


def _now(field: str, row: Mapping[str, Any], tree: categories.Tree) -> str:
    if field == "status":
        return str(row["status"]).capitalize()
    if field == "category":
        return tree.path(row["category_id"]) or "none"
    if field == "place":
        return tree.path(row["category_id"]) or "none"
    if field.startswith("shop"):
        return "otherwise"
    if field in PRODUCT.for_many:
        return showing.show(PRODUCT.field(field).kind, row[field]) if row[field] else "none"
    return row["brand"] or "none" if field == "brand" else "without" if field in ("tag_on", "choice_on") else "with"


def then(bulk: BulkEditRow) -> str:
    """What products are given."""
    value = str(bulk["value"])
    if bulk["field"] == "status":
        return value.capitalize()
    if bulk["field"].startswith("tag"):
        return f"{'with' if bulk['field'] == 'tag_on' else 'without'} {value.replace(chr(10), ', ')}"
    if bulk["field"] == "price":
        return value.replace("\n", ", ")
    if bulk["field"] in PRODUCT.for_many:
        return showing.show(PRODUCT.field(bulk["field"]).kind, value) if value else "none"
    said = {"choice_on": f"asks {value}", "choice_off": f"does not ask {value}"}
    said |= {"place": f"also in {value}", "shop_on": f"shown in {value}", "shop_off": f"left out of {value}"}
    return said.get(bulk["field"]) or value or "none"
