"""Conditions on products in SQL, and categories that fill themselves by them.

``core.conditions.fits`` says the same for one product; a test holds the two against each other.
"""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from graupel.core.conditions import BY_ID, Condition
from graupel.db import Tx, like
from graupel.features.assortments import store
from graupel.features.history.following import Recorded
from graupel.features.products.summary import TouchedProducts

_FROM = """product p JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s
           JOIN product_summary s ON s.product_id = p.id"""
#: A choice stands in a fact of the product, or in one of its variants that is for sale.
_CHOICE = """(EXISTS (SELECT 1 FROM fact f WHERE f.product_id = p.id AND f.choice_id = %({name})s)
             OR EXISTS (SELECT 1 FROM variant v WHERE v.product_id = p.id AND NOT v.archived AND %({name})s IN
                        (v.choice_1, v.choice_2, v.choice_3, v.choice_4, v.choice_5)))"""
_TAG = """EXISTS (SELECT 1 FROM tagging g WHERE g.kind = 'product' AND g.record_id = p.id AND g.tag_id = %({name})s)"""


def _sql(condition: Condition, name: str, params: dict[str, Any]) -> str:
    """SQL for one condition, its value bound as ``name``."""
    if condition.field in BY_ID and condition.ref_id is None:
        return "FALSE"
    params[name] = condition.ref_id if condition.ref_id is not None else condition.value
    match condition.field:
        case "name":
            params[name] = f"%{like(condition.value)}%"
            return f"t.name {'NOT ' if condition.op == 'has not' else ''}LIKE %({name})s"
        case "price" | "stock":
            column = "s.price_low" if condition.field == "price" else "s.stock"
            return f"COALESCE({column} {'<' if condition.op == 'below' else '>='} %({name})s, FALSE)"
        case "tag" | "choice":
            found = (_TAG if condition.field == "tag" else _CHOICE).format(name=name)
            return found if condition.op == "is" else f"NOT {found}"
        case _:
            column = "p.brand_id" if condition.field == "brand" else "p.type_id"
            return f"{'' if condition.op == 'is' else 'NOT '}({column} <=> %({name})s)"


def where(conditions: Iterable[Condition], params: dict[str, Any]) -> str:
    """SQL for "fits all conditions"; FALSE without any."""
    parts = [_sql(one, f"c{place}", params) for place, one in enumerate(conditions)]
    return " AND ".join(parts) or "FALSE"


def fitting(tx: Tx, conditions: Sequence[Condition], lang: str) -> list[int]:
    """The ids of all products that fit."""
    params: dict[str, Any] = {"lang": lang}
    sql = where(conditions, params)
    return [row["id"] for row in tx.all(f"SELECT p.id FROM {_FROM} WHERE {sql}", params)]


def refill(tx: Tx, category_id: int, conditions: Sequence[Condition], lang: str, change_set_id: int) -> None:
    """Fill a category anew after its conditions changed, and note which products came and went."""
    params: dict[str, Any] = {"lang": lang, "category": category_id, "set": change_set_id}
    fits = where(conditions, params)
    wanted = f"SELECT p.id FROM {_FROM} WHERE {fits}"
    there = "SELECT product_id FROM category_filled WHERE category_id = %(category)s"
    tx.run(
        f"""INSERT IGNORE INTO refilled (change_set_id, product_id)
            SELECT %(set)s, x.id FROM ({wanted}) x WHERE x.id NOT IN ({there})
            UNION SELECT %(set)s, y.product_id FROM ({there}) y WHERE y.product_id NOT IN ({wanted})""",
        params,
    )
    tx.run(f"DELETE FROM category_filled WHERE category_id = %(category)s AND product_id NOT IN ({wanted})", params)
    tx.run(
        f"INSERT IGNORE INTO category_filled (category_id, product_id) SELECT %(category)s, x.id FROM ({wanted}) x",
        params,
    )


def follow_products(tx: Tx, touched: TouchedProducts) -> None:
    """The products that a change set touched come into the categories that they now fit, and leave the others."""
    for category_id, conditions in store.all_conditions(tx, "category").items():
        params: dict[str, Any] = {"lang": touched.language, "category": category_id}
        fits = where(conditions, params)
        among = f"{_FROM} JOIN {touched.table} k ON k.product_id = p.id"
        tx.run(
            f"""DELETE h FROM category_filled h JOIN {touched.table} k ON k.product_id = h.product_id
                WHERE h.category_id = %(category)s AND h.product_id NOT IN (
                  SELECT p.id FROM {_FROM} WHERE p.id = h.product_id AND {fits})""",
            params,
        )
        tx.run(
            f"""INSERT IGNORE INTO category_filled (category_id, product_id)
                SELECT %(category)s, p.id FROM {among} WHERE {fits}""",
            params,
        )


def refill_owners(tx: Tx, recorded: Recorded) -> None:
    """After a change set: the categories whose conditions it touched are filled anew."""
    rows = tx.all(
        """SELECT r.record_id AS id FROM change_row r JOIN goods_condition k
             ON k.owner = 'category' AND k.owner_id = r.record_id
           WHERE r.change_set_id = %(set)s AND r.record_kind = 'category' AND r.was IS NULL
           UNION SELECT DISTINCT COALESCE(c.owner_id, JSON_VALUE(r.was, '$.owner_id')) FROM change_row r
           LEFT JOIN goods_condition c ON c.id = r.record_id
           WHERE r.change_set_id = %(set)s AND r.record_kind = 'goods_condition'
             AND COALESCE(c.owner, JSON_VALUE(r.was, '$.owner')) = 'category'""",
        {"set": recorded.change_set_id},
    )
    known: Mapping[int, list[Condition]] = store.all_conditions(tx, "category") if rows else {}
    for row in rows:
        if tx.value("SELECT 1 FROM category WHERE id = %s", [row["id"]]):
            refill(tx, int(row["id"]), known.get(int(row["id"]), []), recorded.language, recorded.change_set_id)
    if rows:
        store.prune_refilled(tx, recorded.change_set_id)
