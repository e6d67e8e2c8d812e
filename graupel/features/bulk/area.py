"""What bulk edits register."""

from graupel.features.bulk import jobs
from graupel.jobs import handler


def register(language: str) -> None:
    """Their job."""
    handler("bulk.apply")(jobs.apply)
