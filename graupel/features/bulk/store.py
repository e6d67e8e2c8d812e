"""What a bulk edit would do, and doing it: by sets of rows."""

from collections.abc import Mapping, Sequence
from typing import Any

from graupel.core.declarations.products import PRODUCT
from graupel.db import Tx, like
from graupel.db.loading import load_rows
from graupel.features.bulk.rows import BulkEditRow, SampleRow
from graupel.features.history import journal, records
from graupel.features.history.service import Recorder
from graupel.features.products.columns import VARIES
from graupel.features.terms.sells_sql import PRICED_BY_PARTS

ACTIONS = ("changed", "unchanged", "refused", "moved")
#: What keeps a product from going live, in words; SQL over product p. The rules themselves are core's.
NOT_LIVE = {
    "no category": "p.category_id IS NULL",
    "a variant without a price": """EXISTS (SELECT 1 FROM variant v WHERE v.product_id = p.id AND NOT v.archived
        AND COALESCE(v.price, p.price) IS NULL)""",
    "a fact that its type needs": """EXISTS (SELECT 1 FROM type_attribute w WHERE w.type_id = p.type_id
        AND (w.need = 'always' OR (w.need = 'when' AND EXISTS (SELECT 1 FROM fact y WHERE y.product_id = p.id
             AND y.attribute_id = w.when_attribute_id AND y.choice_id = w.when_choice_id)))
        AND NOT EXISTS (SELECT 1 FROM fact z WHERE z.product_id = p.id AND z.attribute_id = w.attribute_id)
        AND NOT EXISTS (SELECT 1 FROM product_axis x WHERE x.product_id = p.id
                        AND x.attribute_id = w.attribute_id))""",
}
#: By field, what keeps a product from being given what is said, in words; SQL over product p.
REFUSES = {"status": NOT_LIVE, "price": {"a kit whose price follows from its parts": PRICED_BY_PARTS}}
#: How many of the tags it has.
_TAGGED = """(SELECT COUNT(*) FROM tagging o WHERE o.tag_id IN %(ids)s AND o.kind = 'product' AND o.record_id = p.id)"""
_PLACED = "EXISTS (SELECT 1 FROM product_category x WHERE x.product_id = p.id AND x.category_id = %(id)s)"
_NEW = "NULLIF(%(value)s, '')"
_VARIES = VARIES.format(product="p.id")


def _would_change(name: str) -> str:
    """SQL: a field that variants inherit would change: of one that does not vary, it stands with its only variant."""
    only = f"EXISTS (SELECT 1 FROM variant v WHERE v.product_id = p.id AND NOT (v.{name} <=> {_NEW}))"
    return f"IF({_VARIES}, NOT (p.{name} <=> {_NEW}), {only})"


#: What is said of the product for a shop: 1 left out, 0 put in, -1 nothing.
_IN_SHOP = """COALESCE((SELECT y.left_out FROM shop_goods y WHERE y.shop_id = %(id)s AND y.kind = 'product'
              AND y.record_id = p.id), -1)"""
_ASKED = "EXISTS (SELECT 1 FROM choice_use cu WHERE cu.product_id = p.id AND cu.buyer_choice_id = %(id)s)"
#: Field -> SQL over product p: it would change.
_CHANGES = {
    "status": "p.status <> %(value)s",
    "category": "NOT (p.category_id <=> %(id)s AND %(id)s IS NOT NULL)",
    "brand": "NOT (p.brand_id <=> %(id)s) OR (%(id)s IS NULL AND %(value)s <> '')",
    "tag_on": f"{_TAGGED} < %(number)s",
    "tag_off": f"{_TAGGED} > 0",
    "place": f"NOT (p.category_id <=> %(id)s AND %(id)s IS NOT NULL) AND NOT {_PLACED}",
    "shop_on": f"NOT {_IN_SHOP} = 0",
    "shop_off": f"NOT {_IN_SHOP} = 1",
    "choice_on": f"NOT {_ASKED}",
    "choice_off": _ASKED,
} | {name: _would_change(name) for name in PRODUCT.for_many}
#: Field -> the product's column that it writes.
COLUMNS = {"status": "status", "category": "category_id", "brand": "brand_id"}


def insert(tx: Tx, field: str, value: str, query: str, makes: str, user_id: int | None) -> int:
    """A dry run; ``makes``: the names of the words that it would make, one a line."""
    return tx.insert(
        """INSERT INTO bulk_edit (field, value, query, makes, user_id, made_at)
           VALUES (%s, %s, %s, %s, %s, UTC_TIMESTAMP(3))""",
        [field, value, query, makes, user_id],
    )


