"""Rows of the area's tables, as its store reads them."""

from datetime import datetime
from typing import Any, TypedDict


class PreparedRow(TypedDict):
    """A prepared change."""

    id: int
    title: str
    kind: str
    refers: int | None
    given: str | None
    state: str
    made_by: int | None
    maker: str
    made_at: datetime
    word: str
    decided_by: int | None
    decider: str
    role: str
    decided_at: datetime | None
    reply: str
    apply_at: datetime | None
    change_set_id: int | None
    job_id: int | None
    version: int


class WantedRow(TypedDict):
    """What it would write of a record."""

    record_kind: str
    record_id: int
    was: dict[str, Any] | None
    became: dict[str, Any] | None
