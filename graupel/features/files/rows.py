"""Rows of the area's tables, as its store reads them."""

from datetime import datetime
from typing import Any, TypedDict


class ImportFileRow(TypedDict):
    """A file that was brought in."""

    id: int
    name: str
    sha256: str
    bytes: int
    encoding: str
    delimiter: str
    headers: list[str]
    columns: dict[str, int]
    go_live: int
    leave_out: int
    state: str
    counts: dict[str, int]
    makes: list[list[Any]] | None
    show_new: int
    only_lines: list[int] | None
    job_id: int | None
    change_set_id: int | None
    user_id: int | None
    actor: str
    counts_at: datetime
    made_at: datetime
    version: int


class ListedFileRow(ImportFileRow):
    """A file in the list. ``rolled_back_by``: the change set that took back what it brought in."""

    rolled_back_by: int | None
