"""The worker: claims jobs, keeps their leases, and ends them well or badly."""

import threading
import time
import uuid
from collections.abc import Callable

import structlog

from graupel.context import Context
from graupel.core import backoff
from graupel.core.errors import Cancelled, GraupelError, TryLater
from graupel.db import DatabaseUnavailable, Tx
from graupel.jobs import queue, timekeeping
from graupel.jobs.run import JobRun, LeaseLost, handlers, put_right

IDLE_SECONDS = 0.25
#: After a fault of the database or of the worker itself it waits, twice as long after each, up to this.
LONGEST_REST = 15.0
#: So often a worker sees to it that what changes by the clock has a job that waits for it.
AWAKE_SECONDS = 300
#: So many jobs run at once, each of another kind: so none keeps the others from being done.
AT_ONCE = 4
#: A job that does not look whether it is cancelled is ended without it after so many looks at its lease.
LOOKS_AT_CANCEL = 2

log = structlog.get_logger("worker")


class Worker:
    """Does jobs until it is told to stop, whatever goes wrong with them or with the database."""

    def __init__(self, ctx: Context) -> None:
        self._ctx = ctx
        self._stop = threading.Event()
        self._ended = threading.Event()
        self._running: dict[str, threading.Thread] = {}
        self._faults = 0
        self.owner = uuid.uuid4().hex

    def stop(self) -> None:
        """End after the jobs at hand."""
        self._stop.set()
        self._ended.set()

    def run(self) -> None:
        """Work until stopped."""
        next_look = 0.0
        while not self._stop.is_set():
            try:
                if time.monotonic() >= next_look:
                    timekeeping.keep_awake(self._ctx)
                    next_look = time.monotonic() + AWAKE_SECONDS
                if not self._begin_one():
                    self._ended.wait(IDLE_SECONDS)
                    self._ended.clear()
                self._faults = 0
            except Exception as fault:
                self._rest(fault)
        for thread in list(self._running.values()):
            thread.join()

    def _begin_one(self) -> bool:
        """Claim a job of a kind that is not being done, and do it in a thread; False where nothing is to be begun."""
        if len(self._running) >= AT_ONCE:
            return False
        claimed = self._claim(list(self._running))
        if claimed is None:
            return False
        thread = threading.Thread(target=self._work, args=[claimed], name=claimed.kind)
        self._running[claimed.kind] = thread
        thread.start()
        return True

    def _work(self, claimed: queue.Claim) -> None:
        try:
            self._do_under_lease(claimed)
        except Exception as fault:
            # Nobody could be told; when its lease has run out the job is taken up again.
            log.error("job left to its lease", job=claimed.job_id, fault=str(fault))
        finally:
            del self._running[claimed.kind]
            self._ended.set()

    def _rest(self, fault: Exception) -> None:
        self._faults += 1
        log.error("worker rests", fault=str(fault), times=self._faults)
        self._stop.wait(min(LONGEST_REST, IDLE_SECONDS * 2**self._faults))

    def work_one(self) -> bool:
        """Claim one job and do it; False where nothing is due."""
        claimed = self._claim([])
        if claimed is None:
            return False
        self._do_under_lease(claimed)
        return True

    def _claim(self, without: list[str]) -> queue.Claim | None:
        lease = self._ctx.settings.lease_seconds
        return self._ctx.db.run(lambda tx: queue.claim(tx, self.owner, lease, without, self._ctx.ahead))

    def _do_under_lease(self, claimed: queue.Claim) -> None:
        with _Heartbeat(self._ctx, claimed, self._end):
            self._do(claimed)

    def _do(self, claimed: queue.Claim) -> None:
        run = JobRun(self._ctx, claimed)
        logged = log.bind(job=claimed.job_id, kind=claimed.kind, tries=claimed.tries)
        try:
            if claimed.tries > claimed.most_tries:
                raise GraupelError("Given up: the worker died over it each time.")
            handlers()[claimed.kind](run)
            if not run.closed:
                raise RuntimeError(f"the handler of {claimed.kind} did not end its job")
            logged.info("job done")
        except LeaseLost:
            logged.warning("job lost to another worker")
        except Cancelled as reason:
            self._end(claimed, "cancelled", str(reason))
        except (TryLater, DatabaseUnavailable) as reason:
            self._retry(claimed, reason)
            logged.info("job postponed", reason=str(reason))
        except GraupelError as reason:
            self._end(claimed, "failed", str(reason))
            logged.info("job failed", reason=str(reason))
        except Exception as fault:
            self._end(
                claimed,
                "failed",
                f"A fault in Graupel, not in your data ({type(fault).__name__}). "
                f"Nothing was changed. The log tells more under job {claimed.job_id}.",
            )
            logged.exception("job broke")

    def _retry(self, claimed: queue.Claim, reason: GraupelError) -> None:
        if claimed.tries >= claimed.most_tries:
            self._end(claimed, "failed", f"{reason} Given up after {claimed.tries} tries.")
            return
        wait = backoff.delay(claimed.tries, getattr(reason, "retry_after", 0))
        self._ctx.db.run(
            lambda tx: queue.put_back(tx, claimed, wait + self._ctx.ahead, str(reason), counts_as_try=True)
        )

    def _end(self, claimed: queue.Claim, state: str, outcome: str) -> None:
        def work(tx: Tx) -> None:
            if queue.end(tx, claimed, state, outcome):
                put_right(tx, claimed.kind, claimed.payload)

        self._ctx.db.run(work)


class _Heartbeat:
    """Prolongs a lease from a thread of its own while the job runs, and ends a job that does not hear of its end.

    What such a job still does is taken back: it can't finish what is no longer its own.
    """

    def __init__(self, ctx: Context, claimed: queue.Claim, end: Callable[[queue.Claim, str, str], None]) -> None:
        self._ctx, self._claim, self._end = ctx, claimed, end
        self._done = threading.Event()
        self._thread = threading.Thread(target=self._beat, daemon=True)

    def __enter__(self) -> None:
        self._thread.start()

    def __exit__(self, *_: object) -> None:
        self._done.set()
        self._thread.join()

    def _beat(self) -> None:
        looks = 0
        while not self._done.wait(min(self._ctx.settings.lease_seconds / 3, 5)):
            try:
                mine, cancelled = self._ctx.db.run(self._renew, attempts=2)
                looks += cancelled
                if mine and looks >= LOOKS_AT_CANCEL:
                    self._end(self._claim, "cancelled", "Cancelled. What it was doing is not written.")
                    return
            except Exception as fault:
                log.warning("lease not prolonged", job=self._claim.job_id, fault=str(fault))
                continue
            if not mine:
                return

    def _renew(self, tx: Tx) -> tuple[bool, bool]:
        """Whether the job is still ours, and whether somebody asked to cancel it."""
        claimed, lease = self._claim, self._ctx.settings.lease_seconds
        return queue.renew(tx, claimed.job_id, claimed.owner, lease), queue.is_cancelled(tx, claimed.job_id)
