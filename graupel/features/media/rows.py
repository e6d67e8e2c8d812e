"""Rows of the area's tables, as its store reads them."""

from datetime import datetime
from typing import NotRequired, TypedDict


class MediaRow(TypedDict):
    """A file of the library; with ``poster_sha`` where its poster was asked for too."""

    id: int
    kind: str
    sha256: str
    file_name: str
    format: str
    bytes: int
    width: int
    height: int
    made_at: datetime
    address: str | None
    poster_id: int | None
    border_white: int | None
    duration_ms: int | None
    sizes: str
    version: int
    poster_sha: NotRequired[str | None]


class WaitingMediaRow(TypedDict):
    """A file whose sizes are to be made."""

    id: int
    kind: str
    sha256: str
    file_name: str
