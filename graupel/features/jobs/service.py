"""What runs in the background: seeing it, cancelling it, trying it again."""

from dataclasses import dataclass
from itertools import groupby
from typing import Any

from graupel.context import Context
from graupel.core.errors import NotFound, Refused
from graupel.core.roles import Actor, Role
from graupel.db import Tx
from graupel.features.jobs import store
from graupel.features.jobs.rows import JobRow
from graupel.jobs import queue
from graupel.jobs.run import put_right

SHOWN = 60


@dataclass(frozen=True)
class Board:
    """Jobs by what they do now, the newest first; ``asleep``: what wakes by the clock, the next one first."""

    running: list[dict[str, Any]]
    failed: list[dict[str, Any]]
    ended: list[dict[str, Any]]
    counts: dict[str, int]
    asleep: list[JobRow]

    @property
    def gathered(self) -> list[tuple[dict[str, Any], int]]:
        """What ended: of alike jobs that followed each other the newest, and how many there are."""
        alike = groupby(self.ended, key=lambda job: (job["title"], job["state"], job["outcome"], job["actor"]))
        together = [list(jobs) for _, jobs in alike]
        return [(jobs[0], len(jobs)) for jobs in together]


def board(ctx: Context, actor: Actor) -> Board:
    """All that runs or waits, what failed, and what ended lately."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> Board:
        return Board(
            [_shown(row) for row in store.by_state(tx, ("waiting", "running"), SHOWN)],
            [_shown(row) for row in store.by_state(tx, ("failed",), SHOWN)],
            [_shown(row) for row in store.ended(tx, SHOWN)],
            store.counts(tx),
            store.asleep(tx, SHOWN),
        )

    return ctx.db.run(work)


def read(ctx: Context, actor: Actor, job_id: int) -> dict[str, Any]:
    """One job, with ``left_s``: how long it will still take, in seconds, where that can be told. Raises NotFound."""
    actor.require(Role.VIEWER)
    row = ctx.db.run(lambda tx: store.read(tx, job_id))
    if row is None:
        raise NotFound(f"There is no job {job_id}.")
    return _shown(row)


def of(ctx: Context, actor: Actor, job_id: int | None) -> dict[str, Any] | None:
    """The job that a record names; None where it names none, or one that was forgotten since."""
    actor.require(Role.VIEWER)
    row = ctx.db.run(lambda tx: store.read(tx, job_id)) if job_id else None
    return _shown(row) if row else None


def _shown(row: JobRow) -> dict[str, Any]:
    left = None
    if row["state"] == "running" and row["progress"] and row["progress_of"] > row["progress"]:
        left = float(row["running_s"] or 0) * (row["progress_of"] - row["progress"]) / row["progress"]
    return row | {"left_s": left, "is_open": row["state"] in ("waiting", "running")}


def cancel(ctx: Context, actor: Actor, job_id: int) -> None:
    """Cancel a waiting job, or ask a running one to stop. Raises Refused where it has ended."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        if not queue.want_cancel(tx, job_id):
            raise Refused.because("job.ended", "This job has ended already.")
        kind, payload, state = queue.what(tx, job_id)
        if state == "cancelled":  # one that runs puts itself right when it stops
            put_right(tx, kind, payload)

    ctx.db.run(work)


def try_again(ctx: Context, actor: Actor, job_id: int) -> None:
    """Let a failed or cancelled job begin again. Raises Refused where it did not fail."""
    actor.require(Role.EDITOR)
    if not ctx.db.run(lambda tx: queue.restart(tx, job_id)):
        raise Refused.because("job.not_failed", "Only a job that failed or was cancelled can be tried again.")
