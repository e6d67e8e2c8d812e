"""Writing many variants of a product at once."""

from collections.abc import Mapping, Sequence
from typing import Any

from graupel.core.variants import MOST_AXES, Combination
from graupel.db import Tx
from graupel.features.history import records
from graupel.features.history.service import Recorder
from graupel.features.history.store import json_field, json_object

CHOICES = tuple(f"choice_{place}" for place in range(1, MOST_AXES + 1))
#: A variant may change twice in one change set: the journal has what was first and what is last.
MERGE = """ON DUPLICATE KEY UPDATE was = JSON_MERGE_PATCH(VALUES(was), change_row.was),
  became = JSON_MERGE_PATCH(change_row.became, VALUES(became)), version = VALUES(version)"""


def change(tx: Tx, recorder: Recorder, ids: Sequence[int], values: Mapping[str, Any]) -> int:
    """Write and journal the same values in many variants; returns how many differed."""
    if not ids or not values:
        return 0
    fields = records.kind_of("variant").fields
    params = {f"new_{name}": value for name, value in values.items()}
    params |= {"ids": list(ids), "set": recorder.change_set_id}
    differs = {name: f"NOT ({fields[name].sql} <=> %(new_{name})s)" for name in values}
    was = [f"IF({differs[name]}, {json_field(name, fields[name])}, NULL)" for name in values]
    became = [f"IF({differs[name]}, {json_field(name, fields[name], f'%(new_{name})s')}, NULL)" for name in values]
    where = f"v.id IN %(ids)s AND ({' OR '.join(differs.values())})"
    count = tx.run(
        f"""INSERT INTO change_row (change_set_id, record_kind, record_id, version, was, became)
            SELECT %(set)s, 'variant', v.id, v.version + 1, {json_object(was)}, {json_object(became)}
            FROM variant v WHERE {where} {MERGE}""",
        params,
    )
    sets = ", ".join(f"{fields[name].sql} = %(new_{name})s" for name in values)
    tx.run(f"UPDATE variant v SET {sets}, v.version = v.version + 1 WHERE {where}", params)
    return count


def change_each(tx: Tx, recorder: Recorder, name: str, values: Mapping[int, Any]) -> int:
    """Write and journal one field that differs from variant to variant (id -> value); returns how many differed."""
    field = records.kind_of("variant").fields[name]
    tx.run("DROP TEMPORARY TABLE IF EXISTS new_value")
    tx.run("CREATE TEMPORARY TABLE new_value (id INT UNSIGNED PRIMARY KEY, value VARCHAR(255)) CHARSET utf8mb4")
    tx.many("INSERT INTO new_value VALUES (%s, %s)", [(key, value) for key, value in values.items()])
    where = f"NOT (CONVERT({field.sql} USING utf8mb4) <=> n.value)"
    became = json_object([json_field(name, field, "n.value")])
    count = tx.run(
        f"""INSERT INTO change_row (change_set_id, record_kind, record_id, version, was, became)
            SELECT %(set)s, 'variant', v.id, v.version + 1, {json_object([json_field(name, field)])}, {became}
            FROM new_value n JOIN variant v ON v.id = n.id WHERE {where}""",
        {"set": recorder.change_set_id},
    )
    tx.run(
        f"""UPDATE new_value n JOIN variant v ON v.id = n.id
            SET {field.sql} = n.value, v.version = v.version + 1 WHERE {where}"""
    )
    tx.run("DROP TEMPORARY TABLE new_value")
    return count


