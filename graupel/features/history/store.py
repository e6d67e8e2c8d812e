"""The journal's tables, and the SQL that puts records back by sets."""

import json
from collections.abc import Mapping, Sequence
from typing import Any

from graupel.core.roles import Actor
from graupel.db import Tx
from graupel.features.history import journal
from graupel.features.history.journal import json_field, json_object
from graupel.features.history.records import Column, RecordKind

PAGE = 40
#: More than are looked through for what is new; the rest of the table is of no use.
KEPT_RECORDED = 100_000


def insert_change_set(tx: Tx, actor: Actor, kind: str, title: str, rolls_back: int | None = None) -> int:
    return tx.insert(
        """INSERT INTO change_set (kind, title, user_id, actor, made_at, rolls_back)
           VALUES (%s, %s, %s, %s, UTC_TIMESTAMP(3), %s)""",
        [kind, title[:300], actor.user_id, actor.name, rolls_back],
    )


def count_rows(tx: Tx, change_set_id: int) -> int:
    """Count the rows of a change set into it; returns the number. What came and went within it leaves none."""
    found = tx.one(
        """SELECT COUNT(*) AS number, COALESCE(SUM(was IS NULL AND became IS NULL), 0) AS passing FROM change_row
           WHERE change_set_id = %s""",
        [change_set_id],
    )
    assert found is not None
    if found["passing"]:
        tx.run("DELETE FROM change_row WHERE change_set_id = %s AND was IS NULL AND became IS NULL", [change_set_id])
    number = found["number"] - found["passing"]
    tx.run("UPDATE change_set SET records = %s WHERE id = %s", [number, change_set_id])
    return int(number)


def delete_empty(tx: Tx, change_set_id: int) -> None:
    tx.run("DELETE FROM change_set WHERE id = %s", [change_set_id])


def change_sets(tx: Tx, *, before: int | None, kind: str | None) -> list[dict[str, Any]]:
    """The newest change sets, a page of them and one more."""
    return tx.all(
        """SELECT * FROM change_set WHERE (%(before)s IS NULL OR id < %(before)s)
           AND (%(kind)s IS NULL OR kind = %(kind)s) ORDER BY id DESC LIMIT %(limit)s""",
        {"before": before, "kind": kind, "limit": PAGE + 1},
    )


def change_set(tx: Tx, change_set_id: int, *, lock: bool = False) -> dict[str, Any] | None:
    return tx.one(f"SELECT * FROM change_set WHERE id = %s {'FOR UPDATE' if lock else ''}", [change_set_id])


def rows(tx: Tx, change_set_id: int, limit: int, offset: int = 0) -> list[dict[str, Any]]:
    """Rows of a change set, with ``was`` and ``became`` as dicts."""
    found = tx.all(
        """SELECT record_kind, record_id, version, was, became FROM change_row WHERE change_set_id = %s
           ORDER BY record_kind, record_id LIMIT %s OFFSET %s""",
        [change_set_id, limit, offset],
    )
    return [row | {key: json.loads(row[key]) if row[key] else None for key in ("was", "became")} for row in found]


def record_history(tx: Tx, kinds: Mapping[str, Sequence[int]], limit: int) -> list[dict[str, Any]]:
    """The newest change sets that touched any of the records (kind -> ids)."""
    wanted = {kind: list(ids) for kind, ids in kinds.items() if ids}
    where = " OR ".join("(r.record_kind = %s AND r.record_id IN %s)" for _ in wanted)
    flat = [value for pair in wanted.items() for value in pair]
    return tx.all(
        f"""SELECT s.id, s.title, s.actor, s.made_at, s.kind FROM change_set s JOIN change_row r
            ON r.change_set_id = s.id WHERE {where} GROUP BY s.id ORDER BY s.id DESC LIMIT %s""",
        [*flat, limit],
    )


def kind_counts(tx: Tx, change_set_id: int) -> list[dict[str, Any]]:
    """How many records of each kind a change set made, changed and removed."""
    return tx.all(
        """SELECT record_kind, SUM(was IS NULL) AS made, SUM(became IS NULL) AS removed,
                  SUM(was IS NOT NULL AND became IS NOT NULL) AS changed
           FROM change_row WHERE change_set_id = %s GROUP BY record_kind""",
        [change_set_id],
    )


def set_rolled_back(tx: Tx, change_set_id: int, by: int) -> None:
    tx.run("UPDATE change_set SET rolled_back_by = %s WHERE id = %s", [by, change_set_id])


def stamp(tx: Tx) -> str:
    """Another text after every change set that is committed, also where a long one commits after later ones."""
    row = tx.one(
        "SELECT MAX(no) AS newest, SUM(no) AS total FROM (SELECT no FROM recorded ORDER BY no DESC LIMIT 500) latest"
    )
    assert row is not None
    return f"{row['newest']}-{row['total']}"


def note_recorded(tx: Tx, change_set_id: int) -> None:
    """Say, as the last of a change set, that it is recorded: a long one stands among those that ended with it."""
    tx.run("INSERT INTO recorded (change_set_id) VALUES (%s)", [change_set_id])


