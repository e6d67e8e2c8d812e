"""The table of what the rows of files of records would do, and did."""

import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from graupel.core.imports import Action
from graupel.core.problems import Problem
from graupel.db import Tx
from graupel.features.files.records.clerks import Said
from graupel.features.files.rows import BatchRecordRow

MOVED, SKIPPED = "moved", "skipped"
_COLUMNS = (
    "batch_id", "line", "place", "action", "name", "record_kind", "record_id", "said", "was", "becomes", "problems",
)  # fmt: skip


@dataclass(frozen=True)
class PlannedRow:
    """What a row would do. ``name``: of its record; ``record``: by kind and id where it is there; ``said``: all that
    the row says, ``was`` and ``becomes``: what of it differs."""

    line: int
    action: str
    name: str
    record: tuple[str, int] | None
    said: Said
    was: Said
    becomes: Said
    problems: tuple[Problem, ...] = ()


def replace(tx: Tx, batch_id: int, rows: Sequence[PlannedRow]) -> None:
    """Put these rows in the place of what was there, in the order in which they are written."""
    tx.run("DELETE FROM batch_record WHERE batch_id = %s", [batch_id])
    tx.many(
        f"INSERT INTO batch_record ({', '.join(_COLUMNS)}) VALUES ({', '.join(['%s'] * len(_COLUMNS))})",
        [_kept(batch_id, place, row) for place, row in enumerate(rows)],
    )


def _kept(batch_id: int, place: int, row: PlannedRow) -> list[Any]:
    problems = json.dumps([one.as_dict() for one in row.problems], ensure_ascii=False) if row.problems else None
    kind, record_id = row.record or (None, None)
    texts = [json.dumps(dict(one), ensure_ascii=False) for one in (row.said, row.was, row.becomes)]
    return [batch_id, row.line, place, row.action, row.name[:1000], kind, record_id, *texts, problems]


def read(tx: Tx, batch_id: int, actions: Sequence[str] = ()) -> list[PlannedRow]:
    """All rows, or those of some actions, in the order in which they are written."""
    narrowed = "AND action IN %(actions)s" if actions else ""
    sql = f"SELECT * FROM batch_record WHERE batch_id = %(batch)s {narrowed} ORDER BY place"
    return [_row(row) for row in tx.rows(BatchRecordRow, sql, {"batch": batch_id, "actions": list(actions)})]


def page(
    tx: Tx, batch_id: int, action: str, limit: int, after: int, search: str = "", field: str = "", code: str = ""
) -> list[PlannedRow]:
    """Rows of one action in the order of their lines, after one line; ``search``: in their names; those that change a
    ``field``, or are refused by a ``code``."""
    sql = """SELECT * FROM batch_record WHERE batch_id = %(batch)s AND action = %(action)s AND line > %(after)s
             AND (%(search)s = '' OR LOCATE(%(search)s, name))
             AND (%(field)s = '' OR JSON_EXISTS(becomes, %(path)s))
             AND (%(code)s = '' OR JSON_CONTAINS(problems, JSON_OBJECT('code', %(code)s)))
             ORDER BY line LIMIT %(limit)s"""
    asked = {"batch": batch_id, "action": action, "after": after, "search": search, "field": field, "code": code}
    params = {**asked, "path": f'$."{field}"', "limit": limit}
    return [_row(row) for row in tx.rows(BatchRecordRow, sql, params)]


def _row(row: BatchRecordRow) -> PlannedRow:
    record = (row["record_kind"], row["record_id"]) if row["record_kind"] and row["record_id"] else None
    problems = tuple(Problem(**one) for one in json.loads(row["problems"] or "[]"))
    said, was, becomes = (json.loads(row[name]) for name in ("said", "was", "becomes"))
    return PlannedRow(row["line"], row["action"], row["name"], record, said, was, becomes, problems)


def told(tx: Tx, batch_id: int, action: str = "") -> Iterator[dict[str, Any]]:
    """Line, action and problems of all rows, or those of one action, in the order of their lines, one by one."""
    narrowed = "AND action = %(action)s" if action else ""
    yield from tx.stream(
        f"SELECT line, action, problems FROM batch_record WHERE batch_id = %(batch)s {narrowed} ORDER BY line",
        {"batch": batch_id, "action": action},
    )


def lines(tx: Tx, batch_id: int, action: str) -> list[int]:
    """The lines of the rows of one action."""
    sql = "SELECT line FROM batch_record WHERE batch_id = %s AND action = %s ORDER BY line"
    return [row["line"] for row in tx.all(sql, [batch_id, action])]


def note_written(tx: Tx, batch_id: int, rows: Iterable[PlannedRow]) -> None:
    """Say of rows what became of them, and which record they made."""
    tx.many(
        "UPDATE batch_record SET action = %s, record_kind = %s, record_id = %s WHERE batch_id = %s AND line = %s",
        [[row.action, *(row.record or (None, None)), batch_id, row.line] for row in rows],
    )


def counts(tx: Tx, batch_id: int) -> dict[str, int]:
    """Rows by action."""
    sql = "SELECT action, COUNT(*) AS number FROM batch_record WHERE batch_id = %s GROUP BY action"
    found: Mapping[str, int] = {row["action"]: row["number"] for row in tx.all(sql, [batch_id])}
    return {str(action): 0 for action in Action} | dict(found)
