"""What the rows of a batch say for a language or a destination: planned, and written by sets.

Words are the product's. An amount is the variant's where its product varies and the row has its SKU, else the
product's, as core.resolve reads them; what a variant has of its product's already is not written with it again.
"""

import json
from collections.abc import Mapping
from typing import Any

from graupel.core.declarations.products import AMOUNTS, PRODUCT, WORDS
from graupel.core.file_columns import Known, OwnColumn
from graupel.core.imports import shared_field_problem
from graupel.core.problems import Problem
from graupel.core.resolve import split_key
from graupel.db import Tx
from graupel.features.history import journal, records
from graupel.features.history.service import Recorder
from graupel.features.products.batch.refusing import refuse_found
from graupel.features.products.columns import VARIES

_VARIES = f"""(EXISTS (SELECT 1 FROM batch_axis a WHERE a.batch_id = b.batch_id
              AND a.line = COALESCE(b.lead, b.line)) OR {VARIES.format(product="b.product_id")})"""
_OWNER = """IF({level} = 'variant', (1 << 40) + b.line,
            COALESCE(b.product_id, (1 << 36) + COALESCE(b.lead, b.line)))"""
_SAID = "NULLIF(JSON_VALUE(b.own, %(path)s), '')"
_OPEN = "b.batch_id = %(batch)s AND b.action IN ('new', 'changed', 'unchanged') AND JSON_EXISTS(b.own, %(path)s)"


def kept(values: Mapping[str, Any], known: Known) -> str | None:
    """What a row says for languages and destinations, as it is kept with it; None where it says nothing."""
    said = {column.key: values[name] for name, column in known.own.items() if name in values}
    return json.dumps(said, ensure_ascii=False) if said else None


def plan(tx: Tx, params: Mapping[str, Any], columns: Mapping[str, OwnColumn]) -> None:
    """Note what of it would be written; a row that differs by that alone changes something."""
    tx.run("DELETE FROM batch_own WHERE batch_id = %(batch)s", params)
    for column in columns.values():
        destination, lang, field = split_key(column.key)
        given = {**params, "path": f'$."{column.key}"', "destination": destination, "lang": lang, "field": field}
        if field not in AMOUNTS:
            _refuse_apart(tx, given, column)
        _note(tx, given, field)
    tx.run(
        """UPDATE batch_own s STRAIGHT_JOIN batch_row b ON b.batch_id = s.batch_id AND b.line = s.line
           SET b.action = 'changed', b.only_stock = FALSE
           WHERE s.batch_id = %(batch)s AND b.action IN ('unchanged', 'changed')""",
        params,
    )


def _note(tx: Tx, given: Mapping[str, Any], field: str) -> None:
    level, inherited, beside = "'product'", "NULL", ""
    if field in AMOUNTS:
        level = f"IF(b.sku IS NOT NULL AND {_VARIES}, 'variant', 'product')"
        # What the row itself says of its variant for everywhere would be nearer than the product's for a destination.
        inherited = f"IF(iv.{field} IS NULL AND (b.{field} IS NULL OR b.{field} <=> ip.{field}), io.value, NULL)"
        beside = """LEFT JOIN variant iv ON iv.id = b.variant_id LEFT JOIN product ip ON ip.id = b.product_id
            LEFT JOIN own_value io ON x.level = 'variant' AND io.kind = 'product' AND io.record_id = b.product_id
              AND io.destination = %(destination)s AND io.lang = %(lang)s AND io.field = %(field)s"""
    tx.run(
        f"""INSERT INTO batch_own (batch_id, destination, lang, field, owner, line, level, value)
            SELECT %(batch)s, %(destination)s, %(lang)s, %(field)s, {_OWNER.format(level="x.level")}, b.line, x.level,
                   x.said
            FROM (SELECT b.line, {level} AS level, {_SAID} AS said FROM batch_row b WHERE {_OPEN}) x
            STRAIGHT_JOIN batch_row b ON b.batch_id = %(batch)s AND b.line = x.line
            LEFT JOIN own_value o ON o.kind = x.level
              AND o.record_id = IF(x.level = 'variant', b.variant_id, b.product_id)
              AND o.destination = %(destination)s AND o.lang = %(lang)s AND o.field = %(field)s
            {beside}
            WHERE NOT (BINARY x.said <=> BINARY IF(x.said IS NULL, o.value, COALESCE(o.value, {inherited})))
            ORDER BY b.line
            ON DUPLICATE KEY UPDATE line = batch_own.line""",
        given,
    )