def read(tx: Tx, bulk_id: int, *, lock: bool = False) -> BulkEditRow | None:
    return tx.row(BulkEditRow, f"SELECT * FROM bulk_edit WHERE id = %s {'FOR UPDATE' if lock else ''}", [bulk_id])


def forget_old(tx: Tx) -> None:
    """Dry runs of more than a day ago that nothing came of."""
    tx.run("DELETE FROM bulk_edit WHERE made_at < UTC_TIMESTAMP(3) - INTERVAL 1 DAY AND change_set_id IS NULL LIMIT 50")


def plan(
    tx: Tx,
    bulk_id: int,
    ids: Sequence[int],
    field: str,
    value: str,
    record_ids: Sequence[int | None],
    changes: str = "",
) -> None:
    """Note each product with what would happen to it; ``record_ids``: what the value names, None for what is new.

    ``changes``: SQL of whether a product p would change, where the field does not say so.
    """
    load_rows(
        tx, "bulk_row", ("bulk_id", "product_id", "version", "action"), ((bulk_id, i, 0, "unchanged") for i in ids)
    )
    against = f"({' OR '.join(REFUSES.get(field, {}).values()) or 'FALSE'})"
    refused = f"WHEN {against} THEN 'refused'" if field == "price" or value == "live" else ""
    tx.run(
        f"""UPDATE bulk_row r JOIN product p ON p.id = r.product_id
            SET r.version = p.version,
                r.action = CASE WHEN NOT ({changes or _CHANGES[field]}) THEN 'unchanged' {refused} ELSE 'changed' END
            WHERE r.bulk_id = %(bulk)s""",
        {
            "bulk": bulk_id,
            "value": value,
            "id": record_ids[0],
            "ids": [one or 0 for one in record_ids],
            "number": len(record_ids),
        },
    )


def counts(tx: Tx, bulk_id: int) -> dict[str, int]:
    rows = tx.all("SELECT action, COUNT(*) AS count FROM bulk_row WHERE bulk_id = %s GROUP BY action", [bulk_id])
    return {row["action"]: row["count"] for row in rows}


def reasons(tx: Tx, bulk_id: int, field: str) -> dict[str, int]:
    """Why products are refused, and how many for each reason."""
    against = REFUSES.get(field, {})
    if not against:
        return {}
    sums = ", ".join(f"SUM({sql}) AS r{number}" for number, sql in enumerate(against.values()))
    row = tx.one(
        f"""SELECT {sums} FROM bulk_row r JOIN product p ON p.id = r.product_id
            WHERE r.bulk_id = %s AND r.action = 'refused'""",
        [bulk_id],
    )
    assert row is not None
    return {why: int(row[f"r{number}"] or 0) for number, why in enumerate(against) if row[f"r{number}"]}


def _now_sql() -> str:
    only = "(SELECT v.{0} FROM variant v WHERE v.product_id = p.id AND v.combination = '' LIMIT 1)"
    return ", ".join(f"COALESCE(p.{name}, {only.format(name)}) AS {name}" for name in PRODUCT.for_many)


def product_ids(tx: Tx, bulk_id: int, action: str | None) -> list[int]:
    """The products of a dry run, of one action or all."""
    rows = tx.all(
        """SELECT product_id FROM bulk_row WHERE bulk_id = %(bulk)s AND (%(action)s IS NULL OR action = %(action)s)
           ORDER BY product_id""",
        {"bulk": bulk_id, "action": action},
    )
    return [row["product_id"] for row in rows]


def page(tx: Tx, bulk_id: int, action: str, lang: str, search: str, after: str, limit: int) -> list[SampleRow]:
    """Products of one action by name, from ``after`` (id and name) on; ``search``: in the name."""
    after_id, _, after_name = after.partition(".")
    begins = "AND (t.name, p.id) > (%(name)s, %(id)s)" if after_id.isdecimal() else ""
    found = "AND t.name LIKE %(search)s" if search else ""
    return tx.rows(
        SampleRow,
        f"""SELECT p.id, t.name, p.status, p.category_id, p.brand_id, b.name AS brand, {_now_sql()} FROM bulk_row r
           JOIN product p ON p.id = r.product_id JOIN product_text t ON t.product_id = p.id
           AND t.lang = %(lang)s LEFT JOIN brand b ON b.id = p.brand_id
           WHERE r.bulk_id = %(bulk)s AND r.action = %(action)s {begins} {found}
           ORDER BY t.name, p.id LIMIT %(limit)s""",
        {
            "lang": lang,
            "bulk": bulk_id,
            "action": action,
            "limit": limit,
            "id": int(after_id) if after_id.isdecimal() else 0,
            "name": after_name,
            "search": f"%{like(search)}%",
        },
    )


