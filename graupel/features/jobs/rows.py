"""Rows of the area's tables, as its store reads them."""

from datetime import datetime
from typing import TypedDict


class JobRow(TypedDict):
    """A job, with what its page shows."""

    id: int
    kind: str
    title: str
    state: str
    run_after: datetime
    tries: int
    most_tries: int
    cancel_wanted: int
    step: str
    progress: int
    progress_of: int
    outcome: str
    link: str
    actor: str
    made_at: datetime
    begun_at: datetime | None
    ended_at: datetime | None
    running_s: float | None
    is_later: int
    now: datetime
