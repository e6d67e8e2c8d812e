"""What history registers."""

from graupel.features.history import following, jobs
from graupel.jobs import handler


def register(language: str) -> None:
    """Its job, and the language in which those who follow change sets read records."""
    following.speak(language)
    handler("history.rollback")(jobs.rollback)
