"""Conditions on products in SQL, and categories that fill themselves by them.

``core.conditions.fits`` says the same for one product; a test holds the two against each other. Conditions are asked in
two ways: some of them of all products, when they are new; and all of them of some products, after every change set.
"""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from graupel.core.conditions import BY_ID, FIELDS, Condition
from graupel.db import Tx, like, like_sql
from graupel.features.assortments import store
from graupel.features.history.following import Recorded
from graupel.features.products.columns import inherited_sql
from graupel.features.products.summary import TouchedProducts

_FROM = """{product} JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s
           JOIN product_summary s ON s.product_id = p.id JOIN product_stock so ON so.product_id = p.id"""
_ALL = _FROM.format(product="product p")
#: A choice stands in a fact of the product, or in one of its variants that is for sale.
_CHOICE = """(EXISTS (SELECT 1 FROM fact f WHERE f.product_id = p.id AND f.choice_id = {ref})
             OR EXISTS (SELECT 1 FROM variant v WHERE v.product_id = p.id AND NOT v.archived AND {ref} IN
                        (v.choice_1, v.choice_2, v.choice_3, v.choice_4, v.choice_5)))"""
#: A field has a value where a variant that is for sale has it.
_HAS = {
    name: f"""EXISTS (SELECT 1 FROM variant v WHERE v.product_id = p.id AND NOT v.archived
              AND {inherited_sql(name)} = {{value}})"""
    for name in FIELDS
}
_TAG = """EXISTS (SELECT 1 FROM tagging g WHERE g.kind = 'product' AND g.record_id = p.id AND g.tag_id = {ref})"""
#: SQL of each question, by field and op. {ref}: the record that is meant, {value}: text or number, {like}: its pattern.
_ASKED = {
    ("brand", "is"): "p.brand_id <=> {ref}",
    ("brand", "is not"): "NOT (p.brand_id <=> {ref})",
    ("type", "is"): "p.type_id <=> {ref}",
    ("type", "is not"): "NOT (p.type_id <=> {ref})",
    ("tag", "is"): _TAG,
    ("tag", "is not"): f"NOT {_TAG}",
    ("choice", "is"): _CHOICE,
    ("choice", "is not"): f"NOT {_CHOICE}",
    ("price", "below"): "s.price_low < CAST({value} AS DECIMAL(12,2))",
    ("price", "from"): "s.price_low >= CAST({value} AS DECIMAL(12,2))",
    ("stock", "below"): "so.on_hand < CAST({value} AS DECIMAL(12,2))",
    ("stock", "from"): "so.on_hand >= CAST({value} AS DECIMAL(12,2))",
    ("name", "has"): "t.name LIKE {like}",
    ("name", "has not"): "t.name NOT LIKE {like}",
    **{(name, "is"): has for name, has in _HAS.items()},
    **{(name, "is not"): f"NOT {has}" for name, has in _HAS.items()},
}


def _sql(condition: Condition, name: str, params: dict[str, Any]) -> str:
    """SQL for one condition, its value bound as ``name``."""
    if condition.field in BY_ID and condition.ref_id is None:  # what was meant is gone
        return "FALSE"
    params |= {f"{name}_ref": condition.ref_id, f"{name}_value": condition.value}
    params[f"{name}_like"] = f"%{like(condition.value)}%"
    asked = _ASKED[condition.field, condition.op]
    bound = {part: f"%({name}_{part})s" for part in ("ref", "value", "like")}
    return f"COALESCE({asked.format(**bound)}, FALSE)" if condition.field not in BY_ID else asked.format(**bound)


#: Whether the condition ``c`` of the table holds.
_HOLDS = "CASE CONCAT(c.field, ' ', c.op) {} END".format(
    " ".join(
        f"WHEN '{field} {op}' THEN {'c.ref_id IS NOT NULL AND ' if field in BY_ID else ''}"
        + asked.format(ref="c.ref_id", value="c.value", like=like_sql("c.value"))
        for (field, op), asked in _ASKED.items()
    )
)


def where(conditions: Iterable[Condition], params: dict[str, Any]) -> str:
    """SQL for "fits all conditions"; FALSE without any."""
    parts = [_sql(one, f"c{place}", params) for place, one in enumerate(conditions)]
    return " AND ".join(parts) or "FALSE"


def fitting(tx: Tx, conditions: Sequence[Condition], lang: str) -> list[int]:
    """The ids of all products that fit."""
    params: dict[str, Any] = {"lang": lang}
    sql = where(conditions, params)
    return [row["id"] for row in tx.all(f"SELECT p.id FROM {_ALL} WHERE {sql}", params)]


def refill(tx: Tx, category_id: int, conditions: Sequence[Condition], lang: str, change_set_id: int) -> None:
    """Fill a category anew after its conditions changed, and note which products came and went."""
    params: dict[str, Any] = {"lang": lang, "category": category_id, "set": change_set_id}
    fits = where(conditions, params)
    wanted = f"SELECT p.id FROM {_ALL} WHERE {fits}"
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
    fitting_now = f"fitting_{touched.change_set_id}"
    tx.run(
        f"""CREATE OR REPLACE TEMPORARY TABLE {fitting_now} (category_id INT UNSIGNED NOT NULL,
              product_id INT UNSIGNED NOT NULL, PRIMARY KEY (product_id, category_id))"""
    )
    tx.run(
        f"""INSERT INTO {fitting_now} (category_id, product_id)
            SELECT o.owner_id, p.id
            FROM {touched.table} k STRAIGHT_JOIN {_FROM.format(product="product p ON p.id = k.product_id")}
            JOIN (SELECT DISTINCT owner_id FROM goods_condition WHERE owner = 'category') o
            WHERE NOT EXISTS (SELECT 1 FROM goods_condition c WHERE c.owner = 'category' AND c.owner_id = o.owner_id
                              AND NOT COALESCE({_HOLDS}, FALSE))""",
        {"lang": touched.language},
    )
    tx.run(
        f"""DELETE h FROM category_filled h JOIN {touched.table} k ON k.product_id = h.product_id
            LEFT JOIN {fitting_now} f ON f.product_id = h.product_id AND f.category_id = h.category_id
            WHERE f.product_id IS NULL"""
    )
    tx.run(
        f"""INSERT IGNORE INTO category_filled (category_id, product_id)
            SELECT category_id, product_id FROM {fitting_now}"""
    )
    tx.run(f"DROP TEMPORARY TABLE {fitting_now}")


#: No field: of records that were made, any may be written.
_MADE = "made"


def refill_owners(tx: Tx, recorded: Recorded) -> None:
    """After a change set: the categories whose conditions it touched are filled anew."""
    if not (recorded.wrote.any_of("goods_condition") or recorded.wrote.any_of("category", (_MADE,))):
        return
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
