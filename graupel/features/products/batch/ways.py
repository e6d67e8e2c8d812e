"""What a set of rows may do to the catalogue, and what it would archive."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from graupel.core.handling import Handling, Way
from graupel.core.products import Status
from graupel.db import Tx, like
from graupel.features.categories import service as categories
from graupel.features.history import journal, records
from graupel.features.products.batch.groups import IS_PARENT


def skip(tx: Tx, params: Mapping[str, Any], way: Way) -> None:
    """Leave alone the rows of which the file is not to speak: those that are there, or those that are not."""
    if way not in (Way.ADD, Way.CHANGE):
        return
    there = f"""(EXISTS (SELECT 1 FROM variant v WHERE v.sku = b.sku)
                 OR ({IS_PARENT} AND EXISTS (SELECT 1 FROM product p WHERE p.code = b.code)))"""
    left = there if way is Way.ADD else f"NOT {there}"
    taken = "b.batch_id = %(batch)s AND b.action IN ('new', 'changed', 'unchanged')"
    tx.run(f"UPDATE batch_row b SET b.action = 'skipped' WHERE {taken} AND {left}", params)


# --- what is archived because the file does not have it ------------------------------------------------------


def note_gone(tx: Tx, params: Mapping[str, Any], handling: Handling) -> tuple[int, int]:
    """Note which goods would be archived: those among which the file is all there is, and that it has not.

    Returns how many products that are, and how many single variants of others. A row counts for its goods though it is
    refused.
    """
    tx.run("DELETE FROM batch_gone WHERE batch_id = %(batch)s", params)
    if handling.way is not Way.EQUAL:
        return 0, 0
    among, given = _among(tx, handling.among)
    tx.run(
        """CREATE OR REPLACE TEMPORARY TABLE batch_there (
             sku VARCHAR(64) CHARACTER SET ascii COLLATE ascii_general_ci NOT NULL PRIMARY KEY)"""
    )
    tx.run(
        """INSERT IGNORE INTO batch_there SELECT CONVERT(b.shown_sku USING ascii) FROM batch_row b
           WHERE b.batch_id = %(batch)s AND b.shown_sku <> ''""",
        params,
    )
    tx.run(
        f"""INSERT INTO batch_gone (batch_id, product_id, variant_id, product_version)
            SELECT %(batch)s, p.id, IF(x.gone = x.variants, 0, v.id), p.version FROM (
              SELECT v.product_id, COUNT(*) AS variants, SUM(h.sku IS NULL) AS gone FROM variant v
              STRAIGHT_JOIN product p ON p.id = v.product_id LEFT JOIN batch_there h ON h.sku = v.sku
              WHERE NOT v.archived AND p.status <> 'archived' AND {among} GROUP BY v.product_id HAVING gone > 0) x
            STRAIGHT_JOIN product p ON p.id = x.product_id STRAIGHT_JOIN variant v ON v.product_id = p.id
            LEFT JOIN batch_there h ON h.sku = v.sku
            WHERE NOT v.archived AND h.sku IS NULL GROUP BY p.id, IF(x.gone = x.variants, 0, v.id)""",
        {**params, **given},
    )
    tx.run("DROP TEMPORARY TABLE batch_there")
    sums = "COALESCE(SUM(variant_id = 0), 0) AS products, COALESCE(SUM(variant_id <> 0), 0) AS variants"
    found = tx.one(f"SELECT {sums} FROM batch_gone WHERE batch_id = %(batch)s", params)
    return (int(found["products"]), int(found["variants"])) if found else (0, 0)


def _among(tx: Tx, among: str) -> tuple[str, dict[str, Any]]:
    """SQL: a product p is one of those among which the file is all there is."""
    kind, _, number = among.partition("-")
    if kind == "category":
        ids = categories.load(tx).with_all_below(int(number)) or [0]
        placed = "SELECT 1 FROM product_category pc WHERE pc.product_id = p.id AND pc.category_id IN %(among)s"
        return f"(p.category_id IN %(among)s OR EXISTS ({placed}))", {"among": ids}
    return ("p.brand_id = %(among)s", {"among": int(number)}) if kind == "brand" else ("TRUE", {})


def leave_out_moved_gone(tx: Tx, params: Mapping[str, Any]) -> None:
    """Leave goods where they are that were changed since the dry run. Locks the others."""
    tx.all(
        """SELECT p.id FROM batch_gone g STRAIGHT_JOIN product p ON p.id = g.product_id
           WHERE g.batch_id = %(batch)s ORDER BY p.id FOR UPDATE""",
        params,
    )
    tx.run(
        """DELETE g FROM batch_gone g LEFT JOIN product p ON p.id = g.product_id
           WHERE g.batch_id = %(batch)s AND NOT (p.version <=> g.product_version)""",
        params,
    )


#: The products of which anything is archived.
TOUCHED = "SELECT g.product_id AS id FROM batch_gone g WHERE g.batch_id = %(batch)s"


def archive(tx: Tx, params: Mapping[str, Any]) -> None:
    """Archive what the file does not have."""
    given = {**params, "archived": str(Status.ARCHIVED)}
    for name, field, to, source, where in (
        ("product", "status", "%(archived)s", "product p ON p.id = g.product_id", "g.variant_id = 0"),
        ("variant", "archived", "1", "variant v ON v.id = g.variant_id", "g.variant_id <> 0"),
    ):
        kind = records.kind_of(name)
        column = kind.fields[field].sql
        joined, those = f"batch_gone g STRAIGHT_JOIN {source}", f"g.batch_id = %(batch)s AND {where}"
        journal.write(tx, params["set"], kind, joined, those, given, was={field: column}, became={field: to})
        tx.run(
            f"UPDATE {joined} SET {column} = {to}, {kind.version} = {kind.version} + 1 {kind.touch} WHERE {those}",
            given,
        )


@dataclass(frozen=True)
class Gone:
    """What would be archived: a product, or a variant of one."""

    product_id: int
    name: str
    sku: str
    is_product: bool


def gone(tx: Tx, batch_id: int, lang: str, limit: int, after: int, search: str) -> Sequence[Gone]:
    """What would be archived, by product, beyond the first ``after``."""
    found = "AND (t.name LIKE %(search)s OR v.sku LIKE %(search)s)" if search else ""
    rows = tx.all(
        f"""SELECT g.product_id, g.variant_id, t.name, MIN(v.sku) AS sku FROM batch_gone g
            JOIN product_text t ON t.product_id = g.product_id AND t.lang = %(lang)s
            JOIN variant v ON v.product_id = g.product_id AND (g.variant_id = 0 OR v.id = g.variant_id)
            WHERE g.batch_id = %(batch)s {found}
            GROUP BY g.product_id, g.variant_id ORDER BY g.product_id, g.variant_id LIMIT %(limit)s OFFSET %(after)s""",
        {"batch": batch_id, "lang": lang, "limit": limit, "after": after, "search": f"%{like(search)}%"},
    )
    return [Gone(row["product_id"], row["name"], row["sku"], not row["variant_id"]) for row in rows]
