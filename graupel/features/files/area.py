"""What files register."""

from graupel.features.files import service
from graupel.jobs import handler


def register(language: str) -> None:
    """The dry run and the applying of a file, in the background."""
    handler("files.plan")(service.plan)
    handler("files.apply")(service.apply)
