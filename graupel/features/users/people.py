"""The people of a shop, as its owners keep them: invited, given a role, let in again, taken out."""

import secrets

from graupel.context import Context
from graupel.core.errors import NotFound, Refused
from graupel.core.product_fields import one_line
from graupel.core.roles import Actor, Role
from graupel.db import Tx
from graupel.features.history import service as history
from graupel.features.users import access, passwords, second, store
from graupel.features.users.access import Visitor, fingerprint
from graupel.features.users.rows import PersonRow, UserRow
from graupel.features.users.service import parse_email

LINK_HOURS = 48


def listed(ctx: Context, actor: Actor) -> list[PersonRow]:
    """Everybody who can sign in, or could once."""
    actor.require(Role.OWNER)
    return ctx.db.run(store.people)


def invite(ctx: Context, actor: Actor, email: str, name: str, role: Role, visitor: Visitor) -> str:
    """Let somebody choose a password; returns the secret of the link, to be passed on. Raises Refused.

    Somebody who was taken out can be invited again: it is the same person.
    """
    actor.require(Role.OWNER)
    email = parse_email(email)
    name = one_line(name, 120, "A name", "name") or email.partition("@")[0]
    secret = secrets.token_urlsafe(32)

    def work(tx: Tx) -> None:
        there = store.user_by_email(tx, email)
        if there and not there["ended_at"]:
            raise Refused.because("email.taken", f"{email} is {there['name']}, who is here already.", "email")
        with history.change_set(tx, actor, "user.add", f"Person invited: {name}") as recorder:
            values = {"name": name, "email": email, "role": str(role)}
            if there:
                store.update_user(tx, there["id"], {**values, "ended_at": None})
                before = {"name": there["name"], "email": there["email"], "role": None}
                recorder.changed("user", there["id"], before, values, there["version"] + 1)
            user_id = there["id"] if there else store.insert_user(tx, email, name, role, "")
            if not there:
                recorder.made("user", user_id, values)
        store.insert_link(tx, fingerprint(secret), user_id, LINK_HOURS)
        access.note(tx, "invited", visitor, actor=actor, user_id=user_id, detail=str(role))

    ctx.db.run(work)
    return secret


def make_link(ctx: Context, actor: Actor, user_id: int, visitor: Visitor) -> str:
    """A link by which somebody chooses a new password; the old one holds until then. Raises NotFound."""
    actor.require(Role.OWNER)
    secret = secrets.token_urlsafe(32)

    def work(tx: Tx) -> None:
        _here(tx, user_id)
        store.insert_link(tx, fingerprint(secret), user_id, LINK_HOURS)
        access.note(tx, "reset", visitor, actor=actor, user_id=user_id)

    ctx.db.run(work)
    return secret


def of_link(ctx: Context, secret: str) -> UserRow:
    """Who may choose a password by this link. Raises NotFound."""

    def work(tx: Tx) -> UserRow:
        found = store.link_owner(tx, fingerprint(secret))
        row = store.user_by_id(tx, found) if found else None
        if row is None or row["ended_at"]:
            raise NotFound("This link was used already, or has ended. Ask an owner of the shop for a new one.")
        return row

    return ctx.db.run(work)


def use_link(ctx: Context, secret: str, password: str, visitor: Visitor) -> str:
    """Choose a password by a link, which ends; all sessions do too. Returns the address. Raises Refused, NotFound."""
    user = of_link(ctx, secret)
    passwords.check(password, user["email"], user["name"])
    hashed = passwords.hashed(password)

    def work(tx: Tx) -> None:
        if store.link_owner(tx, fingerprint(secret), lock=True) != user["id"]:
            raise NotFound("This link was used already. Sign in, or ask for a new one.")
        store.update_user(tx, user["id"], {"password_hash": hashed})
        store.delete_links(tx, user["id"])
        store.delete_sessions(tx, user["id"])
        access.note(tx, "password" if user["password_hash"] else "joined", visitor, user_id=user["id"])

    ctx.db.run(work)
    return user["email"]


def change_role(ctx: Context, actor: Actor, user_id: int, role: Role, visitor: Visitor) -> None:
    """Give somebody another role. One owner at least stays. Raises Refused, NotFound."""
    actor.require(Role.OWNER)

    def work(tx: Tx) -> None:
        row = _here(tx, user_id)
        if role is not Role.OWNER:
            _refuse_last_owner(tx, user_id)
        with history.change_set(tx, actor, "user.role", f"{row['name']} is {role} now") as recorder:
            if recorder.changed("user", user_id, {"role": row["role"]}, {"role": str(role)}, row["version"] + 1):
                store.update_user(tx, user_id, {"role": str(role)})
                access.note(tx, "role", visitor, actor=actor, user_id=user_id, detail=f"{row['role']} → {role}")

    ctx.db.run(work)


def take_out(ctx: Context, actor: Actor, user_id: int, visitor: Visitor) -> None:
    """Let somebody in no more: sessions, tokens and links end; what they did keeps their name.

    One owner at least stays. Raises Refused, NotFound.
    """
    actor.require(Role.OWNER)

    def work(tx: Tx) -> None:
        row = _here(tx, user_id)
        _refuse_last_owner(tx, user_id)
        with history.change_set(tx, actor, "user.end", f"Person taken out: {row['name']}") as recorder:
            recorder.removed("user", user_id, {"name": row["name"], "role": row["role"]}, row["version"] + 1)
            store.end_user(tx, user_id)
        access.note(tx, "taken_out", visitor, actor=actor, user_id=user_id)

    ctx.db.run(work)


def end_sessions(ctx: Context, actor: Actor, user_id: int, visitor: Visitor) -> int:
    """Sign somebody out everywhere; returns of how many sessions. Raises NotFound."""
    actor.require(Role.OWNER)

    def work(tx: Tx) -> int:
        _here(tx, user_id)
        access.note(tx, "sessions_ended", visitor, actor=actor, user_id=user_id)
        return store.delete_sessions(tx, user_id)

    return ctx.db.run(work)


def take_second_away(ctx: Context, actor: Actor, user_id: int, visitor: Visitor) -> None:
    """For somebody who lost both app and recovery codes; for oneself, always. Raises NotFound."""
    if user_id != actor.user_id:
        actor.require(Role.OWNER)

    def work(tx: Tx) -> None:
        _here(tx, user_id)
        second.switch_off(tx, user_id)
        access.note(tx, "second_off", visitor, actor=actor, user_id=user_id)

    ctx.db.run(work)


def _here(tx: Tx, user_id: int) -> UserRow:
    row = store.user_by_id(tx, user_id, lock=True)
    if row is None or row["ended_at"]:
        raise NotFound("This person is not here any more.")
    return row


def _refuse_last_owner(tx: Tx, user_id: int) -> None:
    if store.lock_owners(tx) == [user_id]:
        raise Refused.because(
            "owner.last", "This is the only owner. Make somebody else an owner first; a shop always has one."
        )
