"""Signing in and out, sessions, and tokens."""

import hashlib
import re
import secrets
from dataclasses import dataclass
from functools import cache

from pwdlib import PasswordHash

from graupel.context import Context
from graupel.core.errors import NotAllowed, NotFound, NotSignedIn, Refused, TooManyTries
from graupel.core.product_fields import one_line
from graupel.core.roles import Actor, Identity, Role
from graupel.db import DuplicateKey, Tx
from graupel.features.history import service as history
from graupel.features.users import store
from graupel.features.users.rows import SessionRow, SignedInRow, TokenListedRow, TokenUsedRow

TRIES_BY_NAME = 5
TRIES_FROM_ORIGIN = 30
TRIES_MINUTES = 15
SHORTEST_PASSWORD = 10


@dataclass(frozen=True)
class SignedIn:
    """Who is signed in, and what proves that a form came from our own page."""

    actor: Actor
    email: str
    session_id: str
    csrf: str


@cache
def _hasher() -> PasswordHash:
    return PasswordHash.recommended()  # argon2id with the library's current parameters


@cache
def _nobodys_hash() -> str:
    return _hasher().hash(secrets.token_hex())


def _fingerprint(secret: str) -> str:
    # Tokens are long and random, so a plain hash keeps them as well as a slow one would.
    return hashlib.sha256(secret.encode()).hexdigest()


def add_user(ctx: Context, actor: Actor, email: str, name: str, role: Role, password: str) -> int:
    """A new person; returns the id. Raises Refused."""
    actor.require(Role.OWNER)
    email = email.strip().lower()
    if not re.fullmatch(r"[^@\s]+@[^@\s]+", email) or len(email) > 254:
        raise Refused.because("email.wrong", f"“{email}” is not an e-mail address.", "email")
    if len(password) < SHORTEST_PASSWORD:
        raise Refused.because("password.short", f"A password has at least {SHORTEST_PASSWORD} characters.", "password")
    name = one_line(name, 120, "A name", "name") or email
    hashed = _hasher().hash(password)

    def work(tx: Tx) -> int:
        with history.change_set(tx, actor, "user.add", f"Person added: {name}") as recorder:
            user_id = store.insert_user(tx, email, name, role, hashed)
            recorder.made("user", user_id, {"name": name, "email": email, "role": str(role)})
        return user_id

    try:
        return ctx.db.run(work)
    except DuplicateKey as error:
        raise Refused.because("email.taken", f"{email} can sign in already.", "email") from error


def actor_by_email(ctx: Context, email: str) -> Actor:
    """The actor that a person is. Raises NotFound."""
    row = ctx.db.run(lambda tx: store.user_by_email(tx, email.strip().lower()))
    if row is None:
        raise NotFound(f"Nobody signs in as {email}.")
    return Actor(row["id"], row["name"], Role(row["role"]))


def sign_in(ctx: Context, email: str, password: str, origin: str, agent: str) -> str:
    """Begin a session; returns its secret. Raises NotSignedIn, and TooManyTries after repeated failures."""
    email = email.strip().lower()[:254]
    ctx.db.run(lambda tx: _refuse_too_many(tx, email, origin))
    user = ctx.db.run(lambda tx: store.user_by_email(tx, email))
    # A wrong name takes as long as a wrong password, so the time tells nobody which names exist.
    right = _hasher().verify(password, user["password_hash"] if user else _nobodys_hash())
    if user is None or not right:
        ctx.db.run(lambda tx: store.insert_failed_try(tx, email, origin[:64]))
        raise NotSignedIn("E-mail and password don't belong together. Check both and try again.")
    secret = secrets.token_urlsafe(32)
    session = {
        "token_hash": _fingerprint(secret),
        "public_id": secrets.token_hex(8),
        "user_id": user["id"],
        "csrf": secrets.token_urlsafe(32),
        "agent": agent[:200],
        "hours": ctx.settings.session_hours,
    }

    def work(tx: Tx) -> None:
        store.delete_ended(tx)
        store.forget_failed_tries(tx, email)
        store.insert_session(tx, session)

    ctx.db.run(work)
    return secret


