"""The SQL that puts records back by sets, kind by kind, from what the journal has of a change set.

Everywhere ``r`` is a row of the change set that goes back, and the new change set is ``by``: what goes back is
journalled there first, and then written from there.
"""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from graupel.db import Tx
from graupel.features.history import journal, records
from graupel.features.history.journal import json_field, json_object
from graupel.features.history.records import Column, RecordKind

#: Rows of a change set with the records that they are of.
_JOURNALLED = "change_row r STRAIGHT_JOIN {kind.table} ON {kind.key} = r.record_id"
_OF_KIND = "r.change_set_id = %(set)s AND r.record_kind = %(kind)s"
_MADE = f"{_OF_KIND} AND r.was IS NULL"


@dataclass(frozen=True)
class Rolling:
    """One change set on its way back. ``by``: the change set that puts it back; ``language``: that of the records;
    ``imagined``: it is not to last, so that nothing needs what it refers to."""

    tx: Tx
    change_set_id: int
    by: int
    language: str
    imagined: bool = False

    @property
    def loosely(self) -> str:
        """SQL before a statement that writes."""
        return "SET STATEMENT foreign_key_checks = 0 FOR " if self.imagined else ""

    def params(self, kind: RecordKind) -> dict[str, Any]:
        """What the statements below bind."""
        return {"set": self.change_set_id, "by": self.by, "kind": kind.name, "lang": self.language}


def _same(column: Column, side: str, name: str) -> str:
    return f"(CONVERT({column.sql} USING utf8mb4) COLLATE utf8mb4_bin <=> JSON_VALUE(r.{side}, '$.{name}'))"


def untouched(kind: RecordKind) -> str:
    """SQL: every field that the change wrote still holds what it wrote.

    Whatever writes a record moves its version, so fields are only looked at where that is another one: to take each out
    of the journal costs most of a roll back.
    """
    holds = " AND ".join(
        f"(NOT JSON_EXISTS(r.became, '$.{name}') OR {_same(column, 'became', name)}"
        + (f" OR JSON_EXISTS(r.became, '$.{column.beside}'))" if column.beside else ")")
        for name, column in kind.fields.items()
    )
    return f"({kind.version} = r.version OR ({holds}))"


def _there(column: Column, name: str, *, or_coming: bool = False) -> str:
    """SQL: what the field referred to before the change is there, or it referred to nothing.

    ``or_coming``: it was removed by the same set, and so comes back with it.
    """
    value = f"JSON_VALUE(r.was, '$.{name}')"
    table = records.kind_of(column.refers_to).plain
    there = f"{value} IS NULL OR EXISTS (SELECT 1 FROM {table} referred WHERE referred.id = {value})"
    if or_coming:
        there += f""" OR EXISTS (SELECT 1 FROM change_row coming WHERE coming.change_set_id = %(set)s
                      AND coming.record_kind = '{column.refers_to}' AND coming.record_id = {value}
                      AND coming.became IS NULL)"""
    return f"({there})"


def _holds(kind: RecordKind, name: str) -> str:
    """SQL: the change wrote this field, and it, with what means something only together with it, is as it wrote it.

    Where it referred to a record that is gone by now, it stays.
    """
    column = kind.fields[name]
    whole = kind.record.together_with(column.beside or name)
    parts = [
        f"JSON_EXISTS(r.became, '$.{name}')",
        *(f"(NOT JSON_EXISTS(r.became, '$.{one}') OR {_same(kind.fields[one], 'became', one)})" for one in whole),
        *(_there(kind.fields[one], one) for one in whole if kind.fields[one].refers_to),
    ]
    if column.beside:  # its own value was moved on by others', as long as what it changes with was not
        parts.append(f"(JSON_EXISTS(r.became, '$.{column.beside}') OR {_same(column, 'became', name)})")
    return f"({' AND '.join(parts)})"


def restore_changed(rolling: Rolling, kind: RecordKind) -> None:
    """Put back the fields that the set changed and that still hold what it wrote; the others stay."""
    any_holds = " OR ".join(_holds(kind, name) for name in kind.fields)
    journal.write(
        rolling.tx,
        rolling.by,
        kind,
        _JOURNALLED.format(kind=kind),
        f"{_OF_KIND} AND r.was IS NOT NULL AND r.became IS NOT NULL AND ({any_holds})",
        rolling.params(kind),
        was={name: f"JSON_VALUE(r.became, '$.{name}')" for name in kind.fields},
        became={name: f"JSON_VALUE(r.was, '$.{name}')" for name in kind.fields},
        only={name: _holds(kind, name) for name in kind.fields},
    )
    write_changed(rolling, kind)


