"""The table of files that were brought in, and what was chosen for their columns."""

import json
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import Any, cast

from graupel.core import handling
from graupel.core.declarations.files import IMPORT_PROFILE
from graupel.core.record_files import RowsAre
from graupel.core.roles import Actor
from graupel.db import Tx
from graupel.features.files.rows import ExportFileRow, HabitRow, ImportFileRow, ListedFileRow, ProfileRow

#: What of a file stays the same where some of its lines are looked at again.
SAME_AGAIN = (
    "name", "sha256", "bytes", "shape", "can_be", "headers", "rules", *handling.FIELDS, "counts_at", "profile_id",
)  # fmt: skip
_JSON = ("shape", "can_be", "headers", "rules", "counts", "makes", "only_lines", "passed", "overview")


#: Of a file without a dry run.
_NOTHING_PLANNED: Mapping[str, Any] = {
    "state": "matching", "counts": None, "makes": None, "passed": None, "overview": None,
}  # fmt: skip


def insert(tx: Tx, actor: Actor, values: Mapping[str, Any]) -> int:
    """A file; ``only_lines``: which of its lines are meant, None for all."""
    start = handling.Handling().as_row()
    given = {**start, "counts_at": None, "only_lines": None, "profile_id": None, **values}
    return tx.insert(
        f"""INSERT INTO import_file (name, sha256, bytes, shape, can_be, headers, rules, only_lines,
                                    {", ".join(handling.FIELDS)}, counts_at, profile_id, user_id, actor, made_at)
           VALUES (%(name)s, %(sha256)s, %(bytes)s, %(shape)s, %(can_be)s, %(headers)s, %(rules)s, %(only_lines)s,
                   {", ".join(f"%({name})s" for name in handling.FIELDS)},
                   COALESCE(%(counts_at)s, UTC_TIMESTAMP(3)), %(profile_id)s, %(user)s,
                   %(actor)s, UTC_TIMESTAMP(3))""",
        {**given, **_kept(given), "user": actor.user_id, "actor": actor.name},
    )


def _kept(values: Mapping[str, Any]) -> dict[str, str | None]:
    return {name: None if values[name] is None else json.dumps(values[name]) for name in _JSON if name in values}


def _row(row: dict[str, Any]) -> ImportFileRow:
    kept = {name: json.loads(row[name]) if row[name] else None for name in _JSON}
    if kept["makes"]:  # before brands could come in, all were categories
        kept["makes"] = [[*one, "category"][:3] for one in kept["makes"]]
    return cast(ImportFileRow, row | kept)


def read(tx: Tx, file_id: int, *, lock: bool = False) -> ImportFileRow | None:
    row = tx.one(f"SELECT * FROM import_file WHERE id = %s {'FOR UPDATE' if lock else ''}", [file_id])
    return _row(row) if row else None


def waited_seconds(tx: Tx, job_id: int) -> int:
    """How long ago a job was asked for."""
    sql = "SELECT TIMESTAMPDIFF(SECOND, made_at, UTC_TIMESTAMP(3)) FROM job WHERE id = %s"
    return int(tx.value(sql, [job_id]) or 0)


def asked_by(tx: Tx, job_id: int) -> dict[str, Any] | None:
    """Who asked for a job: ``actor``, ``user_id``."""
    return tx.one("SELECT actor, user_id FROM job WHERE id = %s", [job_id])


def newest(tx: Tx, limit: int) -> list[ListedFileRow]:
    """The newest files, and whether what they brought in was rolled back."""
    sql = """SELECT f.*, s.rolled_back_by FROM import_file f LEFT JOIN change_set s ON s.id = f.change_set_id
             ORDER BY f.id DESC LIMIT %s"""
    return [cast(ListedFileRow, _row(row)) for row in tx.all(sql, [limit])]


def change(tx: Tx, file_id: int, **values: Any) -> None:
    """Write some of a file's columns."""
    kept = values | _kept(values)
    sets = ", ".join(f"{name} = %({name})s" for name in kept)
    tx.run(f"UPDATE import_file SET {sets}, version = version + 1 WHERE id = %(id)s", {**kept, "id": file_id})


def read_as(tx: Tx, file_id: int, values: Mapping[str, Any]) -> None:
    """``values``: shape, can_be, headers and rules as they are now; a dry run there was holds no more."""
    change(tx, file_id, **_NOTHING_PLANNED, **values)


def match(tx: Tx, file_id: int, rules: Sequence[Mapping[str, Any]], values: Mapping[str, Any], job_id: int) -> None:
    """``values``: how it is brought in, counts_at and profile_id."""
    change(tx, file_id, rules=rules, job_id=job_id, **_NOTHING_PLANNED, **values)


