"""Rows of the area's tables, as its store reads them."""

from datetime import datetime
from typing import Any, TypedDict


class ChangeSetRow(TypedDict):
    """A change set."""

    id: int
    kind: str
    title: str
    user_id: int | None
    actor: str
    made_at: datetime
    records: int
    rolls_back: int | None
    rolled_back_by: int | None
    thinned: int
    part_of: int | None


class KeepingRow(TypedDict):
    """For how many days the record is kept, by what it is of; None for ever."""

    id: int
    flow_days: int | None
    large_days: int | None
    rest_days: int | None
    version: int


class TrailRow(TypedDict):
    """A change set that touched a record."""

    id: int
    title: str
    actor: str
    made_at: datetime
    kind: str


class ChangeRow(TypedDict):
    """A row of the journal."""

    record_kind: str
    record_id: int
    version: int
    was: dict[str, Any] | None
    became: dict[str, Any] | None


class StepRow(ChangeRow):
    """A row of the journal with the moment at which its change set began."""

    change_set_id: int
    made_at: datetime


class PackRow(TypedDict):
    """A pack of records that a change set made, without what it holds of them."""

    record_kind: str
    first_id: int
    records: int


class KindCountRow(TypedDict):
    """How many records of a kind a change set made, removed and changed."""

    record_kind: str
    made: int
    removed: int
    changed: int