def write_changed(rolling: Rolling, kind: RecordKind) -> None:
    """Write into records what the new journal rows say that they become."""
    sets = [
        f"{column.sql} = IF(JSON_EXISTS(r.became, '$.{name}'), JSON_VALUE(r.became, '$.{name}'), {column.sql})"
        for name, column in kind.fields.items()
    ]
    sets += [f"{kind.record.alias}.{name} = {sql}" for name, sql in kind.record.kept_up]
    rolling.tx.run(
        f"""{rolling.loosely}UPDATE change_row r STRAIGHT_JOIN {kind.table} ON {kind.key} = r.record_id
            SET {", ".join(sets)}, {kind.version} = {kind.version} + 1 {kind.touch}
            WHERE r.change_set_id = %(by)s AND r.record_kind = %(kind)s AND r.was IS NOT NULL
              AND r.became IS NOT NULL""",
        rolling.params(kind),
    )


def remove_made(rolling: Rolling, kind: RecordKind) -> None:
    """Remove records that the set made and that nobody changed or uses since."""
    where = f"{_MADE} AND {untouched(kind)} AND {kind.removable}"
    while journal.write(
        rolling.tx,
        rolling.by,
        kind,
        _JOURNALLED.format(kind=kind),
        where,
        rolling.params(kind),
        was="r.became",
    ):
        write_removed(rolling, kind)
        if not kind.holds_its_own:  # a category may go once those below it went
            return


def write_removed(rolling: Rolling, kind: RecordKind) -> None:
    """Delete the records that the new journal rows say are gone, with their words in the table beside."""
    beside = kind.record.beside
    words = f"LEFT JOIN {beside.table} y ON y.{beside.key} = x.id" if beside and rolling.loosely else ""
    rolling.tx.run(
        f"""{rolling.loosely}DELETE x{", y" if words else ""} FROM {kind.plain} x
            JOIN change_row r ON r.record_id = x.id {words}
            WHERE r.change_set_id = %(by)s AND r.record_kind = %(kind)s AND r.became IS NULL""",
        rolling.params(kind),
    )


def retire_made(rolling: Rolling, kind: RecordKind) -> None:
    """Retire records that the set made and that may not be removed any more."""
    if not kind.retire[0]:
        return
    name, value = kind.retire
    params = rolling.params(kind) | {"value": value}
    was = json_object([json_field(name, kind.fields[name])])
    became = json_object([json_field(name, kind.fields[name], "%(value)s")])
    where = f"{_MADE} AND {untouched(kind)} AND {kind.retired_when}"
    journal.write(rolling.tx, rolling.by, kind, _JOURNALLED.format(kind=kind), where, params, was=was, became=became)
    rolling.tx.run(
        f"""UPDATE change_row r STRAIGHT_JOIN {kind.table} ON {kind.key} = r.record_id
            SET {kind.fields[name].sql} = %(value)s, {kind.version} = {kind.version} + 1 {kind.touch}
            WHERE r.change_set_id = %(by)s AND r.record_kind = %(kind)s AND r.was IS NOT NULL
              AND r.became = {became}""",
        params,
    )


def bring_back_removed(rolling: Rolling, kind: RecordKind) -> None:
    """Make again, under their old ids, records that the set removed; not where what they need is gone."""
    where = f"""{_OF_KIND} AND r.became IS NULL
                AND NOT EXISTS (SELECT 1 FROM {kind.plain} x WHERE x.id = r.record_id)"""
    while journal.write(
        rolling.tx,
        rolling.by,
        kind,
        "change_row r",
        " AND ".join([where, *_may_come(kind)]),
        rolling.params(kind),
        became=_with_what_is_there(kind),
        key="r.record_id",
        version="r.version + 1",
    ):
        write_revived(rolling, kind)
        if not kind.holds_its_own:  # one that stands in another of the kind comes after that one
            return


def write_revived(rolling: Rolling, kind: RecordKind) -> None:
    """Make again, under their old ids, the records that the new journal rows say are there."""
    for insert in _revived(kind):
        rolling.tx.run(f"{rolling.loosely}{insert}", rolling.params(kind))