# --- what was chosen before ----------------------------------------------------------------------------------


def habits(tx: Tx, headers: Sequence[str]) -> dict[str, HabitRow]:
    """By header, as it is compared, what was chosen last time."""
    rows = tx.rows(HabitRow, "SELECT header, field, rule FROM column_habit WHERE header IN %s", [list(headers) or [""]])
    return {row["header"]: row for row in rows}


def remember(tx: Tx, chosen: Iterable[tuple[str, str, Mapping[str, Any]]]) -> None:
    """Keep header, field and rule of columns for the next file."""
    tx.many(
        """INSERT INTO column_habit (header, field, rule, said_at) VALUES (%s, %s, %s, UTC_TIMESTAMP(3))
           ON DUPLICATE KEY UPDATE field = VALUES(field), rule = VALUES(rule), said_at = VALUES(said_at)""",
        [(header, field, json.dumps(rule)) for header, field, rule in chosen],
    )


def known_skus(tx: Tx, skus: Sequence[str]) -> int:
    """How many of these are SKUs of variants."""
    plain = [sku for sku in skus if sku.isascii() and len(sku) <= 64] or [""]
    return int(tx.value("SELECT COUNT(*) FROM variant WHERE sku IN %s", [plain]))


# --- what went out -------------------------------------------------------------------------------------------


def insert_export(tx: Tx, actor: Actor, values: Mapping[str, Any]) -> int:
    given = {"with_pictures": False, "rows_are": str(RowsAre.GOODS), "fields": (), "query": None, "lens": "", **values}
    return tx.insert(
        """INSERT INTO export_file (name, format, with_pictures, rows_are, fields, query, lens, user_id, actor, made_at)
           VALUES (%(name)s, %(format)s, %(with_pictures)s, %(rows_are)s, %(fields)s, %(query)s, %(lens)s, %(user)s,
                   %(actor)s, UTC_TIMESTAMP(3))""",
        {**given, "fields": json.dumps(given["fields"]), "user": actor.user_id, "actor": actor.name},
    )


def change_export(tx: Tx, export_id: int, **values: Any) -> None:
    """Write some of its columns."""
    sets = ", ".join(f"{name} = %({name})s" for name in values)
    tx.run(f"UPDATE export_file SET {sets} WHERE id = %(id)s", {**values, "id": export_id})


def read_export(tx: Tx, export_id: int) -> ExportFileRow | None:
    row = tx.one("SELECT * FROM export_file WHERE id = %s", [export_id])
    return _exported(row) if row else None


def newest_exports(tx: Tx, limit: int) -> list[ExportFileRow]:
    return [_exported(row) for row in tx.all("SELECT * FROM export_file ORDER BY id DESC LIMIT %s", [limit])]


def exports_before(tx: Tx, moment: datetime) -> list[ExportFileRow]:
    """Those whose files are there still, made before a moment, UTC."""
    sql = "SELECT * FROM export_file WHERE bytes IS NOT NULL AND made_at < %s ORDER BY id LIMIT 200"
    return [_exported(row) for row in tx.all(sql, [moment])]


def _exported(row: dict[str, Any]) -> ExportFileRow:
    return cast(ExportFileRow, row | {"fields": json.loads(row["fields"])})


# --- profiles ------------------------------------------------------------------------------------------------


def profiles(tx: Tx) -> list[ProfileRow]:
    return tx.rows(
        ProfileRow, f"SELECT id, {', '.join(IMPORT_PROFILE.columns())}, version FROM import_profile ORDER BY name, id"
    )


#: What a dry run fills, by file.
_OF_BATCH = (
    *("batch_row", "batch_fact", "batch_variant", "batch_axis", "batch_choice", "batch_gone", "batch_own"),
    *("batch_count", "batch_picture", "batch_record"),
)


def forget_planned(tx: Tx, file_id: int) -> None:
    """Throw away the rows of a dry run that tells of other records than the file does now."""
    for table in _OF_BATCH:
        tx.run(f"DELETE FROM {table} WHERE batch_id = %s", [file_id])


def forget_rows(tx: Tx, change_set_id: int, limit: int) -> int:
    """Throw away rows of the file that a change set brought in, at most so many; returns how many."""
    file_id = tx.value("SELECT id FROM import_file WHERE change_set_id = %s", [change_set_id])
    gone = 0
    for table in _OF_BATCH if file_id else ():
        if gone < limit:
            gone += tx.run(f"DELETE FROM {table} WHERE batch_id = %s LIMIT %s", [file_id, limit - gone])
    return gone
