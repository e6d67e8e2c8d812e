"""The tables of prepared changes."""

import json
from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any, cast

from graupel.core.roles import Actor
from graupel.db import Tx
from graupel.features.prepared.rows import PreparedRow, WantedRow

#: So many that ended are listed.
ENDED = 40
_OPEN = ("waiting", "agreed", "back")


def insert(tx: Tx, actor: Actor, kind: str, title: str, refers: int | None, given: str | None) -> int:
    return tx.insert(
        """INSERT INTO prepared (title, kind, refers, given, made_by, maker, made_at)
           VALUES (%s, %s, %s, %s, %s, %s, UTC_TIMESTAMP(3))""",
        [title[:300], kind, refers, given, actor.user_id, actor.name],
    )


def insert_rows(tx: Tx, prepared_id: int, rows: Sequence[Mapping[str, Any]]) -> None:
    tx.many(
        """INSERT INTO prepared_row (prepared_id, record_kind, record_id, was, became) VALUES (%s, %s, %s, %s, %s)""",
        [(prepared_id, row["record_kind"], row["record_id"], _json(row["was"]), _json(row["became"])) for row in rows],
    )


def _json(values: object) -> str | None:
    return None if values is None else json.dumps(values, ensure_ascii=False)


def read(tx: Tx, prepared_id: int, *, lock: bool = False) -> PreparedRow | None:
    return tx.row(PreparedRow, f"SELECT * FROM prepared WHERE id = %s {'FOR UPDATE' if lock else ''}", [prepared_id])


def wanted(tx: Tx, prepared_id: int) -> list[WantedRow]:
    """What it would write, in the order in which it was taken down."""
    rows = tx.all(
        """SELECT record_kind, record_id, was, became FROM prepared_row WHERE prepared_id = %s
           ORDER BY record_kind, record_id""",
        [prepared_id],
    )
    return [
        cast(WantedRow, row | {side: json.loads(row[side]) if row[side] else None for side in ("was", "became")})
        for row in rows
    ]


def size(tx: Tx, prepared_id: int) -> int:
    """How many records it would write."""
    return int(tx.value("SELECT COUNT(*) FROM prepared_row WHERE prepared_id = %s", [prepared_id]))


def change(tx: Tx, prepared_id: int, **values: Any) -> None:
    """Write columns of it; its version moves."""
    sets = "".join(f"{name} = %({name})s, " for name in values)
    tx.run(f"UPDATE prepared SET {sets} version = version + 1 WHERE id = %(id)s", {**values, "id": prepared_id})


def decide(tx: Tx, prepared_id: int, actor: Actor, state: str, reply: str, apply_at: datetime | None) -> None:
    """Note what somebody said of it."""
    change(
        tx,
        prepared_id,
        state=state,
        decided_by=actor.user_id,
        decider=actor.name,
        role=str(actor.role),
        decided_at=tx.value("SELECT UTC_TIMESTAMP(3)"),
        reply=reply,
        apply_at=apply_at,
    )


def listed(tx: Tx) -> tuple[list[PreparedRow], list[PreparedRow]]:
    """Those that are open, the next ones first, and the newest that ended."""
    open_ = tx.rows(
        PreparedRow,
        "SELECT * FROM prepared WHERE state IN %s ORDER BY apply_at IS NULL, apply_at, id DESC",
        [_OPEN],
    )
    ended = tx.rows(
        PreparedRow,
        "SELECT * FROM prepared WHERE state NOT IN %s ORDER BY id DESC LIMIT %s",
        [_OPEN, ENDED],
    )
    return open_, ended


def few_rows(tx: Tx, ids: Sequence[int], most: int) -> list[dict[str, Any]]:
    """What some of them would write that write no more than so many records, with their ids as change_set_id."""
    if not ids:
        return []
    rows = tx.all(
        """SELECT prepared_id AS change_set_id, record_kind, record_id, was, became FROM prepared_row
           WHERE prepared_id IN (SELECT prepared_id FROM prepared_row WHERE prepared_id IN %s
                                 GROUP BY prepared_id HAVING COUNT(*) <= %s)
           ORDER BY prepared_id, record_kind = 'product' DESC, record_kind, record_id""",
        [list(ids), most],
    )
    return [row | {side: json.loads(row[side]) if row[side] else None for side in ("was", "became")} for row in rows]


def next_moment(tx: Tx, after: datetime) -> datetime | None:
    """When the next one is due beyond a moment, UTC."""
    found: datetime | None = tx.value(
        "SELECT MIN(apply_at) FROM prepared WHERE state = 'agreed' AND apply_at > %s", [after]
    )
    return found


def due(tx: Tx, until: datetime) -> list[PreparedRow]:
    """Those whose moment has come, in its order."""
    return tx.rows(
        PreparedRow,
        "SELECT * FROM prepared WHERE state = 'agreed' AND apply_at <= %s ORDER BY apply_at, id",
        [until],
    )


def of_records(tx: Tx, kinds: Mapping[str, Sequence[int]]) -> list[PreparedRow]:
    """Those that are open and would write any of these records (kind -> ids)."""
    found: set[int] = set()
    for kind, ids in kinds.items():
        if ids:
            rows = tx.all(
                "SELECT DISTINCT prepared_id AS id FROM prepared_row WHERE record_kind = %s AND record_id IN %s",
                [kind, list(ids)],
            )
            found |= {row["id"] for row in rows}
    if not found:
        return []
    return tx.rows(
        PreparedRow,
        "SELECT * FROM prepared WHERE id IN %s AND state IN %s ORDER BY apply_at IS NULL, apply_at, id",
        [sorted(found), _OPEN],
    )
