"""What jobs register."""

from datetime import time

from graupel.db import acts, forget_marks
from graupel.jobs import queue, timekeeping


def register(language: str) -> None:
    """Tidying up at night: jobs that ended long ago; marks of transactions and answers that nobody asks for."""
    timekeeping.daily("jobs", "Forget jobs that ended well long ago", time(2, 0), queue.prune)
    timekeeping.daily("marks", "Forget marks of finished transactions", time(2, 5), forget_marks)
    timekeeping.daily("acts", "Forget the answers to acts that nobody repeats", time(2, 10), acts.forget)
