"""What jobs register."""

from datetime import time

from graupel.db import forget_marks
from graupel.jobs import queue, timekeeping


def register(language: str) -> None:
    """Tidying up at night: jobs that ended long ago, and marks of transactions that nobody asks for any more."""
    timekeeping.daily("jobs", "Forget jobs that ended well long ago", time(2, 0), queue.prune)
    timekeeping.daily("marks", "Forget marks of finished transactions", time(2, 5), forget_marks)
