"""The queue: a job is a row, written with what it belongs to and claimed under a lease."""

import json
from collections.abc import Collection
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from enum import IntEnum
from typing import Any

from graupel.core.roles import Actor, Role
from graupel.db import Tx

LONGEST_OUTCOME = 2000
KEPT_DAYS = 30


class Urgency(IntEnum):
    """Whom a job keeps waiting."""

    PERSON = 0
    OFFERS = 1
    REST = 2


@dataclass(frozen=True)
class JobRequest:
    """A job to be done. ``kind`` names its handler; ``link`` leads to what it is about.

    ``run_after``: not before this moment (UTC), instead of after ``delay_seconds``.
    """

    kind: str
    title: str
    payload: dict[str, Any] = field(default_factory=dict)
    link: str = ""
    most_tries: int = 5
    delay_seconds: int = 0
    urgency: Urgency = Urgency.PERSON
    run_after: datetime | None = None


@dataclass(frozen=True)
class Claim:
    """A job that a worker holds under its lease. ``tries`` counts this one."""

    job_id: int
    kind: str
    title: str
    payload: dict[str, Any]
    actor: Actor
    tries: int
    most_tries: int
    owner: str


def enqueue(tx: Tx, actor: Actor, request: JobRequest) -> int:
    """Write the job in the caller's transaction; returns its id."""
    return tx.insert(
        """INSERT INTO job (kind, urgency, title, payload, link, most_tries, run_after, user_id, actor, role, made_at)
           VALUES (%(kind)s, %(urgency)s, %(title)s, %(payload)s, %(link)s, %(most)s,
                   COALESCE(%(after)s, UTC_TIMESTAMP(3) + INTERVAL %(delay)s SECOND),
                   %(user)s, %(actor)s, %(role)s, UTC_TIMESTAMP(3))""",
        {
            "kind": request.kind,
            "urgency": int(request.urgency),
            "title": request.title[:300],
            "payload": json.dumps(request.payload),
            "link": request.link,
            "most": request.most_tries,
            "delay": request.delay_seconds,
            "after": request.run_after,
            "user": actor.user_id,
            "actor": actor.name,
            "role": actor.role,
        },
    )


def enqueue_once(tx: Tx, actor: Actor, request: JobRequest) -> None:
    """Write the job where none like it is waiting to begin: for work that looks for itself what is to be done."""
    waiting = "SELECT 1 FROM job WHERE kind = %s AND state = 'waiting' AND payload = %s LIMIT 1"
    if not tx.value(waiting, [request.kind, json.dumps(request.payload)]):
        enqueue(tx, actor, request)


def claim(
    tx: Tx, owner: str, lease_seconds: int, without: Collection[str] = (), ahead: timedelta = timedelta(0)
) -> Claim | None:
    """Take the next job that is due, or one whose worker's lease ran out; None where there is none.

    The most urgent first. ``without``: kinds that are not wanted now; ``ahead``: by how much the clock is.
    """
    kinds = "AND kind NOT IN %(without)s" if without else ""
    params: dict[str, Any] = {"without": list(without), "ahead": ahead.total_seconds()}
    row = None
    for urgency in Urgency:
        row = row or tx.one(
            f"""SELECT * FROM job WHERE state = 'waiting' AND urgency = {int(urgency)}
                AND run_after <= UTC_TIMESTAMP(3) + INTERVAL %(ahead)s SECOND {kinds}
                ORDER BY run_after, id LIMIT 1 FOR UPDATE SKIP LOCKED""",
            params,
        )
    row = row or tx.one(
        f"""SELECT * FROM job WHERE state = 'running' AND lease_until < UTC_TIMESTAMP(3) {kinds}
            ORDER BY lease_until LIMIT 1 FOR UPDATE SKIP LOCKED""",
        params,
    )
    if row is None:
        return None
    tx.run(
        """UPDATE job SET state = 'running', tries = tries + 1, lease_owner = %(owner)s,
                  lease_until = UTC_TIMESTAMP(3) + INTERVAL %(lease)s SECOND,
                  begun_at = COALESCE(begun_at, UTC_TIMESTAMP(3))
           WHERE id = %(id)s""",
        {"owner": owner, "lease": lease_seconds, "id": row["id"]},
    )
    actor = Actor(row["user_id"], row["actor"], Role(row["role"]))
    return Claim(
        row["id"],
        row["kind"],
        row["title"],
        json.loads(row["payload"]),
        actor,
        row["tries"] + 1,
        row["most_tries"],
        owner,
    )


def is_cancelled(tx: Tx, job_id: int) -> bool:
    """Whether somebody asked to cancel a job."""
    return bool(tx.value("SELECT cancel_wanted FROM job WHERE id = %s", [job_id]))


