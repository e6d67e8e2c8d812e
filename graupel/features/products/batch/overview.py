"""What a dry run comes to: which columns change in how many rows, how far prices move, and why rows are refused."""

from typing import Any

from graupel.core.file_columns import COLUMNS, OWN, STOCK_AT, fact_column
from graupel.core.file_pictures import PICTURES
from graupel.core.price_bands import band_sql
from graupel.db import Tx
from graupel.features.products.batch.spoken import JOINED, STOCK_DIFFERS, Spoken, held_sql

#: So many reasons are told.
MOST_REASONS = 12


def of(tx: Tx, batch_id: int, lang: str, spoken: Spoken) -> dict[str, Any]:
    """``fields``: rows that change each column; ``bands``: prices by how far they move; ``reasons``: code, number,
    an example and the column of each reason for which rows are refused, the most frequent first."""
    params = {"batch": batch_id, "lang": lang}
    changed = "b.batch_id = %(batch)s AND b.action = 'changed'"
    names = {_column(name): spoken.differs(name) for name in (*spoken.product, *spoken.of_variant)}
    names["stock"] = STOCK_DIFFERS
    if spoken.grouped:
        names |= {_column(name): f"(b.lead IS NULL AND {names[_column(name)]})" for name in spoken.product}
    sums = ", ".join(f"SUM({sql}) AS {name}" for name, sql in names.items())
    row = tx.one(f"SELECT {sums} FROM {JOINED} WHERE {changed}", params) or {}
    fields = {name: int(number) for name, number in row.items() if number}
    return {
        "fields": fields | _beside(tx, params, spoken),
        "bands": _bands(tx, params, changed, spoken) if fields.get("price") else {},
        "reasons": _reasons(tx, params),
    }


def _column(name: str) -> str:
    return name if name in COLUMNS else name.removesuffix("_id")


def _beside(tx: Tx, params: dict[str, Any], spoken: Spoken) -> dict[str, int]:
    """Of attributes, tags, and what holds for a language or a destination."""
    written = """STRAIGHT_JOIN batch_row b ON b.batch_id = s.batch_id AND b.line = s.line
                 AND b.action = 'changed' WHERE s.batch_id = %(batch)s"""
    found = {}
    if spoken.facts:
        sql = f"SELECT s.attribute_id, COUNT(DISTINCT s.line) AS number FROM batch_fact s {written} GROUP BY 1"
        found = {fact_column(row["attribute_id"]): row["number"] for row in tx.all(sql, params)}
    if spoken.own:
        key = "CONCAT(s.destination, '.', s.lang, '.', s.field)"
        sql = f"SELECT {key} AS own_key, COUNT(*) AS number FROM batch_own s {written} GROUP BY 1"
        found |= {f"{OWN}{row['own_key']}": row["number"] for row in tx.all(sql, params)}
    if spoken.pictures:
        sql = f"SELECT COUNT(DISTINCT s.line) FROM batch_picture s {written}"
        found |= {PICTURES: number} if (number := tx.value(sql, params)) else {}
    if spoken.counts:
        sql = f"""SELECT s.location_id, COUNT(*) AS number FROM batch_count s {written}
                  AND NOT (s.amount <=> s.held) GROUP BY 1"""
        found |= {f"{STOCK_AT}{row['location_id']}": row["number"] for row in tx.all(sql, params)}
    return found


def _bands(tx: Tx, params: dict[str, Any], changed: str, spoken: Spoken) -> dict[int, int]:
    held = held_sql("price")
    rows = tx.all(
        f"""SELECT {band_sql(held, "b.price")} AS band, COUNT(*) AS number FROM {JOINED}
            WHERE {changed} AND {spoken.differs("price")} AND b.price IS NOT NULL AND {held} > 0 GROUP BY band""",
        params,
    )
    return {int(row["band"]): row["number"] for row in rows}


def _reasons(tx: Tx, params: dict[str, Any]) -> list[list[Any]]:
    rows = tx.all(
        f"""SELECT JSON_VALUE(problems, '$[0].code') AS reason, COUNT(*) AS number,
                   MIN(JSON_VALUE(problems, '$[0].field')) AS field,
                   MIN(JSON_VALUE(problems, '$[0].message')) AS message
            FROM batch_row WHERE batch_id = %(batch)s AND action = 'refused' GROUP BY reason
            ORDER BY number DESC, reason LIMIT {MOST_REASONS}""",
        params,
    )
    return [[row["reason"], row["number"], row["message"], row["field"] or ""] for row in rows]


def narrowed(by: str, spoken: Spoken) -> str:
    """SQL of the rows b of which one column changes, or that are refused for the reason ``%(by)s``; "" for all."""
    if not by:
        return ""
    if by.startswith("why-"):
        return "AND JSON_VALUE(b.problems, '$[0].code') = SUBSTR(%(by)s, 5)"
    if by.startswith(OWN):
        key = "CONCAT(s.destination, '.', s.lang, '.', s.field)"
        return f"""AND EXISTS (SELECT 1 FROM batch_own s WHERE s.batch_id = b.batch_id AND s.line = b.line
                   AND CONCAT('{OWN}', {key}) = %(by)s)"""
    if by.startswith(STOCK_AT):
        return """AND EXISTS (SELECT 1 FROM batch_count s WHERE s.batch_id = b.batch_id AND s.line = b.line
                  AND NOT (s.amount <=> s.held) AND s.location_id = CAST(SUBSTR(%(by)s, 7) AS UNSIGNED))"""
    names = {_column(name): name for name in (*spoken.product, *spoken.of_variant)}
    if by in names:
        lead = "b.lead IS NULL AND " if spoken.grouped and names[by] in spoken.product else ""
        return f"AND {lead}{spoken.differs(names[by])}"
    if by == PICTURES:
        return "AND EXISTS (SELECT 1 FROM batch_picture s WHERE s.batch_id = b.batch_id AND s.line = b.line)"
    if by == "stock":
        return f"AND {STOCK_DIFFERS}"
    return """AND EXISTS (SELECT 1 FROM batch_fact s WHERE s.batch_id = b.batch_id AND s.line = b.line
              AND s.attribute_id = CAST(SUBSTR(%(by)s, 6) AS UNSIGNED))"""
