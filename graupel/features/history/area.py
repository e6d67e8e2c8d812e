"""What history registers."""

from datetime import time

from graupel.features.history import following, jobs, store
from graupel.jobs import handler, timekeeping


def register(language: str) -> None:
    """Its job, its tidying at night, and the language in which those who follow change sets read records."""
    following.speak(language)
    handler("history.rollback")(jobs.rollback)
    handler("history.plan")(jobs.plan)
    timekeeping.daily("recorded", "Shorten the list in which change sets ended", time(2, 10), store.prune_recorded)
