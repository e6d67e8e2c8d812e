"""What belongs to a record: what stands on its page, now or before, found by what the declarations say."""

import json
from collections.abc import Mapping, Sequence
from typing import Any

from graupel.db import Tx
from graupel.features.history import journal, records
from graupel.features.history.records import RecordKind

#: Of one kind so many records are looked at, the newest.
MOST = 10_000


def whole(tx: Tx, kind: str, record_ids: Sequence[int]) -> dict[str, list[int]]:
    """The ids, by kind, of records and of all that belongs to them or did once; without what flows in all day."""
    found: dict[str, list[int]] = {kind: list(record_ids)}
    waiting = [kind]
    while waiting:
        above = waiting.pop(0)
        for one in records.kinds():
            ids = _of(tx, one, above, found[above])
            if ids:
                found[one.name] = sorted({*found.get(one.name, ()), *ids})
                waiting += [] if one.record.said_of[1] else [one.name]
    return found


def reading_order() -> list[str]:
    """The kinds of record in the order in which people read them: what is said of others comes last."""
    return [kind.name for kind in sorted(records.kinds(), key=lambda one: bool(one.record.said_of[0]))]


def belonging(tx: Tx, kind: str, above: str, ids: Sequence[int]) -> list[int]:
    """The ids of records of a kind that belong to any of these, or did."""
    return _of(tx, records.kind_of(kind), above, ids) if ids else []


def _of(tx: Tx, kind: RecordKind, above: str, ids: Sequence[int]) -> list[int]:
    """The records of a kind that belong to any of these, or did."""
    record, owner = kind.record, kind.record.owner
    if not owner or kind.flows or not kind.reversible:
        return []
    if record.said_of[1]:
        there, gone = f"{record.said_of[0]} = %(above)s", f"JSON_VALUE(was, '$.{record.said_of[0]}') = %(above)s"
    elif above in (record.parent, record.private_to):
        there = gone = "TRUE"
    else:
        return []
    rows = tx.all(
        f"""(SELECT id FROM {kind.plain} WHERE {owner} IN %(ids)s AND {there} ORDER BY id DESC LIMIT {MOST})
            UNION (SELECT record_id FROM change_row WHERE gone_of IN %(ids)s AND record_kind = %(kind)s
                   AND became IS NULL AND {gone} LIMIT {MOST})""",
        {"ids": list(ids), "above": above, "kind": kind.name},
    )
    return [int(row["id"]) for row in rows]


#: By kind and id: the version of a record, and what it holds, as the journal keeps it.
Held = dict[tuple[str, int], tuple[int, dict[str, Any]]]


def held(tx: Tx, lang: str, ids: Mapping[str, Sequence[int]], *, lock: bool = False) -> Held:
    """What those of these records hold that are there. ``lock``: nobody else writes them until this is done."""
    found: Held = {}
    for name, some in ids.items():
        kind = records.kind_of(name)
        if not some or not kind.fields:
            continue
        values = journal.object_of(kind, journal.as_it_stands(kind))
        rows = tx.all(
            f"""SELECT {kind.key} AS id, {kind.version} AS version, {values} AS held FROM {kind.table}
                WHERE {kind.key} IN %(ids)s ORDER BY {kind.key} {"FOR UPDATE" if lock else ""}""",
            {"ids": list(some), "lang": lang},
        )
        found |= {(name, row["id"]): (row["version"], json.loads(row["held"])) for row in rows}
    return found
