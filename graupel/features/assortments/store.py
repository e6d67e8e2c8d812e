"""The tables of conditions, of goods of shops, and of what fills categories."""

from collections.abc import Mapping, Sequence
from typing import Any

from graupel.core.conditions import Condition
from graupel.core.declarations.assortments import CONDITION, SHOP_GOODS
from graupel.db import Tx
from graupel.features.assortments.rows import ConditionRow, ShopGoodsRow

CONDITION_FIELDS = CONDITION.columns()
SHOP_FIELDS = SHOP_GOODS.columns()
#: The facets look through so many of the newest change sets.
KEPT_REFILLED = 1000


def condition_rows(tx: Tx, owner: str, owner_id: int) -> list[ConditionRow]:
    return tx.rows(
        ConditionRow,
        "SELECT * FROM goods_condition WHERE owner = %s AND owner_id = %s ORDER BY position",
        [owner, owner_id],
    )


def conditions(tx: Tx, owner: str, owner_id: int) -> list[Condition]:
    """The conditions of a category or a shop."""
    return [condition_of(row) for row in condition_rows(tx, owner, owner_id)]


def all_conditions(tx: Tx, owner: str) -> dict[int, list[Condition]]:
    """The conditions of all categories, or of all shops, by the owner's id."""
    found: dict[int, list[Condition]] = {}
    for row in tx.all("SELECT * FROM goods_condition WHERE owner = %s ORDER BY owner_id, position", [owner]):
        found.setdefault(row["owner_id"], []).append(condition_of(row))
    return found


def condition_of(row: Mapping[str, Any]) -> Condition:
    return Condition(row["field"], row["op"], row["ref_id"], row["value"])


def conditions_by_ids(tx: Tx, ids: Sequence[int]) -> list[ConditionRow]:
    return tx.rows(ConditionRow, "SELECT * FROM goods_condition WHERE id IN %s", [list(ids)]) if ids else []


def insert_condition(tx: Tx, values: dict[str, Any]) -> int:
    return tx.insert(
        f"""INSERT INTO goods_condition ({", ".join(CONDITION_FIELDS)})
            VALUES ({", ".join(f"%({name})s" for name in CONDITION_FIELDS)})""",
        values,
    )


def delete_condition(tx: Tx, row_id: int) -> None:
    tx.run("DELETE FROM goods_condition WHERE id = %s", [row_id])


def prune_refilled(tx: Tx, newest: int) -> None:
    tx.run("DELETE FROM refilled WHERE change_set_id < %s", [newest - KEPT_REFILLED])


def filled(tx: Tx, category_id: int) -> set[int]:
    """The products that a category's conditions brought in."""
    rows = tx.all("SELECT product_id FROM category_filled WHERE category_id = %s", [category_id])
    return {row["product_id"] for row in rows}


def placed(tx: Tx, category_id: int) -> dict[int, str]:
    """The products that stand in a category by hand: "main" or "further"."""
    rows = tx.all(
        """SELECT product_id AS id, 'further' AS way FROM product_category WHERE category_id = %(id)s
           UNION ALL SELECT id, 'main' FROM product WHERE category_id = %(id)s""",
        {"id": category_id},
    )
    return {row["id"]: row["way"] for row in rows}


_ORDERS = {
    "newest": "p.id DESC",
    "name": "t.name, p.id",
    "cheapest": "s.price_low IS NULL, s.price_low, p.id DESC",
    "dearest": "s.price_low IS NULL, s.price_low DESC, p.id DESC",
    "stock": "so.on_hand IS NULL, so.on_hand DESC, p.id DESC",
}


def before_others(tx: Tx) -> list[int]:
    """The products that stand before others, in their places; of one place the newest first."""
    rows = tx.all("SELECT id FROM product WHERE first_place IS NOT NULL ORDER BY first_place, id DESC")
    return [row["id"] for row in rows]


def in_order(tx: Tx, ids: Sequence[int], sorted_by: str, lang: str) -> list[int]:
    """Products in an order; by hand is as "newest" here, what stands in the list comes before."""
    if not ids:
        return []
    rows = tx.all(
        f"""SELECT p.id FROM product p JOIN product_text t ON t.product_id = p.id AND t.lang = %s
            JOIN product_summary s ON s.product_id = p.id JOIN product_stock so ON so.product_id = p.id
            WHERE p.id IN %s
            ORDER BY {_ORDERS.get(sorted_by, _ORDERS["newest"])}""",
        [lang, list(ids)],
    )
    return [row["id"] for row in rows]


def shop_goods(tx: Tx, shop_id: int) -> list[ShopGoodsRow]:
    return tx.rows(ShopGoodsRow, "SELECT * FROM shop_goods WHERE shop_id = %s ORDER BY id", [shop_id])


def shop_goods_by_ids(tx: Tx, ids: Sequence[int]) -> list[ShopGoodsRow]:
    return tx.rows(ShopGoodsRow, "SELECT * FROM shop_goods WHERE id IN %s", [list(ids)]) if ids else []


def insert_shop_goods(tx: Tx, values: dict[str, Any]) -> int:
    return tx.insert(
        f"""INSERT INTO shop_goods ({", ".join(SHOP_FIELDS)})
            VALUES ({", ".join(f"%({name})s" for name in SHOP_FIELDS)})""",
        values,
    )


def set_left_out(tx: Tx, row_id: int, left_out: bool) -> None:
    tx.run("UPDATE shop_goods SET left_out = %s, version = version + 1 WHERE id = %s", [int(left_out), row_id])


def delete_shop_goods(tx: Tx, row_id: int) -> None:
    tx.run("DELETE FROM shop_goods WHERE id = %s", [row_id])
