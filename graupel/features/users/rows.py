"""Rows of the area's tables, as its store reads them."""

from datetime import datetime
from decimal import Decimal
from typing import TypedDict


class SessionRow(TypedDict):
    """A session as its owner sees it."""

    public_id: str
    agent: str
    origin: str
    created_at: datetime
    seen_at: datetime


class TriesRow(TypedDict):
    """How often somebody tried to sign in: by a name from one place, by it from anywhere, and from that place."""

    by_name_here: Decimal
    by_name: Decimal
    from_origin: Decimal
    oldest: int


class UserRow(TypedDict):
    """A person."""

    id: int
    email: str
    name: str
    role: str
    password_hash: str
    created_at: datetime
    ended_at: datetime | None
    second_secret: str
    second_step: int
    version: int


class PersonRow(TypedDict):
    """A person as owners see them. ``link_ends_at``: until when a link for a password can be used."""

    id: int
    email: str
    name: str
    role: str
    created_at: datetime
    ended_at: datetime | None
    has_password: int
    has_second: int
    sessions: int
    seen_at: datetime | None
    link_ends_at: datetime | None


class AccessRow(TypedDict):
    """One entry of the record of sign-ins and rights."""

    id: int
    at: datetime
    kind: str
    who: str
    origin: str
    agent: str
    detail: str
    actor: str | None
    user_id: int | None
    person: str | None


class TokenListedRow(TypedDict):
    """A token as it is listed."""

    id: int
    name: str
    role: str
    created_at: datetime
    used_at: datetime | None
    revoked_at: datetime | None
    ends_at: datetime | None
    is_over: int
    user_id: int
    made_by: str


class TokenRow(TypedDict):
    """A token."""

    id: int
    name: str
    token_hash: str
    role: str
    user_id: int
    created_at: datetime
    used_at: datetime | None
    revoked_at: datetime | None
    ends_at: datetime | None


class SignedInRow(TypedDict):
    """A session and whose it is."""

    public_id: str
    csrf: str
    user_id: int
    name: str
    email: str
    role: str
    is_old: int


class TokenUsedRow(TypedDict):
    """A token that a program shows."""

    id: int
    name: str
    rank: int
    user_id: int
    is_old: int
