"""What changes when only time passes: one mechanism that wakes at the next boundary.

An area tells when its next boundary is and what is to be done there. A job sleeps until then; what is done, and how far
time has been played, are written in one transaction. So a worker that was killed or late catches up: every boundary in
its order, each once.
"""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime, time

from graupel.context import Context
from graupel.core.roles import SYSTEM
from graupel.core.schedules import next_daily
from graupel.db import Tx
from graupel.jobs.queue import JobRequest, Urgency, enqueue
from graupel.jobs.run import JobRun, handler

#: Time goes on by itself, so it is tried for long; after that, keep_awake begins anew.
MOST_TRIES = 50


@dataclass(frozen=True)
class Timed:
    """Something of an area that changes by the clock.

    ``next_after`` gives the first boundary beyond a moment (UTC), None where there is none; ``arrive`` does what is to
    be done at a boundary, and may be late. ``each`` False: of boundaries that were missed only the last counts.
    """

    name: str
    title: str
    next_after: Callable[[Context, Tx, datetime], datetime | None]
    arrive: Callable[[Context, Tx, datetime], None]
    each: bool = True
    urgency: Urgency = Urgency.OFFERS

    @property
    def kind(self) -> str:
        """The kind of its job."""
        return f"time.{self.name}"


_TIMED: dict[str, Timed] = {}


def register(timed: Timed) -> None:
    """Make something that changes by the clock known."""
    _TIMED[timed.name] = timed
    handler(timed.kind)(lambda run: _play(timed, run))


def daily(name: str, title: str, at: time, work: Callable[[Tx], object]) -> None:
    """Have something done every day at this time in the shop's time zone; a day that was missed is not made up for."""
    register(
        Timed(
            name,
            title,
            lambda ctx, tx, after: next_daily(after, at, ctx.settings.time_zone),
            lambda ctx, tx, moment: _ignore(work(tx)),
            each=False,
            urgency=Urgency.REST,
        )
    )


def _ignore(_: object) -> None:
    """What work says of itself is not needed."""


def keep_awake(ctx: Context) -> None:
    """See to it that each has a job that waits for its next boundary; asked by every worker now and then."""

    def work(tx: Tx) -> None:
        for timed in _TIMED.values():
            if not _is_in(tx, timed, ("waiting", "running")):
                _sleep_until(tx, timed, ctx.now(tx))

    ctx.db.run(work)


def plan(ctx: Context, tx: Tx, name: str, moment: datetime) -> None:
    """Wake at ``moment`` at the latest: called by an area, in its transaction, when it made a boundary that lies ahead.

    What is due already it does itself.
    """
    timed = _TIMED[name]
    _begin(ctx, tx, timed)  # holds the clock, so that no job goes to sleep at this moment without having seen it
    _sleep_at_most_until(tx, timed, moment)


def wake(tx: Tx, name: str, moment: datetime) -> None:
    """The same for followers of a change set, which know no more than the transaction; ``moment``: naive UTC."""
    timed = _TIMED[name]
    tx.run("INSERT IGNORE INTO clock (name, reached) VALUES (%s, UTC_TIMESTAMP(3))", [name])
    tx.value("SELECT reached FROM clock WHERE name = %s FOR UPDATE", [name])
    _sleep_at_most_until(tx, timed, moment)


def _sleep_at_most_until(tx: Tx, timed: Timed, moment: datetime) -> None:
    if _is_in(tx, timed, ("waiting",)):
        tx.run(
            "UPDATE job SET run_after = LEAST(run_after, %s) WHERE kind = %s AND state = 'waiting'",
            [moment, timed.kind],
        )
    else:
        _sleep_until(tx, timed, moment)


def _is_in(tx: Tx, timed: Timed, states: tuple[str, ...]) -> bool:
    """Whether a job of it is in one of these states."""
    return bool(tx.value("SELECT 1 FROM job WHERE kind = %s AND state IN %s LIMIT 1", [timed.kind, states]))


def _sleep_until(tx: Tx, timed: Timed, moment: datetime) -> None:
    enqueue(
        tx, SYSTEM, JobRequest(timed.kind, timed.title, most_tries=MOST_TRIES, urgency=timed.urgency, run_after=moment)
    )


def _play(timed: Timed, run: JobRun) -> None:
    """Go from boundary to boundary until the next one lies ahead."""
    while run.ctx.db.run(lambda tx: _step(timed, run, tx)):
        pass


def _step(timed: Timed, run: JobRun, tx: Tx) -> bool:
    """One boundary; False where none is due any more and the job was ended or put to sleep."""
    ctx = run.ctx
    reached, now = _begin(ctx, tx, timed), ctx.now(tx)
    moment = timed.next_after(ctx, tx, reached)
    while moment is not None and not timed.each and (later := timed.next_after(ctx, tx, moment)) and later <= now:
        moment = later
    if moment is None or moment > now:
        if moment is None or _is_in(tx, timed, ("waiting",)):
            run.finish(tx, "Nothing else is planned.")
        else:
            run.again_at(tx, moment, "Sleeps until its next moment.")
        return False
    tx.run("UPDATE clock SET reached = %s WHERE name = %s", [moment, timed.name])  # what is done there may ask
    timed.arrive(ctx, tx, moment)
    return True


def _begin(ctx: Context, tx: Tx, timed: Timed) -> datetime:
    """How far time has been played, locked; from now on where it was not begun yet."""
    tx.run("INSERT IGNORE INTO clock (name, reached) VALUES (%s, %s)", [timed.name, ctx.now(tx)])
    found = tx.value("SELECT reached FROM clock WHERE name = %s FOR UPDATE", [timed.name])
    assert isinstance(found, datetime)
    return found.replace(tzinfo=UTC)