def _refuse_apart(tx: Tx, given: Mapping[str, Any], column: OwnColumn) -> None:
    """Rows that say other words of their product than the one that speaks for it; and rows that name one variant of
    several by its SKU alone, where the words would change."""
    said = f"The rows of this product say different things of its {column.label}. Say it in one alone."
    refuse_found(
        tx,
        given,
        f"""SELECT b.line FROM batch_row b STRAIGHT_JOIN batch_row l ON l.batch_id = b.batch_id AND l.line = b.lead
            WHERE {_OPEN} AND {_SAID} <> COALESCE(NULLIF(JSON_VALUE(l.own, %(path)s), ''), {_SAID})""",
        lambda _: Problem("product.apart", said),
    )
    refuse_found(
        tx,
        given,
        f"""SELECT b.line FROM batch_row b LEFT JOIN own_value o ON o.kind = 'product' AND o.record_id = b.product_id
              AND o.destination = %(destination)s AND o.lang = %(lang)s AND o.field = %(field)s
            WHERE {_OPEN} AND b.code IS NULL AND b.product_id IS NOT NULL AND {_VARIES}
              AND NOT (BINARY {_SAID} <=> BINARY o.value)""",
        lambda row: shared_field_problem(row["line"]),
    )


# --- writing -------------------------------------------------------------------------------------------------

_RECORD = "IF(s.level = 'variant', v.id, COALESCE(b.product_id, q.product_id))"
_ROWS = """batch_own s STRAIGHT_JOIN batch_row b ON b.batch_id = s.batch_id AND b.line = s.line
             AND b.action IN ('new', 'changed')
           LEFT JOIN batch_made q ON b.product_id IS NULL AND q.line = COALESCE(b.lead, b.line)
           LEFT JOIN variant v ON s.level = 'variant' AND v.sku = b.sku"""
_THERE = f"""{_ROWS} STRAIGHT_JOIN own_value ow ON ow.kind = s.level AND ow.record_id = {_RECORD}
             AND ow.destination = s.destination AND ow.lang = s.lang AND ow.field = s.field"""
#: The words that a translation was made from.
_SOURCE = "IF(s.lang = '', NULL, (SELECT CASE s.field {} END FROM product_text t WHERE t.product_id = {} {}))".format(
    " ".join(f"WHEN '{name}' THEN {PRODUCT.column(name)}" for name in WORDS), _RECORD, "AND t.lang = %(lang)s"
)


def write(tx: Tx, recorder: Recorder, params: Mapping[str, Any]) -> None:
    """Write what was noted; what is written now counts as a translation of the words as they are now."""
    own, of_batch = records.kind_of("own_value"), "s.batch_id = %(batch)s"
    journal.remove(tx, recorder.change_set_id, own, _THERE, f"{of_batch} AND s.value IS NULL", params)
    changed = f"{of_batch} AND s.value IS NOT NULL AND NOT (BINARY s.value <=> BINARY ow.value)"
    journal.write(
        tx,
        recorder.change_set_id,
        own,
        _THERE,
        changed,
        params,
        was={"value": "ow.value", "source": "ow.source"},
        became={"value": "s.value", "source": _SOURCE},
    )
    tx.run(
        f"UPDATE {_THERE} SET ow.source = {_SOURCE}, ow.value = s.value, ow.version = ow.version + 1 WHERE {changed}",
        params,
    )
    before = tx.value("SELECT COALESCE(MAX(id), 0) FROM own_value")
    made = tx.run(
        f"""INSERT INTO own_value (kind, record_id, destination, lang, field, value, source)
            SELECT s.level, {_RECORD}, s.destination, s.lang, s.field, s.value, {_SOURCE} FROM {_ROWS}
            WHERE {of_batch} AND s.value IS NOT NULL AND NOT EXISTS (SELECT 1 FROM own_value ow
              WHERE ow.kind = s.level AND ow.record_id = {_RECORD} AND ow.destination = s.destination
              AND ow.lang = s.lang AND ow.field = s.field)""",
        params,
    )
    if made:
        given = {**params, "before": before}
        journal.write_made(tx, recorder.change_set_id, own, _THERE, f"{of_batch} AND ow.id > %(before)s", given)
