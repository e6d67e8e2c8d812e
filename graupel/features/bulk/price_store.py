"""Typed prices of many products changed by sets; core.price_changes says the same of one."""

from collections.abc import Mapping
from typing import Any

from graupel.core.endings import Ending
from graupel.core.price_changes import By, PriceChange
from graupel.db import Tx
from graupel.features.bulk.rows import PriceSampleRow
from graupel.features.history import journal, records
from graupel.features.history.service import Recorder
from graupel.features.products.columns import VARIES
from graupel.features.terms.asked_sql import ending_sql

_VARIES = VARIES.format(product="p.id")
_PRODUCTS = "bulk_row r JOIN product p ON p.id = r.product_id"
_IS_CHANGED = "r.bulk_id = %(bulk)s AND r.action = 'changed'"


def changed_sql(change: PriceChange, ending: Ending | None, price: str) -> str:
    """SQL of a price after the change; NULL stays NULL, but for a price that is said outright."""
    amount = f"{change.amount:f}"
    changed = {
        By.PERCENT: f"GREATEST(ROUND({price} * (100 + {amount}) / 100, {change.decimals}), 0)",
        By.AMOUNT: f"GREATEST({price} + {amount}, 0)",
        By.PRICE: amount,
        By.ENDING: price,
    }[change.by]
    return ending_sql(changed, ending if change.ended else None)


def _where(change: PriceChange) -> tuple[str, str]:
    """SQL of which prices change: of a product that varies, and of a variant. One that is said outright replaces the
    product's, and leaves alone what single variants have of their own."""
    if change.by is By.PRICE:
        return _VARIES, f"NOT {_VARIES}"
    return f"{_VARIES} AND p.price IS NOT NULL", "v.price IS NOT NULL"


def would_change(change: PriceChange, ending: Ending | None) -> str:
    """SQL over product p: any of its typed prices would be another."""
    products, variants = _where(change)
    of_product = f"({products} AND NOT (p.price <=> {changed_sql(change, ending, 'p.price')}))"
    of_variant = f"""EXISTS (SELECT 1 FROM variant v WHERE v.product_id = p.id AND {variants}
                     AND NOT (v.price <=> {changed_sql(change, ending, "v.price")}))"""
    return f"({of_product} OR {of_variant})"


def samples(tx: Tx, ids: list[int], change: PriceChange, ending: Ending | None) -> dict[int, PriceSampleRow]:
    """By product its lowest and highest typed price, before and after."""
    products, variants = _where(change)
    then_product = f"IF({products}, {changed_sql(change, ending, 'p.price')}, p.price)"
    then = f"COALESCE(IF({variants}, {changed_sql(change, ending, 'v.price')}, v.price), {then_product})"
    rows = tx.rows(
        PriceSampleRow,
        f"""SELECT p.id, MIN(COALESCE(v.price, p.price)) AS low, MAX(COALESCE(v.price, p.price)) AS high,
              MIN({then}) AS then_low, MAX({then}) AS then_high
            FROM product p JOIN variant v ON v.product_id = p.id AND NOT v.archived
            WHERE p.id IN %(ids)s GROUP BY p.id""",
        {"ids": ids or [0]},
    )
    return {row["id"]: row for row in rows}


def write(tx: Tx, recorder: Recorder, bulk_id: int, change: PriceChange, ending: Ending | None) -> None:
    """Journal and write the prices of the products that change."""
    params: Mapping[str, Any] = {"bulk": bulk_id}
    products, variants = _where(change)
    only = f"{_PRODUCTS} JOIN variant v ON v.product_id = p.id"
    for kind, column, source, which in (
        ("variant", "v.price", only, variants),
        ("product", "p.price", _PRODUCTS, products),
    ):
        target = records.kind_of(kind)
        new = changed_sql(change, ending, column)
        where = f"{_IS_CHANGED} AND {which} AND NOT ({column} <=> {new})"
        kept = f"CAST({new} AS DECIMAL(12,2))"
        was = {"price": target.fields["price"].sql}
        journal.write(tx, recorder.change_set_id, target, source, where, params, was=was, became={"price": kept})
        tx.run(
            f"UPDATE {source} SET {column} = {kept}, {target.version} = {target.version} + 1 {target.touch} "
            f"WHERE {where}",
            params,
        )
