"""What media register."""

from graupel.features.media import jobs, kinds
from graupel.jobs import handler


def register(language: str) -> None:
    """Files, and the jobs that make their sizes and posters."""
    kinds.register_kinds()
    handler("media.sizes")(jobs.make_sizes)
    handler("media.poster")(jobs.make_poster)


finish = kinds.finish_kinds
