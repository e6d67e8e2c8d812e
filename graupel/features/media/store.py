"""The table of media."""

from collections.abc import Mapping, Sequence
from typing import Any

from graupel.core.declarations.media import MEDIA
from graupel.db import Tx, like
from graupel.features.media.rows import MediaRow, WaitingMediaRow

FIELDS = MEDIA.columns()


def by_sha(tx: Tx, sha256: str) -> MediaRow | None:
    return tx.row(MediaRow, "SELECT * FROM media WHERE sha256 = %s", [sha256])


def by_ids(tx: Tx, ids: Sequence[int]) -> list[MediaRow]:
    """Media with the sha256 of their posters as ``poster_sha``."""
    if not ids:
        return []
    return tx.rows(
        MediaRow,
        """SELECT m.*, p.sha256 AS poster_sha FROM media m LEFT JOIN media p ON p.id = m.poster_id
           WHERE m.id IN %s""",
        [list(ids)],
    )


def lock(tx: Tx, media_id: int) -> MediaRow | None:
    return tx.row(MediaRow, "SELECT * FROM media WHERE id = %s FOR UPDATE", [media_id])


def insert(tx: Tx, values: Mapping[str, Any], sizes: str) -> int:
    return tx.insert(
        f"""INSERT INTO media ({", ".join(FIELDS)}, sizes, made_at)
            VALUES ({", ".join(f"%({name})s" for name in FIELDS)}, %(sizes)s, UTC_TIMESTAMP(3))""",
        {**values, "sizes": sizes},
    )


def update(tx: Tx, media_id: int, values: Mapping[str, Any]) -> None:
    """Write the named fields."""
    sets = ", ".join(f"{name} = %({name})s" for name in FIELDS if name in values)
    tx.run(f"UPDATE media SET {sets}, version = version + 1 WHERE id = %(id)s", {**values, "id": media_id})


def delete(tx: Tx, media_id: int) -> None:
    tx.run("DELETE FROM media WHERE id = %s", [media_id])


def waiting(tx: Tx, limit: int) -> list[WaitingMediaRow]:
    """Files whose sizes are still to be made, the oldest first."""
    return tx.rows(
        WaitingMediaRow,
        "SELECT id, kind, sha256, file_name FROM media WHERE sizes = 'waiting' ORDER BY id LIMIT %s",
        [limit],
    )


def count_waiting(tx: Tx) -> int:
    return int(tx.value("SELECT COUNT(*) FROM media WHERE sizes = 'waiting'"))


def set_sizes(tx: Tx, media_id: int, state: str) -> None:
    """How far the making of sizes is; no version moves, for nobody changed anything."""
    tx.run("UPDATE media SET sizes = %s WHERE id = %s", [state, media_id])


def page(
    tx: Tx, *, where: Sequence[str], search: str, matches: Sequence[str], params: Mapping[str, Any], limit: int
) -> list[int]:
    """Ids, the newest first. ``where``: conditions on ``lib``; ``matches``: SELECTs of ids that fit the search too."""
    bound = {**params, "limit": limit, "like": f"%{like(search)}%"}
    named = "SELECT id FROM media WHERE file_name LIKE %(like)s"
    hit = f"JOIN ({' UNION '.join([named, *matches])}) hit ON hit.id = lib.id" if search else ""
    rows = tx.all(
        f"SELECT lib.id FROM media lib {hit} WHERE {' AND '.join(where)} ORDER BY lib.id DESC LIMIT %(limit)s", bound
    )
    return [row["id"] for row in rows]


def counts(tx: Tx) -> dict[str, int]:
    """How many there are of each kind."""
    return {row["kind"]: row["number"] for row in tx.all("SELECT kind, COUNT(*) AS number FROM media GROUP BY kind")}
