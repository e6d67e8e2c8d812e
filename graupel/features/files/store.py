"""The table of files that were brought in."""

import json
from collections.abc import Mapping
from typing import Any, cast

from graupel.core.roles import Actor
from graupel.db import Tx
from graupel.features.files.rows import ImportFileRow, ListedFileRow

#: What of a file stays the same where some of its lines are looked at again.
SAME_AGAIN = (
    "name", "sha256", "bytes", "encoding", "delimiter", "headers", "columns", "go_live", "show_new", "counts_at",
)  # fmt: skip
_JSON = ("headers", "columns", "counts", "makes", "only_lines")


def insert(tx: Tx, actor: Actor, values: Mapping[str, Any]) -> int:
    """A file; ``only_lines``: which of its lines are meant, None for all."""
    lines = values.get("only_lines")
    return tx.insert(
        """INSERT INTO import_file (name, sha256, bytes, encoding, delimiter, headers, columns, only_lines, go_live,
                                    show_new, counts_at, user_id, actor, made_at)
           VALUES (%(name)s, %(sha256)s, %(bytes)s, %(encoding)s, %(delimiter)s, %(headers)s, %(columns)s, %(lines)s,
                   %(go_live)s, %(show_new)s, COALESCE(%(counts_at)s, UTC_TIMESTAMP(3)), %(user)s, %(actor)s,
                   UTC_TIMESTAMP(3))""",
        {
            **{"go_live": 0, "show_new": 0, "counts_at": None, **values},
            "headers": json.dumps(values["headers"]),
            "columns": json.dumps(values["columns"]),
            "lines": json.dumps(lines) if lines is not None else None,
            "user": actor.user_id,
            "actor": actor.name,
        },
    )


def _row(row: dict[str, Any]) -> ImportFileRow:
    return cast(ImportFileRow, row | {name: json.loads(row[name]) if row[name] else None for name in _JSON})


def read(tx: Tx, file_id: int, *, lock: bool = False) -> ImportFileRow | None:
    row = tx.one(f"SELECT * FROM import_file WHERE id = %s {'FOR UPDATE' if lock else ''}", [file_id])
    return _row(row) if row else None


def newest(tx: Tx, limit: int) -> list[ListedFileRow]:
    """The newest files, and whether what they brought in was rolled back."""
    sql = """SELECT f.*, s.rolled_back_by FROM import_file f LEFT JOIN change_set s ON s.id = f.change_set_id
             ORDER BY f.id DESC LIMIT %s"""
    return [cast(ListedFileRow, _row(row)) for row in tx.all(sql, [limit])]


def set_shape(tx: Tx, file_id: int, encoding: str, delimiter: str, headers: list[str], columns: dict[str, int]) -> None:
    tx.run(
        """UPDATE import_file SET encoding = %s, delimiter = %s, headers = %s, columns = %s, state = 'matching',
                  counts = NULL, version = version + 1 WHERE id = %s""",
        [encoding, delimiter, json.dumps(headers), json.dumps(columns), file_id],
    )


def set_matching(tx: Tx, file_id: int, columns: dict[str, int], values: Mapping[str, Any], job_id: int) -> None:
    """``values``: go_live, show_new and counts_at."""
    tx.run(
        """UPDATE import_file SET columns = %(columns)s, go_live = %(go_live)s, show_new = %(show_new)s,
                  counts_at = %(counts_at)s, state = 'matching', job_id = %(job)s, counts = NULL, makes = NULL,
                  version = version + 1 WHERE id = %(id)s""",
        {**values, "columns": json.dumps(columns), "job": job_id, "id": file_id},
    )


def set_planned(tx: Tx, file_id: int, counts: dict[str, int], makes: list[list[Any]]) -> None:
    tx.run(
        "UPDATE import_file SET state = 'planned', counts = %s, makes = %s, version = version + 1 WHERE id = %s",
        [json.dumps(counts), json.dumps(makes), file_id],
    )


def set_applying(tx: Tx, file_id: int, leave_out: bool, job_id: int) -> None:
    tx.run(
        "UPDATE import_file SET leave_out = %s, job_id = %s, version = version + 1 WHERE id = %s",
        [leave_out, job_id, file_id],
    )


def set_applied(tx: Tx, file_id: int, change_set_id: int | None, counts: dict[str, int]) -> None:
    tx.run(
        """UPDATE import_file SET state = 'applied', change_set_id = %s, counts = %s, version = version + 1
           WHERE id = %s""",
        [change_set_id, json.dumps(counts), file_id],
    )
