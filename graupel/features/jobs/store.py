"""Reading the queue for people."""

from graupel.db import Tx
from graupel.features.jobs.rows import JobRow

_COLUMNS = """id, kind, title, state, run_after, tries, most_tries, cancel_wanted, step, progress, progress_of, outcome,
              link, actor, made_at, begun_at, ended_at,
              TIMESTAMPDIFF(MICROSECOND, begun_at, UTC_TIMESTAMP(3)) / 1e6 AS running_s,
              run_after > UTC_TIMESTAMP(3) AS is_later, UTC_TIMESTAMP(3) AS now"""


def read(tx: Tx, job_id: int) -> JobRow | None:
    return tx.row(JobRow, f"SELECT {_COLUMNS} FROM job WHERE id = %s", [job_id])


#: What sleeps until its moment by the clock, which is no work that waits.
_ASLEEP = "(state = 'waiting' AND kind LIKE 'time.%%')"


def by_state(tx: Tx, states: tuple[str, ...], limit: int) -> list[JobRow]:
    """Jobs in these states, the newest first; not those that sleep until their moment."""
    return tx.rows(
        JobRow,
        f"SELECT {_COLUMNS} FROM job WHERE state IN %s AND NOT {_ASLEEP} ORDER BY id DESC LIMIT %s",
        [states, limit],
    )


def ended(tx: Tx, limit: int) -> list[JobRow]:
    """Jobs that ended, the newest first; of what nobody asked for, only what did not go well."""
    return tx.rows(
        JobRow,
        f"""SELECT {_COLUMNS} FROM job WHERE state = 'cancelled' OR (state = 'done' AND user_id IS NOT NULL)
            ORDER BY id DESC LIMIT %s""",
        [limit],
    )


def asleep(tx: Tx, limit: int) -> list[JobRow]:
    """What wakes by the clock, the next one first."""
    return tx.rows(JobRow, f"SELECT {_COLUMNS} FROM job WHERE {_ASLEEP} ORDER BY run_after, id LIMIT %s", [limit])


def counts(tx: Tx) -> dict[str, int]:
    """How many jobs are in each state, those that sleep left out."""
    rows = tx.all(f"SELECT state, COUNT(*) AS count FROM job WHERE NOT {_ASLEEP} GROUP BY state", {})
    return {row["state"]: row["count"] for row in rows}
