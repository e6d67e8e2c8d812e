"""The table of stored files."""

from typing import Any

from graupel.db import Tx


def by_sha(tx: Tx, sha256: str) -> dict[str, Any] | None:
    return tx.one("SELECT * FROM media WHERE sha256 = %s", [sha256])


def by_ids(tx: Tx, ids: list[int]) -> list[dict[str, Any]]:
    return tx.all("SELECT * FROM media WHERE id IN %s", [ids]) if ids else []


def insert(tx: Tx, values: dict[str, Any]) -> int:
    return tx.insert(
        """INSERT INTO media (sha256, file_name, format, bytes, width, height, made_at)
           VALUES (%(sha256)s, %(file_name)s, %(format)s, %(bytes)s, %(width)s, %(height)s, UTC_TIMESTAMP(3))""",
        values,
    )
