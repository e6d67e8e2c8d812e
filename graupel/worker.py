"""The worker's entry point."""

import os
import signal

from graupel.context import Context
from graupel.jobs.worker import Worker

#: By how much a worker stands behind whoever answers people on the same machine (nice, POSIX); alone it has it all.
NICER = 5


def run(ctx: Context) -> None:
    """Work until the process is asked to end; the job at hand is finished first."""
    os.nice(NICER)
    worker = Worker(ctx)
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: worker.stop())
    worker.run()