def _may_come(kind: RecordKind) -> list[str]:
    """SQL: what a removed record needs is there; of its own kind, what it can do without is there or gone for good."""
    conditions = []
    for name, column in kind.fields.items():
        if column.refers_to and not column.optional:
            conditions.append(_there(column, name, or_coming=_comes_later(kind, column)))
        elif column.refers_to == kind.name:
            conditions.append(f"({_there(column, name)} OR NOT {_there(column, name, or_coming=True)})")
    return [*conditions, _carrier_there(kind)] if kind.record.goes_along else conditions


def _carrier_there(kind: RecordKind) -> str:
    """SQL: the record of which a removed one is said, such as the product of a tag, is there or comes back with it.

    Otherwise it would be in the way once that record comes back by itself.
    """
    said, number = (f"JSON_VALUE(r.was, '$.{name}')" for name in kind.record.said_of)
    there = "".join(
        f" WHEN '{one.name}' THEN EXISTS (SELECT 1 FROM {one.plain} carrier WHERE carrier.id = {number})"
        for one in records.kinds()
        if one.reversible and one.fields and not one.record.said_of[0]
    )
    return f"""(CASE {said}{there} ELSE TRUE END OR EXISTS (
                SELECT 1 FROM change_row coming WHERE coming.change_set_id = %(set)s AND coming.record_kind = {said}
                  AND coming.record_id = {number} AND coming.became IS NULL))"""


def _comes_later(kind: RecordKind, column: Column) -> bool:
    """Whether what a field refers to is brought back only after records of this kind; else it is there, or stays away.

    What comes back is in the order of the kinds.
    """
    kinds = records.kinds()
    return kinds.index(records.kind_of(column.refers_to)) > kinds.index(kind)


def _with_what_is_there(kind: RecordKind) -> str:
    """SQL: what a removed record was, without the words and files it can do without that are gone by now."""
    value = "r.was"
    for name, column in kind.fields.items():
        if column.refers_to and column.optional:
            there = _there(column, name, or_coming=_comes_later(kind, column))
            value = f"IF({there}, {value}, JSON_SET({value}, '$.{name}', NULL))"
    return value


def _revived(kind: RecordKind) -> list[str]:
    """The INSERTs that make removed records again, out of what the journal has of them."""

    def values(names: Sequence[str]) -> str:
        return ", ".join(_revived_value(name, kind.fields[name]) for name in names)

    record, beside = kind.record, kind.record.beside
    own = record.columns()
    rows = f"""FROM change_row r WHERE r.change_set_id = %(by)s AND r.record_kind = %(kind)s AND r.was IS NULL
               AND NOT EXISTS (SELECT 1 FROM {kind.plain} x WHERE x.id = r.record_id)"""
    inserts = [
        f"""INSERT INTO {kind.plain} (id, version, {", ".join([*own, *(name for name, _ in record.revived)])})
            SELECT r.record_id, r.version, {", ".join([values(own), *(sql for _, sql in record.revived)])} {rows}"""
    ]
    if beside:
        words = record.columns(beside=True)
        inserts.append(
            f"""INSERT INTO {beside.table} ({beside.key}, lang, {", ".join(words)})
                SELECT r.record_id, %(lang)s, {values(words)}
            {rows.replace(f"{kind.plain} x WHERE x.id", f"{beside.table} x WHERE x.{beside.key}")}"""
        )
    return inserts


def _revived_value(name: str, column: Column) -> str:
    """SQL of a field's value in the journal. A record that was made by sets may have left out what is empty."""
    value = f"JSON_VALUE(r.became, '$.{name}')"
    if column.empty is None:
        return value
    return f"COALESCE({value}, {column.empty})" if isinstance(column.empty, int) else f"COALESCE({value}, '')"


def is_lacking(rolling: Rolling, kind: RecordKind) -> bool:
    """Whether a record came back, or came back to what it was, in a way in which it can't stand."""
    return bool(kind.whole_when) and bool(
        rolling.tx.value(
            f"""SELECT 1 FROM change_row r STRAIGHT_JOIN {kind.table} ON {kind.key} = r.record_id
                WHERE r.change_set_id = %(by)s AND r.record_kind = %(kind)s AND r.became IS NOT NULL
                  AND NOT ({kind.whole_when}) LIMIT 1""",
            rolling.params(kind),
        )
    )


