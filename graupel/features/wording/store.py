"""The table of values for a destination or a language."""

from collections.abc import Mapping, Sequence
from typing import Any

from graupel.core.declarations.wording import OWN_VALUE
from graupel.db import Tx
from graupel.features.wording.rows import OwnValueRow, WorthRow

FIELDS = OWN_VALUE.columns()


def of_records(tx: Tx, kind: str, ids: Sequence[int]) -> list[OwnValueRow]:
    """All own values of records of one kind."""
    if not ids:
        return []
    return tx.rows(OwnValueRow, "SELECT * FROM own_value WHERE kind = %s AND record_id IN %s", [kind, list(ids)])


def of_variants(tx: Tx, product_id: int) -> list[OwnValueRow]:
    """All own values of a product's variants."""
    return tx.rows(
        OwnValueRow,
        """SELECT o.* FROM variant v STRAIGHT_JOIN own_value o ON o.kind = 'variant' AND o.record_id = v.id
           WHERE v.product_id = %s""",
        [product_id],
    )


def in_places(tx: Tx, kind: str, field: str, destinations: Sequence[str], langs: Sequence[str]) -> list[WorthRow]:
    """What is written for some destinations in some languages in one field of all records of a kind."""
    return tx.rows(
        WorthRow,
        """SELECT record_id, destination, lang, value FROM own_value
           WHERE destination IN %s AND lang IN %s AND kind = %s AND field = %s""",
        [list(destinations), list(langs), kind, field],
    )


def everywhere(tx: Tx, kind: str, field: str) -> list[WorthRow]:
    """What a field of all records of a kind says in the languages that it was translated to."""
    return tx.rows(
        WorthRow,
        """SELECT destination, lang, record_id, value FROM own_value
           WHERE kind = %s AND field = %s AND lang <> '' ORDER BY record_id, lang""",
        [kind, field],
    )


def one(tx: Tx, kind: str, record_id: int, destination: str, lang: str, field: str) -> OwnValueRow | None:
    """One of them, locked."""
    return tx.row(
        OwnValueRow,
        """SELECT * FROM own_value WHERE kind = %s AND record_id = %s AND destination = %s AND lang = %s
           AND field = %s FOR UPDATE""",
        [kind, record_id, destination, lang, field],
    )


def insert(tx: Tx, values: Mapping[str, Any]) -> int:
    return tx.insert(
        f"INSERT INTO own_value ({', '.join(FIELDS)}) VALUES ({', '.join(f'%({name})s' for name in FIELDS)})", values
    )


def update(tx: Tx, row_id: int, value: str, source: str | None) -> None:
    tx.run("UPDATE own_value SET value = %s, source = %s, version = version + 1 WHERE id = %s", [value, source, row_id])


def delete(tx: Tx, row_id: int) -> None:
    tx.run("DELETE FROM own_value WHERE id = %s", [row_id])


def by_ids(tx: Tx, ids: Sequence[int]) -> list[OwnValueRow]:
    return tx.rows(OwnValueRow, "SELECT * FROM own_value WHERE id IN %s", [list(ids)]) if ids else []


Where = tuple[str, str, str, str]


def used_places(tx: Tx, asked: Sequence[Where]) -> set[Where]:
    """Which places (kind, destination, language, field) hold any value at all; one lookup in an index for each."""
    if not asked:
        return set()
    there = """EXISTS (SELECT 1 FROM own_value WHERE kind = %s AND destination = %s AND lang = %s AND field = %s)"""
    columns = ", ".join(f"{there} AS w{number}" for number in range(len(asked)))
    row = tx.one(f"SELECT {columns}", [value for where in asked for value in where]) or {}
    return {where for number, where in enumerate(asked) if row[f"w{number}"]}


def search(tx: Tx, kind: str, field: str, destination: str, langs: Sequence[str], words: str) -> list[int]:
    """The records of which a value in some languages, for a destination or everywhere, has these words.

    ``words``: a boolean full-text expression.
    """
    rows = tx.all(
        """SELECT record_id FROM own_value WHERE MATCH (value) AGAINST (%s IN BOOLEAN MODE)
           AND kind = %s AND field = %s AND lang IN %s AND destination IN %s""",
        [words, kind, field, list(langs), ["", destination]],
    )
    return [row["record_id"] for row in rows]
