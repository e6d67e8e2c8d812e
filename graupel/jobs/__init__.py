"""Work in the background: a queue in the database, and the worker that empties it."""

from graupel.jobs.queue import JobRequest, enqueue
from graupel.jobs.run import JobRun, handler, handlers

__all__ = ["JobRequest", "JobRun", "enqueue", "handler", "handlers"]
