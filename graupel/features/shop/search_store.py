"""The table of what was searched and not found."""

from collections.abc import Sequence
from datetime import datetime
from typing import TypedDict

from graupel.db import Tx


class UnfoundRow(TypedDict):
    """What was searched in a shop in a language and not found, how often, and when last."""

    id: int
    destination: str
    lang: str
    words: str
    times: int
    last_at: datetime


def note(tx: Tx, destination: str, lang: str, words: str, now: datetime) -> None:
    tx.run(
        """INSERT INTO unfound_search (destination, lang, words, last_at) VALUES (%s, %s, %s, %s)
           ON DUPLICATE KEY UPDATE times = times + 1, last_at = VALUES(last_at)""",
        [destination, lang, words, now],
    )


def unfound(tx: Tx, limit: int) -> list[UnfoundRow]:
    """The most wanted first."""
    return tx.rows(
        UnfoundRow,
        """SELECT id, destination, lang, words, times, last_at FROM unfound_search
           ORDER BY times DESC, last_at DESC LIMIT %s""",
        [limit],
    )


def take_away(tx: Tx, ids: Sequence[int]) -> None:
    tx.run("DELETE FROM unfound_search WHERE id IN %s", [list(ids) or [0]])


def forget(tx: Tx) -> None:
    """Forget what nobody looked for in a year, and beyond 20,000 what was looked for least."""
    tx.run("DELETE FROM unfound_search WHERE last_at < UTC_TIMESTAMP(3) - INTERVAL 1 YEAR")
    tx.run(
        """DELETE FROM unfound_search WHERE times = 1 AND id <= (SELECT last FROM (
             SELECT id AS last FROM unfound_search ORDER BY id DESC LIMIT 1 OFFSET 20000) beyond)"""
    )
