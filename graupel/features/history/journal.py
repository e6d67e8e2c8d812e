"""Writing rows of the journal: one record, or a set of them in SQL.

A record may change several times in one change set; the journal has one row of it, with what was first and what is
last. So every row is written onto what the set has of its record already.
"""

import json
from collections.abc import Iterable, Mapping
from typing import Any

from graupel.db import Tx
from graupel.features.history.records import Column, RecordKind

_INSERT = "INSERT INTO change_row (change_set_id, record_kind, record_id, version, was, became, gone_of)"
#: One side of rows by sets: SQL of the values by field, SQL of the whole object, or nothing.
Side = Mapping[str, str] | str | None


def write_one(
    tx: Tx,
    change_set_id: int,
    kind: RecordKind,
    record_id: int,
    version: int,
    was: Mapping[str, Any] | None,
    became: Mapping[str, Any] | None,
) -> None:
    """Journal one record, its values as changes.journal_value gives them; None where it was made or is gone."""
    onto = _onto(
        _named("JSON_INSERT", "change_row.was", "VALUES(was)", was or ()),
        _named("JSON_SET", "change_row.became", "VALUES(became)", became or ()),
        was=was,
        became=became,
    )
    tx.run(
        f"{_INSERT} VALUES (%(set)s, %(kind)s, %(id)s, %(version)s, %(was)s, %(became)s, %(of)s) {onto}",
        {
            "set": change_set_id,
            "kind": kind.name,
            "id": record_id,
            "version": version,
            "was": None if was is None else json.dumps(was, ensure_ascii=False),
            "became": None if became is None else json.dumps(became, ensure_ascii=False),
            "of": (was or {}).get(kind.record.owner) if became is None else None,
        },
    )


def write(
    tx: Tx,
    change_set_id: int,
    kind: RecordKind,
    source: str,
    where: str,
    params: Mapping[str, Any],
    *,
    was: Side = None,
    became: Side = None,
    only: Mapping[str, str] | None = None,
    key: str = "",
    version: str = "",
) -> int:
    """Journal the records of a kind that ``source`` (a FROM clause with their alias) and ``where`` give; their number.

    ``was`` and ``became``: SQL of each field's value, or of a whole JSON object; ``only``: under which condition a
    field counts as changed, by name. ``key`` and ``version``: where they are not those of the record and the next.
    """
    sides = [_side(kind, side, only or {}) for side in (was, became)]
    onto = _onto(
        _laid(kind, "VALUES(was)", "change_row.was"),
        _laid(kind, "change_row.became", "VALUES(became)"),
        was=was,
        became=became,
    )
    owner = kind.record.owner
    gone_of = f"JSON_VALUE({sides[0]}, '$.{owner}')" if became is None and owner else "NULL"
    return tx.run(
        f"""{_INSERT}
            SELECT %(journal_set)s, '{kind.name}', {key or kind.key}, {version or f"{kind.version} + 1"}, {sides[0]},
                   {sides[1]}, {gone_of}
            FROM {source} WHERE {where} {onto}""",
        {**params, "journal_set": change_set_id},
    )


def as_it_stands(kind: RecordKind) -> dict[str, str]:
    """All fields of a record as its table holds them, for a side of ``write``."""
    return {name: column.sql for name, column in kind.fields.items()}


def write_made(tx: Tx, change_set_id: int, kind: RecordKind, source: str, where: str, params: Mapping[str, Any]) -> int:
    """Journal records that were just made, as they stand."""
    return write(tx, change_set_id, kind, source, where, params, became=as_it_stands(kind), version=kind.version)


def remove(tx: Tx, change_set_id: int, kind: RecordKind, source: str, where: str, params: Mapping[str, Any]) -> None:
    """Journal records as they stand, and delete them."""
    if write(tx, change_set_id, kind, source, where, params, was=as_it_stands(kind)):
        tx.run(
            f"""DELETE gone FROM {kind.plain} gone JOIN change_row r ON r.record_id = gone.id
                WHERE r.change_set_id = %s AND r.record_kind = %s AND r.became IS NULL""",
            [change_set_id, kind.name],
        )


# --- JSON in SQL ---------------------------------------------------------------------------------------------


def json_field(name: str, column: Column, expression: str | None = None) -> str:
    """SQL for one member of a JSON object, as changes.journal_value writes it."""
    text = f"CONVERT({expression or column.sql} USING utf8mb4)"
    value = text if column.is_number else f"JSON_QUOTE({text})"
    return f"CONCAT('\"{name}\":', COALESCE({value}, 'null'))"


def json_object(members: list[str]) -> str:
    """SQL for a JSON object; members that are NULL are left out."""
    return f"CONCAT('{{', CONCAT_WS(',', {', '.join(members)}), '}}')"


def _side(kind: RecordKind, side: Side, only: Mapping[str, str]) -> str:
    if side is None or isinstance(side, str):
        return side or "NULL"
    return object_of(kind, side, only)


def object_of(kind: RecordKind, values: Mapping[str, str], only: Mapping[str, str] | None = None) -> str:
    """SQL for the JSON object of these values (SQL by field); ``only`` as in ``write``."""
    members = {name: json_field(name, kind.fields[name], sql) for name, sql in values.items()}
    only = only or {}
    return json_object(
        [f"IF({only[name]}, {member}, NULL)" if name in only else member for name, member in members.items()]
    )


def _onto(kept: str, last: str, *, was: object, became: object) -> str:
    """What becomes of a row that the set has of the record already: what was first stays, what is last counts.

    A record that was made in the same set still was not there before it; one that went and came back has changed.
    """
    kept = "change_row.was" if was is None else f"IF(change_row.was IS NULL, NULL, {kept})"
    last = "NULL" if became is None else f"IF(change_row.became IS NULL, VALUES(became), {last})"
    return (
        f"ON DUPLICATE KEY UPDATE was = {kept}, became = {last}, version = VALUES(version), gone_of = VALUES(gone_of)"
    )


def _named(function: str, held: str, new: str, names: Iterable[str]) -> str:
    """SQL: an object with these members of another, by JSON_SET or by JSON_INSERT, which leaves what is there."""
    members = "".join(f", '$.{name}', JSON_EXTRACT({new}, '$.{name}')" for name in names)
    return f"{function}({held}{members})" if members else held


def _laid(kind: RecordKind, under: str, over: str) -> str:
    """SQL: an object with the members of another laid over it, where it is not known which ones it has.

    JSON_MERGE_PATCH would drop the members that are null.
    """
    return json_object(
        [
            f"""CASE WHEN JSON_EXISTS({over}, '$.{name}') THEN CONCAT('"{name}":', JSON_EXTRACT({over}, '$.{name}'))
                     WHEN JSON_EXISTS({under}, '$.{name}') THEN CONCAT('"{name}":', JSON_EXTRACT({under}, '$.{name}'))
                END"""
            for name in kind.fields
        ]
    )