def leave_out_moved(tx: Tx, bulk_id: int) -> int:
    """Leave out the products that were changed, or deleted, since the dry run; returns how many. Locks the others."""
    tx.all(
        """SELECT p.id FROM bulk_row r JOIN product p ON p.id = r.product_id
           WHERE r.bulk_id = %s AND r.action = 'changed' ORDER BY p.id FOR UPDATE""",
        [bulk_id],
    )
    return tx.run(
        """UPDATE bulk_row r LEFT JOIN product p ON p.id = r.product_id SET r.action = 'moved'
           WHERE r.bulk_id = %s AND r.action = 'changed' AND NOT (p.version <=> r.version)""",
        [bulk_id],
    )


_BULK_PRODUCTS = "bulk_row r JOIN product p ON p.id = r.product_id"
_IS_CHANGED = "r.bulk_id = %(bulk)s AND r.action = 'changed'"
_CHANGED = f"{_BULK_PRODUCTS} WHERE {_IS_CHANGED}"


def _journal_changed(
    tx: Tx, recorder: Recorder, kind: str, name: str, new: str, source: str, where: str, params: Mapping[str, Any]
) -> None:
    """Journal one field that becomes ``new`` (SQL)."""
    target = records.kind_of(kind)
    was = {name: target.fields[name].sql}
    journal.write(tx, recorder.change_set_id, target, source, where, params, was=was, became={name: new})


def write_column(tx: Tx, recorder: Recorder, bulk_id: int, field: str, value: Any) -> None:
    """Journal and write one column of the products that change."""
    name = COLUMNS[field]
    column = PRODUCT.column(name)
    params = {"bulk": bulk_id, "new": value}
    _journal_changed(tx, recorder, "product", name, "%(new)s", _BULK_PRODUCTS, _IS_CHANGED, params)
    live = ", p.was_live = p.was_live OR %(new)s = 'live'" if field == "status" else ""
    tx.run(
        f"""UPDATE bulk_row r JOIN product p ON p.id = r.product_id
            SET {column} = %(new)s, p.version = p.version + 1, p.changed_at = UTC_TIMESTAMP(3) {live}
            WHERE r.bulk_id = %(bulk)s AND r.action = 'changed'""",
        params,
    )


def write_field(tx: Tx, recorder: Recorder, bulk_id: int, name: str, value: str) -> None:
    """Journal and write a field that variants inherit: with the product, or with the only variant it has."""
    params = {"bulk": bulk_id, "value": value}
    only = f"{_BULK_PRODUCTS} JOIN variant v ON v.product_id = p.id"
    for kind, column, source, where in (
        ("product", f"p.{name}", _BULK_PRODUCTS, f"{_IS_CHANGED} AND {_VARIES}"),
        ("variant", f"v.{name}", only, f"{_IS_CHANGED} AND NOT {_VARIES}"),
    ):
        target = records.kind_of(kind)
        _journal_changed(tx, recorder, kind, name, _NEW, source, where, params)
        tx.run(
            f"UPDATE {source} SET {column} = {_NEW}, {target.version} = {target.version} + 1 {target.touch} "
            f"WHERE {where}",
            params,
        )


_ITS_TAGS = """bulk_row r JOIN tagging o ON o.tag_id = %(tag)s AND o.kind = 'product' AND o.record_id = r.product_id"""


def put_tag(tx: Tx, recorder: Recorder, bulk_id: int, tag_id: int) -> None:
    """Put a tag on those of the products that change which lack it, and journal it."""
    before = tx.value("SELECT COALESCE(MAX(id), 0) FROM tagging")
    params = {"bulk": bulk_id, "tag": tag_id, "before": before}
    lacking = "NOT EXISTS (SELECT 1 FROM tagging o WHERE o.tag_id = %(tag)s AND o.kind = 'product'"
    tx.run(
        f"""INSERT INTO tagging (tag_id, kind, record_id) SELECT %(tag)s, 'product', p.id FROM {_CHANGED}
            AND {lacking} AND o.record_id = p.id)""",
        params,
    )
    made = f"{_IS_CHANGED} AND o.id > %(before)s"
    journal.write_made(tx, recorder.change_set_id, records.kind_of("tagging"), _ITS_TAGS, made, params)


def take_tag(tx: Tx, recorder: Recorder, bulk_id: int, tag_id: int) -> None:
    """Take a tag off the products that change, and journal it."""
    journal.remove(
        tx,
        recorder.change_set_id,
        records.kind_of("tagging"),
        _ITS_TAGS,
        _IS_CHANGED,
        {"bulk": bulk_id, "tag": tag_id},
    )