def prune_recorded(tx: Tx) -> int:
    """Forget all but the last KEPT_RECORDED of them; returns how many."""
    return tx.run(
        "DELETE FROM recorded WHERE no < (SELECT newest FROM (SELECT MAX(no) AS newest FROM recorded) x) - %s "
        "LIMIT 1000000",
        [KEPT_RECORDED],
    )


def newest_ids(tx: Tx, limit: int) -> list[int]:
    """Ids of the change sets that were recorded last, the newest first."""
    return [
        row["change_set_id"] for row in tx.all("SELECT change_set_id FROM recorded ORDER BY no DESC LIMIT %s", [limit])
    ]


#: Rows of a change set with the records that they are of.
_JOURNALLED = "change_row r STRAIGHT_JOIN {kind.table} ON {kind.key} = r.record_id"
_MADE = "r.change_set_id = %(set)s AND r.record_kind = %(kind)s AND r.was IS NULL"


# --- putting records back by sets ---------------------------------------------------------------------------


def _same(column: Column, side: str, name: str) -> str:
    return f"(CONVERT({column.sql} USING utf8mb4) COLLATE utf8mb4_bin <=> JSON_VALUE(r.{side}, '$.{name}'))"


def _untouched(kind: RecordKind) -> str:
    """SQL: every field that the change wrote still holds what it wrote."""
    return " AND ".join(
        f"(NOT JSON_EXISTS(r.became, '$.{name}') OR {_same(column, 'became', name)}"
        + (f" OR JSON_EXISTS(r.became, '$.{column.beside}'))" if column.beside else ")")
        for name, column in kind.fields.items()
    )


def _holds(kind: RecordKind, name: str) -> str:
    """SQL: the change wrote this field, and it, with what means something only together with it, is as it wrote it."""
    column = kind.fields[name]
    together = " AND ".join(
        f"(NOT JSON_EXISTS(r.became, '$.{one}') OR {_same(kind.fields[one], 'became', one)})"
        for one in kind.record.together_with(column.beside or name)
    )
    if column.beside:  # its own value was moved on by others', as long as what it changes with was not
        together = f"({together} AND (JSON_EXISTS(r.became, '$.{column.beside}') OR {_same(column, 'became', name)}))"
    return f"(JSON_EXISTS(r.became, '$.{name}') AND {together})"


def rollback_counts(tx: Tx, kind: RecordKind, change_set_id: int, language: str) -> dict[str, int]:
    """What a roll back would do to records of this kind.

    "back": how many go back, wholly or in part; "part": of these, how many keep a field that was changed since;
    "stay": how many stay as they are.
    """
    params = {"set": change_set_id, "kind": kind.name, "lang": language}
    total = tx.value("SELECT COUNT(*) FROM change_row WHERE change_set_id = %(set)s AND record_kind = %(kind)s", params)
    changed = "r.was IS NOT NULL"
    found = tx.one(
        f"""SELECT COALESCE(SUM(IF({changed}, {_any_holds(kind)}, {_untouched(kind)} AND
                                   ({kind.foreseen or kind.removable} OR {kind.retired_when}))
                                AND NOT {kind.follows_when}), 0) AS clean,
                   COALESCE(SUM({changed} AND {_any_holds(kind)} AND NOT {_all_hold(kind)}), 0) AS part,
                   COALESCE(SUM({kind.follows_when}), 0) AS follows
            FROM change_row r STRAIGHT_JOIN {kind.table} ON {kind.key} = r.record_id
            WHERE r.change_set_id = %(set)s AND r.record_kind = %(kind)s AND r.became IS NOT NULL""",
        params,
    )
    assert found is not None
    clean, total = found["clean"], total - found["follows"]
    gone = tx.value(
        f"""SELECT COUNT(*) FROM change_row r WHERE r.change_set_id = %(set)s AND r.record_kind = %(kind)s
            AND r.became IS NULL AND NOT EXISTS (SELECT 1 FROM {kind.plain} x WHERE x.id = r.record_id)""",
        params,
    )
    back = int(clean) + int(gone)
    return {"back": back, "part": int(found["part"]), "stay": int(total) - back}


def _any_holds(kind: RecordKind) -> str:
    return f"({' OR '.join(_holds(kind, name) for name in kind.fields)})"


def _all_hold(kind: RecordKind) -> str:
    wrote = "JSON_EXISTS(r.became, '$.{0}')"
    return f"({' AND '.join(f'(NOT {wrote.format(name)} OR {_holds(kind, name)})' for name in kind.fields)})"


