"""Signing in and out, sessions, and tokens."""

import re
import secrets
from dataclasses import dataclass

from graupel.context import Context
from graupel.core.errors import NotAllowed, NotFound, NotSignedIn, Refused
from graupel.core.product_fields import one_line
from graupel.core.roles import Actor, Identity, Role
from graupel.db import DuplicateKey, Tx
from graupel.features.history import service as history
from graupel.features.users import access, passwords, second, store
from graupel.features.users.access import Visitor
from graupel.features.users.rows import SessionRow, SignedInRow, TokenListedRow, TokenUsedRow, UserRow
from graupel.sealing import SealBroken

#: How long one may type the code of a second factor after the password.
CODE_SECONDS = 600
TOKEN_DAYS = (30, 90, 365)


@dataclass(frozen=True)
class SignedIn:
    """Who is signed in, and what proves that a form came from our own page."""

    actor: Actor
    email: str
    session_id: str
    csrf: str


class CodeNeeded(NotSignedIn):
    """The password was right, and a second factor is to follow; ``ticket`` says so to the next step."""

    def __init__(self, ticket: str) -> None:
        super().__init__("Type the code that your app shows, or one of your recovery codes.")
        self.ticket = ticket


def add_user(ctx: Context, actor: Actor, email: str, name: str, role: Role, password: str) -> int:
    """A new person with a password; returns the id. Raises Refused."""
    actor.require(Role.OWNER)
    email = parse_email(email)
    passwords.check(password, email, name)
    name = one_line(name, 120, "A name", "name") or email
    hashed = passwords.hashed(password)

    def work(tx: Tx) -> int:
        with history.change_set(tx, actor, "user.add", f"Person added: {name}") as recorder:
            user_id = store.insert_user(tx, email, name, role, hashed)
            recorder.made("user", user_id, {"name": name, "email": email, "role": str(role)})
        return user_id

    try:
        return ctx.db.run(work)
    except DuplicateKey as error:
        raise Refused.because("email.taken", f"{email} can sign in already.", "email") from error


def parse_email(text: str) -> str:
    """An address as it is kept. Raises Refused."""
    email = text.strip().lower()
    if not re.fullmatch(r"[^@\s]+@[^@\s]+", email) or len(email) > 254:
        raise Refused.because("email.wrong", f"“{text.strip()[:80]}” is not an e-mail address.", "email")
    return email


def email_of(ctx: Context, user_id: int) -> str | None:
    """The address of a person; None where they are not there any more."""
    row = ctx.db.run(lambda tx: store.user_by_id(tx, user_id))
    return row["email"] if row and not row["ended_at"] else None


def addresses(ctx: Context, role: Role) -> dict[int, str]:
    """The addresses of all who have at least a role, by their ids."""
    rows = ctx.db.run(store.there)
    return {row["id"]: row["email"] for row in rows if Role(row["role"]).rank >= role.rank}


def actor_by_id(ctx: Context, user_id: int) -> Actor:
    """The actor that a person is. Raises NotFound."""
    row = ctx.db.run(lambda tx: store.user_by_id(tx, user_id))
    if row is None or row["ended_at"]:
        raise NotFound("This person is not here any more.")
    return Actor(row["id"], row["name"], Role(row["role"]))


def actor_by_email(ctx: Context, email: str) -> Actor:
    """The actor that a person is. Raises NotFound."""
    row = ctx.db.run(lambda tx: store.user_by_email(tx, email.strip().lower()))
    if row is None or row["ended_at"]:
        raise NotFound(f"Nobody signs in as {email}.")
    return Actor(row["id"], row["name"], Role(row["role"]))


