"""Rows of the area's tables, as its store reads them."""

from datetime import datetime
from typing import Any, TypedDict


class ImportFileRow(TypedDict):
    """A file that was brought in. ``shape``: how it is read, ``can_be``: what can be chosen of it instead; ``rules``:
    where each field comes from; ``overview``: what its dry run comes to; ``passed``: lines that are no rows, by why."""

    id: int
    name: str
    sha256: str
    bytes: int
    shape: dict[str, Any]
    can_be: dict[str, Any] | None
    headers: list[str]
    rules: list[dict[str, Any]]
    passed: dict[str, list[int]] | None
    go_live: int
    way: str
    among: str
    key_by: str
    rows_are: str
    leave_out: int
    state: str
    counts: dict[str, int] | None
    makes: list[list[Any]] | None
    overview: dict[str, Any] | None
    show_new: int
    revive: int
    only_lines: list[int] | None
    job_id: int | None
    picture_job_id: int | None
    change_set_id: int | None
    user_id: int | None
    actor: str
    counts_at: datetime
    profile_id: int | None
    made_at: datetime
    version: int


class ListedFileRow(ImportFileRow):
    """A file in the list. ``rolled_back_by``: the change set that took back what it brought in."""

    rolled_back_by: int | None


class HabitRow(TypedDict):
    """What was chosen last time for a column with this header; ``rule``: as JSON."""

    header: str
    field: str
    rule: str


class ExportFileRow(TypedDict):
    """A file that went out. ``query``: the address of the view whose goods it has, None for all; ``cut_count``: values
    that no cell could hold; ``bytes``: None while it is not written, and when it was thrown away; ``with_pictures``: it
    is a zip of the table and its pictures."""

    id: int
    name: str
    format: str
    with_pictures: int
    rows_are: str
    fields: list[str]
    query: str | None
    lens: str
    row_count: int | None
    cut_count: int
    bytes: int | None
    job_id: int | None
    user_id: int | None
    actor: str
    made_at: datetime


class OutletRow(TypedDict):
    """A file that goes by itself. ``query``: of the view whose goods it has, "" for all; ``reached``: up to when it was
    written; ``who``: the person for whom it is."""

    id: int
    name: str
    format: str
    with_pictures: int
    fields: list[str]
    query: str
    lens: str
    every: str
    minute: int
    person: str
    version: int
    reached: datetime
    written_at: datetime | None
    is_wrong: int
    said: str
    who: str


class ProfileRow(TypedDict):
    """Saved settings of files; ``rules``: JSON, as core.profiles keeps them."""

    id: int
    name: str
    rules: str
    go_live: int
    show_new: int
    revive: int
    way: str
    among: str
    key_by: str
    rows_are: str
    version: int


class BatchRecordRow(TypedDict):
    """What a row of a file of records would do; ``said``, ``was``, ``becomes`` and ``problems``: JSON."""

    batch_id: int
    line: int
    place: int
    action: str
    name: str
    record_kind: str | None
    record_id: int | None
    said: str
    was: str
    becomes: str
    problems: str | None


class FailedPictureRow(TypedDict):
    """A picture that could not be fetched, why, and where in the file it stands."""

    address: str
    said: str
    line: int
    sku: str


class SourceRow(TypedDict):
    """Where files come from by themselves, with the name of their profile, and whether the last one ``is_in``.

    ``person``: the address of the one for whom they are brought in, ``who`` the name; ``reached``: up to when it was
    looked for them at set times; ``said``: what came of looking last, ``is_asking`` where somebody has to look at it.
    """

    id: int
    name: str
    place: str
    profile_id: int | None
    every: str
    minute: int
    bound: int | None
    leave_out: int
    person: str
    version: int
    reached: datetime
    looked_at: datetime | None
    sha256: str | None
    file_id: int | None
    is_asking: int
    said: str
    profile: str | None
    is_in: int
    who: str
