"""What history registers."""

from datetime import time

from graupel.core.declarations.history import KEEPING
from graupel.features.history import following, jobs, keeping, records, store
from graupel.features.history.records import RecordKind, Shown
from graupel.jobs import handler, timekeeping


def register(language: str) -> None:
    """Its job, its tidying at night, and the language in which those who follow change sets read records."""
    following.speak(language)
    handler("history.rollback")(jobs.rollback)
    handler("history.plan")(jobs.plan)
    handler(keeping.KIND)(keeping.thin)
    timekeeping.daily("thin", "Thin the record", time(2, 30), keeping.wake)
    records.register(
        RecordKind(KEEPING, lambda tx, ids: {key: Shown(KEEPING.label, "/history/keeping") for key in ids})
    )
    timekeeping.daily("recorded", "Shorten the list in which change sets ended", time(2, 10), store.prune_recorded)
