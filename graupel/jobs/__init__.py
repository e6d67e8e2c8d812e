"""Work in the background: a queue in the database, and the worker that empties it."""

from graupel.jobs.queue import JobRequest, Urgency, enqueue, enqueue_once
from graupel.jobs.run import JobRun, handler, handlers

__all__ = ["JobRequest", "JobRun", "Urgency", "enqueue", "enqueue_once", "handler", "handlers"]