# --- what went back, and what did not -----------------------------------------------------------------------

#: The rows of a set, what was done to their records, and the records as they are now.
_OUTCOME = """FROM change_row r LEFT JOIN change_row done ON done.change_set_id = %(by)s AND done.record_kind = %(kind)s
              AND done.record_id = r.record_id
              LEFT JOIN ({kind.table}) ON {kind.key} = r.record_id WHERE r.change_set_id = %(set)s
              AND r.record_kind = %(kind)s"""


def _kept(kind: RecordKind, name: str) -> str:
    """SQL: the change wrote this field; it did not go back, and is not what it was before either."""
    column = kind.fields[name]
    if column.beside:
        return "FALSE"
    put_back = f"(done.record_id IS NOT NULL AND JSON_EXISTS(done.became, '$.{name}'))"
    return f"(JSON_EXISTS(r.became, '$.{name}') AND NOT {put_back} AND NOT {_same(column, 'was', name)})"


def _stays(kind: RecordKind) -> str:
    """SQL: the record, or a field of it, stays though the set changed it."""
    kept = " OR ".join(_kept(kind, name) for name in kind.fields)
    idle = "done.record_id IS NULL"
    return f"""(CASE WHEN r.was IS NULL THEN {idle} AND {kind.key} IS NOT NULL AND NOT {kind.follows_when}
                     WHEN r.became IS NULL THEN {idle} AND {kind.key} IS NULL
                     ELSE {kind.key} IS NULL OR {kept} END)"""


def counts(rolling: Rolling, kind: RecordKind) -> dict[str, int]:
    """Of the set's records of a kind: "back" went back, "part" of them in part, "stay" stayed wholly.

    "fixed": changes of nothing that a roll back touches, such as what a marketplace was told.
    """
    if (made := _all_made_back(rolling, kind)) is not None:
        return {"back": made, "part": 0, "stay": 0, "fixed": 0}
    wrote = " OR ".join(f"JSON_EXISTS(r.became, '$.{name}')" for name in kind.fields)
    found = rolling.tx.one(
        f"""SELECT COUNT(done.record_id) AS back,
                   COALESCE(SUM(done.record_id IS NOT NULL AND {_stays(kind)}), 0) AS part,
                   COALESCE(SUM(done.record_id IS NULL AND {_stays(kind)}), 0) AS stay,
                   COALESCE(SUM(r.was IS NOT NULL AND r.became IS NOT NULL AND NOT ({wrote})), 0) AS fixed
            {_OUTCOME.format(kind=kind)}""",
        rolling.params(kind),
    )
    assert found is not None
    return {name: int(number) for name, number in found.items()}


def _all_made_back(rolling: Rolling, kind: RecordKind) -> int | None:
    """How many records of a kind the set made, where it did nothing else and all of them went back: so it is of most
    files, and then nothing has to be held against what is there now."""
    found = rolling.tx.one(
        """SELECT COUNT(*) AS number, COUNT(done.record_id) AS back, COUNT(r.was) AS others FROM change_row r
           LEFT JOIN change_row done ON done.change_set_id = %(by)s AND done.record_kind = %(kind)s
             AND done.record_id = r.record_id
           WHERE r.change_set_id = %(set)s AND r.record_kind = %(kind)s""",
        rolling.params(kind),
    )
    assert found is not None
    return int(found["number"]) if found["number"] == found["back"] and not found["others"] else None


def kept(rolling: Rolling, kind: RecordKind, limit: int) -> list[dict[str, Any]]:
    """Rows of the set whose records stay, wholly or in part; "kept" names the fields that do."""
    marks = ", ".join(f"COALESCE({_kept(kind, name)}, FALSE) AS kept_{name}" for name in kind.fields)
    now = json_object([json_field(name, column) for name, column in kind.fields.items()])
    rows = rolling.tx.all(
        f"""SELECT r.record_kind, r.record_id, r.was, r.became, IF({kind.key} IS NULL, NULL, {now}) AS now, {marks}
            {_OUTCOME.format(kind=kind)} AND {_stays(kind)} ORDER BY r.record_id LIMIT {int(limit)}""",
        rolling.params(kind),
    )
    sides = ("was", "became", "now")
    return [row | {side: json.loads(row[side]) if row[side] else None for side in sides} for row in rows]