def move(tx: Tx, recorder: Recorder, combinations: Mapping[int, Combination]) -> None:
    """Give variants (by id) other combinations, and journal it."""
    if not combinations:
        return
    fields = records.kind_of("variant").fields
    tx.run("DROP TEMPORARY TABLE IF EXISTS moved_variant")
    columns = ", ".join(f"{name} INT UNSIGNED NULL" for name in CHOICES)
    tx.run(f"CREATE TEMPORARY TABLE moved_variant (id INT UNSIGNED PRIMARY KEY, {columns})")
    padding = [None] * len(CHOICES)
    tx.many(
        "INSERT INTO moved_variant VALUES (%s, %s, %s, %s, %s, %s)",
        [(key, *[*combination, *padding][: len(CHOICES)]) for key, combination in combinations.items()],
    )
    was = [f"IF(NOT (v.{name} <=> m.{name}), {json_field(name, fields[name])}, NULL)" for name in CHOICES]
    became = [
        f"IF(NOT (v.{name} <=> m.{name}), {json_field(name, fields[name], f'm.{name}')}, NULL)" for name in CHOICES
    ]
    tx.run(
        f"""INSERT INTO change_row (change_set_id, record_kind, record_id, version, was, became)
            SELECT %(set)s, 'variant', v.id, v.version + 1, {json_object(was)}, {json_object(became)}
            FROM moved_variant m JOIN variant v ON v.id = m.id {MERGE}""",
        {"set": recorder.change_set_id},
    )
    sets = ", ".join(f"v.{name} = m.{name}" for name in CHOICES)
    tx.run(f"UPDATE moved_variant m JOIN variant v ON v.id = m.id SET {sets}, v.version = v.version + 1")
    tx.run("DROP TEMPORARY TABLE moved_variant")


def products_of(tx: Tx, ids: Sequence[int]) -> dict[int, int]:
    """The products of variants, by the variants' ids."""
    if not ids:
        return {}
    rows = tx.all("SELECT id, product_id FROM variant WHERE id IN %s", [list(ids)])
    return {row["id"]: row["product_id"] for row in rows}


def journal_made(tx: Tx, recorder: Recorder, ids: Sequence[int]) -> None:
    """Journal variants that were just inserted."""
    _journal_whole(tx, recorder, ids, "1", "NULL", "{fields}")


def remove(tx: Tx, recorder: Recorder, ids: Sequence[int]) -> None:
    """Journal and delete variants with their texts, and what says that pictures are theirs."""
    if not ids:
        return
    for kind in ("variant_text", "picture_for"):
        target = records.kind_of(kind)
        fields = json_object([json_field(name, column) for name, column in target.fields.items()])
        tx.run(
            f"""INSERT INTO change_row (change_set_id, record_kind, record_id, version, was, became)
                SELECT %(set)s, '{kind}', {target.key}, {target.version} + 1, {fields}, NULL
                FROM {target.table} WHERE {target.fields["variant_id"].sql} IN %(ids)s""",
            {"set": recorder.change_set_id, "ids": list(ids)},
        )
        tx.run(f"DELETE FROM {target.plain} WHERE variant_id IN %s", [list(ids)])
    _journal_whole(tx, recorder, ids, "v.version + 1", "{fields}", "NULL")
    tx.run("DELETE FROM variant WHERE id IN %s", [list(ids)])


def _journal_whole(tx: Tx, recorder: Recorder, ids: Sequence[int], version: str, was: str, became: str) -> None:
    kind = records.kind_of("variant")
    fields = json_object([json_field(name, column) for name, column in kind.fields.items()])
    tx.run(
        f"""INSERT INTO change_row (change_set_id, record_kind, record_id, version, was, became)
            SELECT %(set)s, 'variant', v.id, {version}, {was.format(fields=fields)}, {became.format(fields=fields)}
            FROM variant v WHERE v.id IN %(ids)s""",
        {"set": recorder.change_set_id, "ids": list(ids)},
    )


def texts(tx: Tx, ids: Sequence[int], lang: str) -> dict[int, dict[str, Any]]:
    """The variants' own texts, by their id."""
    if not ids:
        return {}
    rows = tx.all("SELECT * FROM variant_text WHERE variant_id IN %s AND lang = %s", [list(ids), lang])
    return {row["variant_id"]: row for row in rows}


def insert_text(tx: Tx, values: Mapping[str, Any]) -> int:
    return tx.insert(
        """INSERT INTO variant_text (variant_id, lang, name, short_text)
           VALUES (%(variant_id)s, %(lang)s, %(name)s, %(short_text)s)""",
        values,
    )


def update_text(tx: Tx, row_id: int, values: Mapping[str, Any]) -> None:
    tx.run(
        "UPDATE variant_text SET name = %(name)s, short_text = %(short_text)s, version = version + 1 WHERE id = %(id)s",
        {**values, "id": row_id},
    )


def delete_text(tx: Tx, row_id: int) -> None:
    tx.run("DELETE FROM variant_text WHERE id = %s", [row_id])