def overdue_seconds(tx: Tx) -> int:
    """For how long the job that waits longest has been due; 0 where none is."""
    found = tx.value("SELECT TIMESTAMPDIFF(SECOND, MIN(run_after), UTC_TIMESTAMP(3)) FROM job WHERE state = 'waiting'")
    return max(0, int(found or 0))


def renew(tx: Tx, job_id: int, owner: str, lease_seconds: int) -> bool:
    """Prolong the lease; False where the job is no longer this owner's."""
    return (
        tx.run(
            """UPDATE job SET lease_until = UTC_TIMESTAMP(3) + INTERVAL %s SECOND
           WHERE id = %s AND lease_owner = %s AND state = 'running'""",
            [lease_seconds, job_id, owner],
        )
        == 1
    )


def report(tx: Tx, job_id: int, step: str, done: int, of: int) -> bool:
    """Write how far a job is; returns whether somebody asked to cancel it."""
    tx.run("UPDATE job SET step = %s, progress = %s, progress_of = %s WHERE id = %s", [step[:200], done, of, job_id])
    return is_cancelled(tx, job_id)


def end(tx: Tx, claimed: Claim, state: str, outcome: str, link: str = "") -> bool:
    """End a job; False where its lease went to another worker meanwhile."""
    return (
        tx.run(
            """UPDATE job SET state = %(state)s, outcome = %(outcome)s, ended_at = UTC_TIMESTAMP(3),
                  link = IF(%(link)s = '', link, %(link)s), lease_owner = NULL, lease_until = NULL
           WHERE id = %(id)s AND lease_owner = %(owner)s AND state = 'running'""",
            {
                "state": state,
                "outcome": outcome[:LONGEST_OUTCOME],
                "link": link,
                "id": claimed.job_id,
                "owner": claimed.owner,
            },
        )
        == 1
    )


def put_back(tx: Tx, claimed: Claim, wait: timedelta, outcome: str, *, counts_as_try: bool) -> bool:
    """Let a job wait and be taken up again later; False where its lease went to another worker."""
    return (
        tx.run(
            """UPDATE job SET state = 'waiting', run_after = UTC_TIMESTAMP(3) + INTERVAL %(wait)s MICROSECOND,
                  tries = tries - %(uncount)s, outcome = %(outcome)s, lease_owner = NULL, lease_until = NULL
           WHERE id = %(id)s AND lease_owner = %(owner)s AND state = 'running'""",
            {
                "wait": int(wait.total_seconds() * 1_000_000),
                "uncount": 0 if counts_as_try else 1,
                "outcome": outcome[:LONGEST_OUTCOME],
                "id": claimed.job_id,
                "owner": claimed.owner,
            },
        )
        == 1
    )


def set_moment(tx: Tx, job_id: int, moment: datetime) -> None:
    """Let a waiting job be taken up at a moment (UTC)."""
    tx.run("UPDATE job SET run_after = %s WHERE id = %s", [moment, job_id])


def want_cancel(tx: Tx, job_id: int) -> bool:
    """Cancel a waiting job at once, ask a running one to stop; False where it has ended."""
    waiting = tx.run(
        """UPDATE job SET state = 'cancelled', ended_at = UTC_TIMESTAMP(3), outcome = 'Cancelled before it began.'
           WHERE id = %s AND state = 'waiting'""",
        [job_id],
    )
    running = tx.run("UPDATE job SET cancel_wanted = TRUE WHERE id = %s AND state = 'running'", [job_id])
    return bool(waiting or running)


def is_open(tx: Tx, job_id: int, kind: str) -> bool:
    """Whether a job is of a kind and waits or runs; one that is not there any more is not."""
    sql = "SELECT 1 FROM job WHERE id = %s AND kind = %s AND state IN ('waiting', 'running')"
    return bool(tx.value(sql, [job_id, kind]))


def what(tx: Tx, job_id: int) -> tuple[str, dict[str, Any], str]:
    """Kind, payload and state of a job that is there."""
    row = tx.one("SELECT kind, payload, state FROM job WHERE id = %s", [job_id])
    assert row is not None
    return row["kind"], json.loads(row["payload"]), row["state"]


def restart(tx: Tx, job_id: int) -> bool:
    """Let a failed or cancelled job be tried from the beginning; False where it is in another state."""
    return (
        tx.run(
            """UPDATE job SET state = 'waiting', tries = 0, cancel_wanted = FALSE, run_after = UTC_TIMESTAMP(3),
                  outcome = '', step = '', progress = 0, progress_of = 0, begun_at = NULL, ended_at = NULL
           WHERE id = %s AND state IN ('failed', 'cancelled')""",
            [job_id],
        )
        == 1
    )


def prune(tx: Tx) -> int:
    """Forget jobs that ended well long ago; returns how many."""
    return tx.run(
        """DELETE FROM job WHERE state IN ('done', 'cancelled')
           AND ended_at < UTC_TIMESTAMP(3) - INTERVAL %s DAY LIMIT 100000""",
        [KEPT_DAYS],
    )