_ITS_CHOICE = "bulk_row r JOIN choice_use cu ON cu.buyer_choice_id = %(choice)s AND cu.product_id = r.product_id"


def ask_choice(tx: Tx, recorder: Recorder, bulk_id: int, choice_id: int) -> None:
    """Ask a choice with the products that change, behind what they ask already, and journal it."""
    params = {"bulk": bulk_id, "choice": choice_id, "before": tx.value("SELECT COALESCE(MAX(id), 0) FROM choice_use")}
    tx.run(
        f"""INSERT INTO choice_use (product_id, buyer_choice_id, position)
            SELECT p.id, %(choice)s, (SELECT COUNT(*) FROM choice_use cu WHERE cu.product_id = p.id) FROM {_CHANGED}""",
        params,
    )
    made = f"{_IS_CHANGED} AND cu.id > %(before)s"
    journal.write_made(tx, recorder.change_set_id, records.kind_of("choice_use"), _ITS_CHOICE, made, params)


def drop_choice(tx: Tx, recorder: Recorder, bulk_id: int, choice_id: int) -> None:
    """No longer ask a choice with the products that change, and journal it."""
    params = {"bulk": bulk_id, "choice": choice_id}
    journal.remove(tx, recorder.change_set_id, records.kind_of("choice_use"), _ITS_CHOICE, _IS_CHANGED, params)


def put_in_category(tx: Tx, recorder: Recorder, bulk_id: int, category_id: int) -> None:
    """Put the products that change in a further category; those without a main one get it as that."""
    params = {"bulk": bulk_id, "new": category_id}
    homeless = f"{_IS_CHANGED} AND p.category_id IS NULL"
    _journal_changed(tx, recorder, "product", "category_id", "%(new)s", _BULK_PRODUCTS, homeless, params)
    tx.run(
        f"""INSERT INTO product_category (product_id, category_id)
            SELECT p.id, %(new)s FROM {_CHANGED} AND p.category_id IS NOT NULL""",
        params,
    )
    _journal_made(tx, recorder, "product_category", "pc.category_id = %(new)s", "pc.product_id", params)
    tx.run(
        """UPDATE bulk_row r JOIN product p ON p.id = r.product_id
           SET p.category_id = %(new)s, p.version = p.version + 1, p.changed_at = UTC_TIMESTAMP(3)
           WHERE r.bulk_id = %(bulk)s AND r.action = 'changed' AND p.category_id IS NULL""",
        params,
    )


def say_for_shop(tx: Tx, recorder: Recorder, bulk_id: int, shop_id: int, left_out: bool) -> None:
    """Put the products that change into a shop's assortment, or leave them out of it."""
    params = {"bulk": bulk_id, "shop": shop_id, "out": int(left_out)}
    there = """bulk_row r JOIN shop_goods sx ON sx.shop_id = %(shop)s AND sx.kind = 'product'
               AND sx.record_id = r.product_id"""
    _journal_changed(tx, recorder, "shop_goods", "left_out", "%(out)s", there, _IS_CHANGED, params)
    tx.run(f"UPDATE {there} SET sx.left_out = %(out)s, sx.version = sx.version + 1 WHERE {_IS_CHANGED}", params)
    tx.run(
        f"""INSERT IGNORE INTO shop_goods (shop_id, kind, record_id, left_out)
            SELECT %(shop)s, 'product', p.id, %(out)s FROM {_CHANGED}""",
        params,
    )
    _journal_made(tx, recorder, "shop_goods", "sx.shop_id = %(shop)s AND sx.kind = 'product'", "sx.record_id", params)


def _journal_made(tx: Tx, recorder: Recorder, kind: str, where: str, product: str, params: Mapping[str, Any]) -> None:
    """Journal the records of a kind that were just made for the products that change: those it has nothing of yet."""
    target = records.kind_of(kind)
    source = f"""bulk_row r JOIN {target.table} ON {product} = r.product_id AND {where}
                 LEFT JOIN change_row known ON known.record_kind = '{kind}' AND known.record_id = {target.key}"""
    where = f"{_IS_CHANGED} AND known.record_id IS NULL"
    journal.write_made(tx, recorder.change_set_id, target, source, where, params)


def set_job(tx: Tx, bulk_id: int, job_id: int) -> None:
    tx.run("UPDATE bulk_edit SET job_id = %s WHERE id = %s", [job_id, bulk_id])


def set_done(tx: Tx, bulk_id: int, change_set_id: int) -> None:
    tx.run("UPDATE bulk_edit SET change_set_id = %s WHERE id = %s", [change_set_id, bulk_id])
