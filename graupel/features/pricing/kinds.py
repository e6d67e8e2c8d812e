"""What the journal knows of sales, promotions and quantity prices, and which products cost otherwise by them."""

from collections.abc import Sequence

from graupel.core.declarations import terms as declared
from graupel.db import Tx
from graupel.features.history import records
from graupel.features.history.records import RecordKind, Shown
from graupel.features.pricing import store
from graupel.features.products import belonging, summary
from graupel.features.products.belonging import Belonging
from graupel.features.terms.store import MOMENT
from graupel.features.vocabulary import references

#: SQL: nothing else is as near, for the same goods and place, at the same time as the sale ``{sale}``.
_BESIDE = """eo.id <> es.id AND eo.reach = es.reach AND eo.destination = es.destination
             AND (es.ends IS NULL OR eo.begins < es.ends) AND (eo.ends IS NULL OR es.begins < eo.ends)"""
_ALONE = f"""(NOT EXISTS (SELECT 1 FROM sale es JOIN sale eo ON {_BESIDE} WHERE es.id = {{sale}} AND es.reach = 'all')
             AND NOT EXISTS (SELECT 1 FROM sale es STRAIGHT_JOIN sale_goods ea ON ea.sale_id = es.id
               STRAIGHT_JOIN sale_goods eb ON eb.product_id = ea.product_id AND eb.target = ea.target
               STRAIGHT_JOIN sale eo ON eo.id = eb.sale_id AND {_BESIDE} WHERE es.id = {{sale}}))"""
#: The same of one of its goods.
_ALONE_GOODS = f"""NOT EXISTS (SELECT 1 FROM sale es STRAIGHT_JOIN sale_goods eb
                     ON eb.product_id = sg.product_id AND eb.target = sg.target
                   STRAIGHT_JOIN sale eo ON eo.id = eb.sale_id AND {_BESIDE} WHERE es.id = sg.sale_id)"""
_LACKING = """Another sale was planned since for the same goods, place and time, and nothing says which of both would
count. End that one first."""
#: SQL of the products that a sale reaches; {ids}: a SELECT of the ids of sales, as id.
_REACHED = """SELECT g.product_id FROM ({ids}) c JOIN sale_goods g ON g.sale_id = c.id
              UNION SELECT p.id FROM product p WHERE EXISTS (SELECT 1 FROM ({ids}) c LEFT JOIN sale s ON s.id = c.id
                LEFT JOIN change_row cr ON cr.change_set_id = %(set)s AND cr.record_kind = 'sale'
                  AND cr.record_id = c.id
                WHERE 'all' IN (s.reach, JSON_VALUE(cr.was, '$.reach')))"""
#: SQL: a sale ``s``, or what it was before (in ``cr``), has begun: one that is only planned changes no price yet.
_BEGUN = f"""(s.begins <= {MOMENT} OR CAST(JSON_VALUE(cr.was, '$.begins') AS DATETIME(3)) <= {MOMENT})"""
_CHANGED_SALES = f"""SELECT cr.record_id AS id FROM change_row cr LEFT JOIN sale s ON s.id = cr.record_id
                     WHERE cr.change_set_id = %(set)s AND cr.record_kind = 'sale' AND {_BEGUN}"""
#: A promotion costs nothing less by itself; but what is told of prices names it.
_PROMOTED = f"""SELECT s.id FROM change_row r JOIN sale s ON s.promotion_id = r.record_id
                WHERE r.change_set_id = %(set)s AND r.record_kind = 'promotion' AND s.begins <= {MOMENT}"""
_MOMENTS = """SELECT COALESCE(m.sale_id, JSON_VALUE(r.became, '$.sale_id')) AS id FROM change_row r
              LEFT JOIN sale_moment m ON m.id = r.record_id
              WHERE r.change_set_id = %(set)s AND r.record_kind = 'sale_moment'"""


def _sales(tx: Tx, ids: Sequence[int]) -> dict[int, Shown]:
    return {key: Shown(title, f"/prices/sales/{key}") for key, title in store.titles(tx, list(ids)).items()}


def register_kinds() -> None:
    """Tell the journal of them."""
    records.register(
        RecordKind(
            declared.PROMOTION,
            lambda tx, ids: {
                key: Shown(name, "/prices/promotions") for key, name in store.promotion_names(tx, list(ids)).items()
            },
            removable="NOT EXISTS (SELECT 1 FROM sale ps WHERE ps.promotion_id = pm.id)",
        )
    )
    records.register(
        RecordKind(declared.SALE, _sales, whole_when=_ALONE.format(sale="sa.id"), lacking=_LACKING.replace("\n", " "))
    )
    records.register(
        RecordKind(
            declared.SALE_GOODS,
            lambda tx, ids: {
                r["id"]: Shown(r["name"], f"/prices/sales/{r['sale_id']}") for r in store.goods_names(tx, list(ids))
            },
            whole_when=_ALONE_GOODS,
            lacking=_LACKING.replace("\n", " "),
        )
    )
    records.register(
        RecordKind(
            declared.QUANTITY_PRICE,
            lambda tx, ids: {
                r["id"]: Shown(f"From {r['from_quantity']}", f"/products/{r['product_id']}")
                for r in store.quantity_price_names(tx, list(ids))
            },
        )
    )
    records.register(
        RecordKind(
            declared.SALE_MOMENT,
            lambda tx, ids: {
                r["id"]: Shown(r["what"].capitalize(), f"/prices/sales/{r['sale_id']}")
                for r in store.moments(tx, list(ids))
            },
            reversible=False,
        )
    )
    # Two sales for choices that become one would stand in each other's way.
    references.refine(
        "sale_goods",
        "choice_id",
        clash="""EXISTS (SELECT 1 FROM sale_goods d WHERE d.product_id = sg.product_id AND d.choice_id = %(into)s
                 AND d.sale_id <> sg.sale_id)""",
    )
    _register_belongings()


def _register_belongings() -> None:
    for kind, alias, touches in (("sale_goods", "sg", False), ("quantity_price", "qp", True)):
        below = f"{kind} {alias} ON {alias}.product_id = {{product}}"
        said = "JSON_VALUE({side}, '$.product_id')"
        belonging.register(Belonging(kind, below, "x.product_id", said, touches))
    summary.register_repriced("sale", _REACHED.format(ids=_CHANGED_SALES))
    summary.register_repriced("promotion", _REACHED.format(ids=_PROMOTED))
    summary.register_repriced("sale_moment", _REACHED.format(ids=_MOMENTS))
    summary.register_repriced(
        "sale_goods",
        f"""SELECT p.id AS product_id FROM change_row r LEFT JOIN sale_goods g ON g.id = r.record_id
            JOIN product p ON p.id = COALESCE(g.product_id, JSON_VALUE(r.was, '$.product_id'))
            LEFT JOIN sale s ON s.id = COALESCE(g.sale_id, JSON_VALUE(r.was, '$.sale_id'))
            LEFT JOIN change_row cr ON cr.change_set_id = %(set)s AND cr.record_kind = 'sale'
              AND cr.record_id = COALESCE(g.sale_id, JSON_VALUE(r.was, '$.sale_id'))
            WHERE r.change_set_id = %(set)s AND r.record_kind = 'sale_goods' AND {_BEGUN}""",
    )