def _refuse_too_many(tx: Tx, email: str, origin: str) -> None:
    tries = store.failed_tries(tx, email, origin[:64], TRIES_MINUTES)
    if tries["by_name"] >= TRIES_BY_NAME or tries["from_origin"] >= TRIES_FROM_ORIGIN:
        wait = max(1, TRIES_MINUTES * 60 - int(tries["oldest"]))
        raise TooManyTries(f"Too many failed tries. Wait {-(-wait // 60)} minutes, then try again.", wait)


def identify(ctx: Context, secret: str) -> SignedIn | None:
    """Who a session's secret belongs to; None where it has ended. Using a session prolongs it."""

    def work(tx: Tx) -> SignedInRow | None:
        row = store.session(tx, _fingerprint(secret))
        if row and row["is_old"]:
            store.touch_session(tx, _fingerprint(secret), ctx.settings.session_hours)
        return row

    row = ctx.db.run(work)
    if row is None:
        return None
    return SignedIn(Actor(row["user_id"], row["name"], Role(row["role"])), row["email"], row["public_id"], row["csrf"])


def identify_token(ctx: Context, secret: str) -> Actor:
    """The actor of an API token. Raises NotSignedIn."""

    def work(tx: Tx) -> TokenUsedRow | None:
        row = store.token(tx, _fingerprint(secret))
        if row and row["is_old"]:
            store.touch_token(tx, row["id"])
        return row

    row = ctx.db.run(work)
    if row is None:
        raise NotSignedIn("This token is not known or was revoked. Make one under Account.")
    return Actor(row["user_id"], f"token {row['name']}", Role(row["role"]), row["id"])


def list_sessions(ctx: Context, signed: Identity) -> list[SessionRow]:
    """One's own sessions, the last used first."""
    return ctx.db.run(lambda tx: store.sessions_of(tx, int(signed.actor.user_id or 0)))


def end_session(ctx: Context, signed: Identity, public_id: str) -> None:
    """End one of one's own sessions. Raises NotFound."""
    if not ctx.db.run(lambda tx: store.delete_session(tx, int(signed.actor.user_id or 0), public_id)):
        raise NotFound("This session has ended already.")


def list_tokens(ctx: Context, actor: Actor) -> list[TokenListedRow]:
    """All tokens, without their secrets; the revoked last."""
    actor.require(Role.VIEWER)
    return ctx.db.run(store.tokens)


def make_token(ctx: Context, actor: Actor, name: str, role: Role) -> str:
    """A new token of at most one's own role; returns its secret, which is shown only this once. Raises Refused."""
    actor.require(Role.EDITOR)
    if actor.user_id is None:
        raise NotAllowed("A token belongs to a person.")
    if role.rank > actor.role.rank:
        raise NotAllowed(f"You are {actor.role} and can't give out a token with the role {role}.")
    name = one_line(name, 120, "A token's name", "name")
    if not name:
        raise Refused.because("name.missing", "Say what the token is for, such as Till in the shop.", "name")
    secret = f"grp_{secrets.token_urlsafe(32)}"
    user_id = actor.user_id

    def work(tx: Tx) -> None:
        with history.change_set(tx, actor, "token.make", f"Token made: {name}") as recorder:
            token_id = store.insert_token(tx, name, _fingerprint(secret), role, user_id)
            recorder.made("token", token_id, {"name": name, "role": str(role)})

    ctx.db.run(work)
    return secret


def revoke_token(ctx: Context, actor: Actor, token_id: int) -> None:
    """End a token: one's own, or as owner any. Raises NotFound, NotAllowed."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        row = store.token_by_id(tx, token_id)
        if row is None:
            raise NotFound("There is no such token.")
        if row["user_id"] != actor.user_id:
            actor.require(Role.OWNER)
        if row["revoked_at"] is None:
            with history.change_set(tx, actor, "token.revoke", f"Token revoked: {row['name']}") as recorder:
                store.revoke_token(tx, token_id)
                recorder.removed("token", token_id, {"name": row["name"], "role": row["role"]}, 2)

    ctx.db.run(work)