def sign_in(ctx: Context, email: str, password: str, visitor: Visitor) -> str:
    """Begin a session; returns its secret.

    Raises NotSignedIn, CodeNeeded where a second factor is to follow, and TooManyTries.
    """
    email = email.strip().lower()[:254]
    user = ctx.db.run(lambda tx: store.user_by_email(tx, email))
    access.count_try(ctx, email, visitor, user["id"] if user else None)
    # A wrong name takes as long as a wrong password, so the time tells nobody which names exist.
    right = passwords.verify(password, user["password_hash"] if user and not user["ended_at"] else "")
    if user is None or not right:
        known = user["id"] if user else None
        ctx.db.run(lambda tx: access.note(tx, "refused", visitor, user_id=known, who=email))
        raise NotSignedIn("E-mail and password don't belong together. Check both and try again.")
    if user["second_secret"]:
        raise CodeNeeded(ctx.sealer.seal(f"code {user['id']}"))
    return _begin(ctx, user, visitor)


def finish_sign_in(ctx: Context, ticket: str, code: str, visitor: Visitor) -> str:
    """Begin the session of somebody who proves a second factor; returns its secret.

    Raises NotSignedIn, CodeNeeded where the code is wrong, and TooManyTries.
    """
    try:
        user_id = int(ctx.sealer.open(ticket, seconds=CODE_SECONDS).removeprefix("code "))
    except (SealBroken, ValueError) as error:
        raise NotSignedIn("This took too long. Sign in once more.") from error
    user = ctx.db.run(lambda tx: store.user_by_id(tx, user_id))
    if user is None or user["ended_at"] or not user["second_secret"]:
        raise NotSignedIn("Sign in once more.")
    access.count_try(ctx, user["email"], visitor, user_id)
    if not ctx.db.run(lambda tx: second.proves(ctx, tx, user, code)):
        ctx.db.run(lambda tx: access.note(tx, "refused_code", visitor, user_id=user_id, who=user["email"]))
        raise CodeNeeded(ticket)
    return _begin(ctx, user, visitor)


def _begin(ctx: Context, user: UserRow, visitor: Visitor) -> str:
    secret = secrets.token_urlsafe(32)
    session = {
        "token_hash": access.fingerprint(secret),
        "public_id": secrets.token_hex(8),
        "user_id": user["id"],
        "csrf": secrets.token_urlsafe(32),
        "agent": visitor.agent[:200],
        "origin": visitor.origin[:64],
        "hours": ctx.settings.session_hours,
        "days": ctx.settings.session_days,
    }

    def work(tx: Tx) -> None:
        store.delete_ended(tx)
        access.worked(tx, user["email"], visitor, user["id"])
        access.note(tx, "sign_in", visitor, user_id=user["id"], who=user["email"])
        store.insert_session(tx, session)

    ctx.db.run(work)
    return secret


def identify(ctx: Context, secret: str) -> SignedIn | None:
    """Who a session's secret belongs to; None where it has ended. Using a session prolongs it."""

    def work(tx: Tx) -> SignedInRow | None:
        row = store.session(tx, access.fingerprint(secret))
        if row and row["is_old"]:
            store.touch_session(tx, access.fingerprint(secret), ctx.settings.session_hours)
        return row

    row = ctx.db.run(work)
    if row is None:
        return None
    return SignedIn(Actor(row["user_id"], row["name"], Role(row["role"])), row["email"], row["public_id"], row["csrf"])


def identify_token(ctx: Context, secret: str) -> Actor:
    """The actor of an API token. Raises NotSignedIn."""

    def work(tx: Tx) -> TokenUsedRow | None:
        row = store.token(tx, access.fingerprint(secret))
        if row and row["is_old"]:
            store.touch_token(tx, row["id"])
        return row

    row = ctx.db.run(work)
    if row is None:
        raise NotSignedIn("This token is not known, was revoked, or has ended. Make one under Account.")
    return Actor(row["user_id"], f"token {row['name']}", list(Role)[row["rank"] - 1], row["id"])


def list_sessions(ctx: Context, signed: Identity) -> list[SessionRow]:
    """One's own sessions, the last used first."""
    return ctx.db.run(lambda tx: store.sessions_of(tx, int(signed.actor.user_id or 0)))


