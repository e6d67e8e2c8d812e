"""Reading the queue for people."""

from typing import Any

from graupel.db import Tx

_COLUMNS = """id, kind, title, state, run_after, tries, most_tries, cancel_wanted, step, progress, progress_of, outcome,
              link, actor, made_at, begun_at, ended_at,
              TIMESTAMPDIFF(MICROSECOND, begun_at, UTC_TIMESTAMP(3)) / 1e6 AS running_s,
              run_after > UTC_TIMESTAMP(3) AS is_later, UTC_TIMESTAMP(3) AS now"""


def read(tx: Tx, job_id: int) -> dict[str, Any] | None:
    return tx.one(f"SELECT {_COLUMNS} FROM job WHERE id = %s", [job_id])


def by_state(tx: Tx, states: tuple[str, ...], limit: int) -> list[dict[str, Any]]:
    return tx.all(f"SELECT {_COLUMNS} FROM job WHERE state IN %s ORDER BY id DESC LIMIT %s", [states, limit])


def counts(tx: Tx) -> dict[str, int]:
    return {row["state"]: row["count"] for row in tx.all("SELECT state, COUNT(*) AS count FROM job GROUP BY state")}
