"""The category table."""

from typing import Any

from graupel.db import Tx


def all_rows(tx: Tx) -> list[dict[str, Any]]:
    return tx.all("SELECT id, parent_id, position, name, version FROM category ORDER BY position, name")


def by_name(tx: Tx, parent_id: int | None, name: str) -> int | None:
    found = tx.value("SELECT id FROM category WHERE parent_key = %s AND name = %s FOR UPDATE", [parent_id or 0, name])
    return None if found is None else int(found)


def insert(tx: Tx, parent_id: int | None, name: str, position: int) -> int:
    return tx.insert(
        "INSERT INTO category (parent_id, name, position) VALUES (%s, %s, %s)", [parent_id, name, position]
    )


def next_position(tx: Tx, parent_id: int | None) -> int:
    return int(tx.value("SELECT COALESCE(MAX(position) + 1, 0) FROM category WHERE parent_key = %s", [parent_id or 0]))


def names(tx: Tx, ids: list[int]) -> list[dict[str, Any]]:
    return tx.all("SELECT id, name FROM category WHERE id IN %s", [ids]) if ids else []
