"""The record of sign-ins, refusals and changes of rights; and how often somebody may try."""

import hashlib
import ipaddress
from dataclasses import dataclass

from graupel.context import Context
from graupel.core.errors import TooManyTries
from graupel.core.roles import Actor, Role
from graupel.db import Tx
from graupel.features.users import store
from graupel.features.users.rows import AccessRow

#: Tries by one name from one place; by one name from anywhere; from one place by any names.
TRIES_BY_NAME = 5
TRIES_BY_NAME_ANYWHERE = 50
TRIES_FROM_ORIGIN = 30
TRIES_MINUTES = 15
SHOWN = 200

KINDS = {
    "sign_in": "Signed in",
    "refused": "Refused: wrong password or name",
    "refused_code": "Refused: wrong code",
    "too_many": "Refused: too many tries",
    "sign_out": "Signed out",
    "sessions_ended": "Ended sessions",
    "invited": "Invited",
    "joined": "Chose a first password",
    "role": "Role changed",
    "taken_out": "Taken out",
    "password": "Password changed",
    "reset": "Link for a new password made",
    "second_on": "Second factor set",
    "second_off": "Second factor taken away",
    "token_made": "Token made",
    "token_revoked": "Token revoked",
}


@dataclass(frozen=True)
class Visitor:
    """Who is at the door. ``device``: the secret of a browser that was here before, "" where there is none."""

    origin: str = ""
    agent: str = ""
    device: str = ""

    @property
    def place(self) -> str:
        """Where it comes from, as far as tries are counted: of IPv6 the network that one household has."""
        try:
            found = ipaddress.ip_address(self.origin)
        except ValueError:
            return self.origin[:64]
        return str(ipaddress.ip_network(f"{found}/64", strict=False)) if found.version == 6 else str(found)


def fingerprint(secret: str) -> str:
    """How a secret of ours is kept: those are long and random, so a plain hash keeps them as well as a slow one."""
    return hashlib.sha256(secret.encode()).hexdigest()


def note(
    tx: Tx, kind: str, visitor: Visitor, *, actor: Actor | None = None, user_id: int | None = None, **told: str
) -> None:
    """Take down what happened. ``user_id``: about whom; ``told``: ``who`` was typed, and a ``detail``."""
    store.insert_access(
        tx,
        {
            "kind": kind,
            "actor_id": actor.user_id if actor else None,
            "user_id": user_id,
            "who": told.get("who", "")[:254],
            "origin": visitor.origin[:64],
            "agent": visitor.agent[:200],
            "detail": told.get("detail", "")[:200],
        },
    )


def note_by(ctx: Context, kind: str, visitor: Visitor, actor: Actor) -> None:
    """Take down what somebody did about themselves."""
    ctx.db.run(lambda tx: note(tx, kind, visitor, actor=actor, user_id=actor.user_id))


def listed(ctx: Context, actor: Actor, user_id: int | None = None) -> list[AccessRow]:
    """The newest entries, of one person where one is named; for owners, and of oneself for everyone."""
    if user_id is None or user_id != actor.user_id:
        actor.require(Role.OWNER)
    return ctx.db.run(lambda tx: store.access(tx, user_id, SHOWN))


def count_try(ctx: Context, who: str, visitor: Visitor, user_id: int | None) -> None:
    """Count a try before it is looked at, so that many at once are counted too. Raises TooManyTries.

    A browser from which this person signed in before is counted by itself: nobody else can lock it out.
    """
    known = bool(
        visitor.device and user_id and ctx.db.run(lambda tx: store.knows_device(tx, _device(visitor), user_id))
    )
    place = f"device {_device(visitor)[:24]}" if known else visitor.place
    ctx.db.run(lambda tx: store.insert_try(tx, who, place))
    tries = ctx.db.run(lambda tx: store.tries(tx, who, place, TRIES_MINUTES))
    too_many = tries["by_name_here"] > TRIES_BY_NAME
    if not known:
        too_many = too_many or tries["by_name"] > TRIES_BY_NAME_ANYWHERE or tries["from_origin"] > TRIES_FROM_ORIGIN
    if too_many:
        wait = max(1, TRIES_MINUTES * 60 - int(tries["oldest"]))
        ctx.db.run(lambda tx: note(tx, "too_many", visitor, user_id=user_id, who=who))
        raise TooManyTries(f"Too many failed tries. Wait {-(-wait // 60)} minutes, then try again.", wait)


def _device(visitor: Visitor) -> str:
    return fingerprint(visitor.device)


def worked(tx: Tx, who: str, visitor: Visitor, user_id: int) -> None:
    """Forget the tries of somebody who is in now, and know their browser again."""
    store.forget_tries(tx, who, [visitor.place, f"device {_device(visitor)[:24]}"])
    if visitor.device:
        store.know_device(tx, _device(visitor), user_id)