def restore_changed(tx: Tx, kind: RecordKind, change_set_id: int, by: int, language: str) -> None:
    """Journal and put back the fields that the set changed and that still hold what it wrote; the others stay."""
    params = {"set": change_set_id, "kind": kind.name, "lang": language, "by": by}
    where = f"""r.change_set_id = %(set)s AND r.record_kind = %(kind)s AND r.was IS NOT NULL AND r.became IS NOT NULL
                AND {_any_holds(kind)}"""
    journal.write(
        tx,
        by,
        kind,
        _JOURNALLED.format(kind=kind),
        where,
        params,
        was={name: f"JSON_VALUE(r.became, '$.{name}')" for name in kind.fields},
        became={name: f"JSON_VALUE(r.was, '$.{name}')" for name in kind.fields},
        only={name: _holds(kind, name) for name in kind.fields},
    )
    sets = [
        f"{column.sql} = IF(JSON_EXISTS(r.became, '$.{name}'), JSON_VALUE(r.became, '$.{name}'), {column.sql})"
        for name, column in kind.fields.items()
    ]
    # What goes back stands in the new journal rows, as their ``became``.
    tx.run(
        f"""UPDATE change_row r STRAIGHT_JOIN {kind.table} ON {kind.key} = r.record_id
            SET {", ".join(sets)}, {kind.version} = {kind.version} + 1 {kind.touch}
            WHERE r.change_set_id = %(by)s AND r.record_kind = %(kind)s AND r.was IS NOT NULL
              AND r.became IS NOT NULL""",
        params,
    )


def remove_made(tx: Tx, kind: RecordKind, change_set_id: int, by: int, language: str) -> None:
    """Journal and remove records that the set made and that nobody changed or uses since."""
    params = {"set": change_set_id, "kind": kind.name, "lang": language, "by": by}
    where = f"{_MADE} AND {_untouched(kind)} AND {kind.removable}"
    journal.write(tx, by, kind, _JOURNALLED.format(kind=kind), where, params, was="r.became")
    tx.run(
        f"""DELETE x FROM {kind.plain} x JOIN change_row r ON r.record_id = x.id
            WHERE r.change_set_id = %(by)s AND r.record_kind = %(kind)s AND r.became IS NULL""",
        params,
    )


def retire_made(tx: Tx, kind: RecordKind, change_set_id: int, by: int, language: str) -> None:
    """Journal and retire records that the set made and that may not be removed any more."""
    if not kind.retire[0]:
        return
    name, value = kind.retire
    params = {"set": change_set_id, "kind": kind.name, "lang": language, "by": by, "value": value}
    was = json_object([json_field(name, kind.fields[name])])
    became = json_object([json_field(name, kind.fields[name], "%(value)s")])
    where = f"{_MADE} AND {_untouched(kind)} AND {kind.retired_when}"
    journal.write(tx, by, kind, _JOURNALLED.format(kind=kind), where, params, was=was, became=became)
    tx.run(
        f"""UPDATE change_row r STRAIGHT_JOIN {kind.table} ON {kind.key} = r.record_id
            SET {kind.fields[name].sql} = %(value)s, {kind.version} = {kind.version} + 1 {kind.touch}
            WHERE r.change_set_id = %(by)s AND r.record_kind = %(kind)s AND r.was IS NOT NULL
              AND r.became = {became}""",
        params,
    )


def _revived(kind: RecordKind) -> list[str]:
    """The INSERTs that make removed records again, out of what the journal has of them."""

    def values(names: Sequence[str]) -> str:
        return ", ".join(_revived_value(name, kind.fields[name]) for name in names)

    record, beside = kind.record, kind.record.beside
    own = record.columns()
    inserts = [
        f"""INSERT INTO {kind.plain} (id, version, {", ".join([*own, *(name for name, _ in record.revived)])})
            SELECT r.record_id, r.version, {", ".join([values(own), *(sql for _, sql in record.revived)])}"""
    ]
    if beside:
        words = record.columns(beside=True)
        inserts.append(
            f"""INSERT INTO {beside.table} ({beside.key}, lang, {", ".join(words)})
                SELECT r.record_id, %(lang)s, {values(words)}"""
        )
    return inserts


def _revived_value(name: str, column: Column) -> str:
    """SQL of a field's value in the journal. A record that was made by sets may have left out what is empty."""
    value = f"JSON_VALUE(r.became, '$.{name}')"
    if column.empty is None:
        return value
    return f"COALESCE({value}, {column.empty})" if isinstance(column.empty, int) else f"COALESCE({value}, '')"


def bring_back_removed(tx: Tx, kind: RecordKind, change_set_id: int, by: int, language: str) -> None:
    """Journal and make again, under their old ids, records that the set removed."""
    params = {"set": change_set_id, "kind": kind.name, "by": by, "lang": language}
    where = f"""r.change_set_id = %(set)s AND r.record_kind = %(kind)s AND r.became IS NULL
                AND NOT EXISTS (SELECT 1 FROM {kind.plain} x WHERE x.id = r.record_id)"""
    journal.write(
        tx, by, kind, "change_row r", where, params, became="r.was", key="r.record_id", version="r.version + 1"
    )
    for insert in _revived(kind):
        tx.run(
            f"""{insert} FROM change_row r
                   WHERE r.change_set_id = %(by)s AND r.record_kind = %(kind)s AND r.was IS NULL""",
            params,
        )
