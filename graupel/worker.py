"""The worker's entry point."""

import signal

from graupel.context import Context
from graupel.jobs.worker import Worker


def run(ctx: Context) -> None:
    """Work until the process is asked to end; the job at hand is finished first."""
    worker = Worker(ctx)
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: worker.stop())
    worker.run()
