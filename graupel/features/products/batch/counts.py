"""Counts of stock at further locations than the first: planned, and booked with those of the first."""

import json
from collections.abc import Collection, Mapping
from typing import Any

from graupel.core.file_columns import STOCK_AT, Known
from graupel.db import Tx

#: SQL of what was there of a variant v at a location ``{at}``, at the moment ``%(as_of)s`` for which counts hold.
HELD_AT = """(COALESCE((SELECT a.on_hand FROM stock_at a WHERE a.variant_id = v.id AND a.location_id = {at}), 0)
              - COALESCE((SELECT SUM(e.amount) FROM stock_entry e WHERE e.variant_id = v.id
                          AND e.location_id = {at} AND e.at > %(as_of)s), 0))"""
#: SQL: a row b counts something else at a further location than what was there.
DIFFERS = """EXISTS (SELECT 1 FROM batch_count c WHERE c.batch_id = b.batch_id AND c.line = b.line
             AND NOT (c.amount <=> c.held))"""


def kept(values: Mapping[str, Any], known: Known) -> str | None:
    """What a row counted at further locations, as it is kept with it; None where that is nothing."""
    said = {str(one.id): str(values[name]) for name, one in known.locations.items() if values.get(name) is not None}
    return json.dumps(said) if said else None


def note(tx: Tx, params: Mapping[str, Any], columns: Collection[str]) -> None:
    """Put beside each count what was there."""
    tx.run("DELETE FROM batch_count WHERE batch_id = %(batch)s", params)
    for name in columns:
        location_id = int(name.removeprefix(STOCK_AT))
        tx.run(
            f"""INSERT INTO batch_count (batch_id, line, location_id, amount, held)
                SELECT b.batch_id, b.line, %(at)s, JSON_VALUE(b.counted, %(path)s),
                       IF(k.counted, {HELD_AT.format(at="%(at)s")}, NULL)
                FROM batch_row b LEFT JOIN variant v ON v.sku = b.sku LEFT JOIN stock k ON k.id = v.id
                WHERE b.batch_id = %(batch)s AND b.action IN ('new', 'changed', 'unchanged') AND b.sku IS NOT NULL
                  AND JSON_EXISTS(b.counted, %(path)s)""",
            {**params, "at": location_id, "path": f'$."{location_id}"'},
        )


def mark_changed(tx: Tx, params: Mapping[str, Any], differs: str) -> None:
    """Rows that count something else change that, whatever else they say; ``differs``: SQL of that."""
    tx.run(
        f"""UPDATE batch_row b SET b.action = 'changed', b.only_stock = TRUE
            WHERE b.batch_id = %(batch)s AND b.action = 'unchanged' AND {differs}""",
        params,
    )


def stage(tx: Tx, params: Mapping[str, Any], staged: str) -> None:
    """Put what was counted among what is booked; its variants are locked."""
    held = HELD_AT.format(at="c.location_id")
    tx.run(
        f"""INSERT INTO {staged} (variant_id, product_id, location_id, amount, reason)
            SELECT v.id, v.product_id, c.location_id, c.amount - {held}, 'counted'
            FROM batch_count c STRAIGHT_JOIN batch_row b ON b.batch_id = c.batch_id AND b.line = c.line
            STRAIGHT_JOIN variant v ON v.sku = b.sku LEFT JOIN stock k ON k.id = v.id
            WHERE c.batch_id = %(batch)s AND b.action IN ('new', 'changed')
              AND NOT (COALESCE(k.counted, FALSE) AND c.amount = {held})""",
        params,
    )
