"""Processes of Graupel that begin at once: they are forked from one that has imported it all.

Starting Python and importing the application takes seconds, and every test of the interface wants a server and a worker
of its own, because what they keep in memory belongs to one database.
"""

import multiprocessing
import os
from collections.abc import Mapping, Sequence
from multiprocessing.process import BaseProcess

_forks = multiprocessing.get_context("forkserver")
_forks.set_forkserver_preload(["graupel.cli", "graupel.main", "graupel.worker", "uvicorn", "tests.forks"])


def run(env: Mapping[str, str], command: Sequence[str]) -> None:
    """The command line of Graupel, in this process."""
    os.environ.update(env)
    from graupel.cli import app

    app(command)


def start(env: Mapping[str, str], command: Sequence[str]) -> BaseProcess:
    """The command in a process of its own, which ends with this one."""
    process = _forks.Process(target=run, args=(dict(env), list(command)), daemon=True)
    process.start()
    return process