def end_session(ctx: Context, signed: Identity, public_id: str) -> None:
    """End one of one's own sessions. Raises NotFound."""
    if not ctx.db.run(lambda tx: store.delete_session(tx, int(signed.actor.user_id or 0), public_id)):
        raise NotFound("This session has ended already.")


def end_other_sessions(ctx: Context, signed: Identity, visitor: Visitor) -> int:
    """End all of one's own sessions but this one; returns how many."""
    user_id = int(signed.actor.user_id or 0)

    def work(tx: Tx) -> int:
        access.note(tx, "sessions_ended", visitor, actor=signed.actor, user_id=user_id)
        return store.delete_sessions(tx, user_id, signed.session_id)

    return ctx.db.run(work)


def change_password(ctx: Context, signed: Identity, old: str, new: str, visitor: Visitor) -> None:
    """Give oneself another password; all other sessions end. Raises Refused, TooManyTries."""
    prove(ctx, signed, old, visitor)
    user_id = int(signed.actor.user_id or 0)
    passwords.check(new, signed.email, signed.actor.name, field="new")
    hashed = passwords.hashed(new)

    def work(tx: Tx) -> None:
        store.update_user(tx, user_id, {"password_hash": hashed})
        store.delete_sessions(tx, user_id, signed.session_id)
        store.delete_links(tx, user_id)
        access.note(tx, "password", visitor, actor=signed.actor, user_id=user_id)

    ctx.db.run(work)


def prove(ctx: Context, signed: Identity, password: str, visitor: Visitor) -> None:
    """Raise Refused where this is not the password of who is signed in; TooManyTries after several."""
    user_id = int(signed.actor.user_id or 0)
    access.count_try(ctx, signed.email, visitor, user_id)
    user = ctx.db.run(lambda tx: store.user_by_id(tx, user_id))
    if user is None or not passwords.verify(password, user["password_hash"]):
        raise Refused.because("password.wrong", "This is not your password as it is now.", "old")
    ctx.db.run(lambda tx: access.worked(tx, signed.email, visitor, user_id))


def second_factor(ctx: Context, signed: Identity) -> int | None:
    """How many recovery codes are left of one's second factor; None where there is none."""
    user_id = int(signed.actor.user_id or 0)

    def work(tx: Tx) -> int | None:
        user = store.user_by_id(tx, user_id)
        return store.recovery_codes_left(tx, user_id) if user and user["second_secret"] else None

    return ctx.db.run(work)


def list_tokens(ctx: Context, actor: Actor) -> list[TokenListedRow]:
    """All tokens, without their secrets; the revoked last."""
    actor.require(Role.VIEWER)
    return ctx.db.run(store.tokens)


def make_token(ctx: Context, actor: Actor, name: str, role: Role, days: int = TOKEN_DAYS[-1]) -> str:
    """A new token of at most one's own role, for so many days; returns its secret, shown only this once.

    Raises Refused.
    """
    actor.require(Role.EDITOR)
    if actor.user_id is None:
        raise NotAllowed("A token belongs to a person.")
    if role.rank > actor.role.rank:
        raise NotAllowed(f"You are {actor.role} and can't give out a token with the role {role}.")
    name = one_line(name, 120, "A token's name", "name")
    if not name:
        raise Refused.because("name.missing", "Say what the token is for, such as Till in the shop.", "name")
    if days not in TOKEN_DAYS:
        raise Refused.because("token.days", "Choose how long the token holds.", "days")
    secret = f"grp_{secrets.token_urlsafe(32)}"
    user_id = actor.user_id

    def work(tx: Tx) -> None:
        with history.change_set(tx, actor, "token.make", f"Token made: {name}") as recorder:
            token_id = store.insert_token(tx, name, access.fingerprint(secret), role, user_id, days)
            recorder.made("token", token_id, {"name": name, "role": str(role)})
            access.note(tx, "token_made", Visitor(), actor=actor, user_id=user_id, detail=name)

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
                access.note(tx, "token_revoked", Visitor(), actor=actor, user_id=row["user_id"], detail=row["name"])

    ctx.db.run(work)
