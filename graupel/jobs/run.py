"""One run of a job: what its handler is given."""

import time
from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any

from graupel.context import Context
from graupel.core.errors import Cancelled, GraupelError
from graupel.core.roles import Actor
from graupel.db import Tx
from graupel.jobs import queue

Handler = Callable[["JobRun"], None]
#: Called with the job's payload in the transaction that ends it badly.
Failed = Callable[[Tx, dict[str, Any]], None]
#: For so long nothing more is told of a step; pages ask every 0.6 seconds.
QUIET_SECONDS = 0.25
_HANDLERS: dict[str, Handler] = {}
_FAILED: dict[str, Failed] = {}


class LeaseLost(GraupelError):
    """The job was given to another worker; what this one did is taken back."""


def handler(kind: str, *, failed: Failed | None = None) -> Callable[[Handler], Handler]:
    """Register the function that does jobs of this kind, and what to put right where one fails or is cancelled."""

    def register(function: Handler) -> Handler:
        _HANDLERS[kind] = function
        if failed:
            _FAILED[kind] = failed
        return function

    return register


def handlers() -> dict[str, Handler]:
    """The registered handlers by kind."""
    return _HANDLERS


def put_right(tx: Tx, kind: str, payload: dict[str, Any]) -> None:
    """After a job failed or was cancelled: what its kind wants put right."""
    if kind in _FAILED:
        _FAILED[kind](tx, payload)


class JobRun:
    """What a handler works with.

    A handler must call ``finish`` or ``again`` in the very transaction that writes its effect: so
    the effect and the end of the job are one, and nothing is applied twice.
    """

    def __init__(self, ctx: Context, claimed: queue.Claim) -> None:
        self.ctx = ctx
        self._claim = claimed
        self.closed = False
        self._said, self._quiet_until = "", 0.0

    @property
    def job_id(self) -> int:
        """The job's id."""
        return self._claim.job_id

    @property
    def payload(self) -> dict[str, Any]:
        """What was asked for."""
        return self._claim.payload

    @property
    def actor(self) -> Actor:
        """On whose behalf it runs."""
        return self._claim.actor

    def progress(self, step: str, done: int = 0, of: int = 0) -> None:
        """Say how far it is, outside the handler's transaction; raises Cancelled where that is wanted.

        Of the same step no oftener than somebody looks: each time is a transaction that waits for the disk.
        """
        if step == self._said and time.monotonic() < self._quiet_until:
            return
        self._said, self._quiet_until = step, time.monotonic() + QUIET_SECONDS
        if self.ctx.db.run(lambda tx: queue.report(tx, self.job_id, step, done, of)):
            raise Cancelled("Cancelled. Nothing was changed.")

    def finish(self, tx: Tx, outcome: str, link: str = "") -> None:
        """End the job well within ``tx``. Raises LeaseLost, so that ``tx`` is rolled back."""
        self._own(queue.end(tx, self._claim, "done", outcome, link))

    def again(self, tx: Tx, wait: timedelta, outcome: str) -> None:
        """Take the job up again later, within ``tx``; this run does not count as a try."""
        self._own(queue.put_back(tx, self._claim, wait + self.ctx.ahead, outcome, counts_as_try=False))

    def again_at(self, tx: Tx, moment: datetime, outcome: str) -> None:
        """Take the job up again at a moment (UTC), within ``tx``."""
        self.again(tx, timedelta(0), outcome)
        queue.set_moment(tx, self.job_id, moment)

    def _own(self, still_mine: bool) -> None:
        if not still_mine:
            raise LeaseLost("another worker has taken this job over")
        self.closed = True
