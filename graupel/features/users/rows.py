"""Rows of the area's tables, as its store reads them."""

from datetime import datetime
from decimal import Decimal
from typing import TypedDict


class SessionRow(TypedDict):
    """A session as its owner sees it."""

    public_id: str
    agent: str
    created_at: datetime
    seen_at: datetime


class TriesRow(TypedDict):
    """How often somebody tried to sign in."""

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


class TokenListedRow(TypedDict):
    """A token as it is listed."""

    id: int
    name: str
    role: str
    created_at: datetime
    used_at: datetime | None
    revoked_at: datetime | None
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
    role: str
    user_id: int
    is_old: int
