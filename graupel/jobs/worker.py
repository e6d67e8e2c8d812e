"""The worker: claims jobs, keeps their leases, and ends them well or badly."""

import threading
import time
import uuid

import structlog

from graupel.context import Context
from graupel.core import backoff
from graupel.core.errors import Cancelled, GraupelError, TryLater
from graupel.db import DatabaseUnavailable, Tx
from graupel.jobs import queue
from graupel.jobs.run import JobRun, LeaseLost, handlers, put_right

IDLE_SECONDS = 0.25
PRUNE_SECONDS = 3600

log = structlog.get_logger("worker")


class Worker:
    """Does one job at a time until it is told to stop."""

    def __init__(self, ctx: Context) -> None:
        self._ctx = ctx
        self._stop = threading.Event()
        self.owner = uuid.uuid4().hex

    def stop(self) -> None:
        """End after the job at hand."""
        self._stop.set()

    def run(self) -> None:
        """Work until stopped."""
        next_prune = 0.0
        while not self._stop.is_set():
            try:
                if time.monotonic() >= next_prune:
                    self._ctx.db.run(queue.prune)
                    next_prune = time.monotonic() + PRUNE_SECONDS
                worked = self.work_one()
            except DatabaseUnavailable:
                log.warning("database unavailable")
                worked = False
            if not worked:
                self._stop.wait(IDLE_SECONDS)

    def work_one(self) -> bool:
        """Claim one job and do it; False where nothing is due."""
        lease = self._ctx.settings.lease_seconds
        claimed = self._ctx.db.run(lambda tx: queue.claim(tx, self.owner, lease))
        if claimed is None:
            return False
        with _Heartbeat(self._ctx, claimed):
            self._do(claimed)
        return True

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
        self._ctx.db.run(lambda tx: queue.put_back(tx, claimed, wait, str(reason), counts_as_try=True))

    def _end(self, claimed: queue.Claim, state: str, outcome: str) -> None:
        def work(tx: Tx) -> None:
            if queue.end(tx, claimed, state, outcome):
                put_right(tx, claimed.kind, claimed.payload)

        self._ctx.db.run(work)


class _Heartbeat:
    """Prolongs a lease from a thread of its own while the job runs."""

    def __init__(self, ctx: Context, claimed: queue.Claim) -> None:
        self._ctx, self._claim = ctx, claimed
        self._done = threading.Event()
        self._thread = threading.Thread(target=self._beat, daemon=True)

    def __enter__(self) -> None:
        self._thread.start()

    def __exit__(self, *_: object) -> None:
        self._done.set()
        self._thread.join()

    def _beat(self) -> None:
        lease = self._ctx.settings.lease_seconds
        while not self._done.wait(lease / 3):
            try:
                mine = self._ctx.db.run(
                    lambda tx: queue.renew(tx, self._claim.job_id, self._claim.owner, lease), attempts=2
                )
            except DatabaseUnavailable:
                continue
            if not mine:
                return
