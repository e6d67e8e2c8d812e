"""The second factor: a code of an authenticator app (RFC 6238), and recovery codes for when that is lost."""

import secrets
from dataclasses import dataclass
from datetime import datetime

import pyotp
import segno

from graupel.context import Context
from graupel.core.errors import Refused
from graupel.core.roles import Identity
from graupel.db import Tx
from graupel.features.users import access, store
from graupel.features.users.access import Visitor, fingerprint
from graupel.features.users.rows import UserRow

RECOVERY_CODES = 10
_STEP_SECONDS = 30
#: Letters and digits that are not taken for each other.
_LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"


@dataclass(frozen=True)
class Offer:
    """A secret that is not in force yet: to be typed or photographed into the app, and proved by its first code."""

    secret: str
    drawn: str

    @property
    def spelled(self) -> str:
        """The secret in groups of four."""
        return " ".join(self.secret[at : at + 4] for at in range(0, len(self.secret), 4))


def offer(shop: str, email: str, secret: str = "") -> Offer:
    """A new secret, or a given one again, with the picture of it that an app reads."""
    made = secret or pyotp.random_base32()
    address = pyotp.TOTP(made, name=email, issuer=shop).provisioning_uri()
    return Offer(made, segno.make(address, error="m").svg_inline(scale=4, dark="#1F2D2C", border=2))


def switch_on(ctx: Context, signed: Identity, secret: str, code: str, visitor: Visitor) -> list[str]:
    """Put a second factor in force, proved by a code; returns the recovery codes, shown only now. Raises Refused."""
    user_id = int(signed.actor.user_id or 0)
    codes = [_recovery_code() for _ in range(RECOVERY_CODES)]

    def work(tx: Tx) -> None:
        step = _step_of(secret, code, ctx.now(tx), 0)
        if step is None:
            raise Refused.because(
                "second.wrong", "This is not the code that the app shows now. Type the six digits again.", "code"
            )
        store.set_second(tx, user_id, ctx.sealer.seal(secret), step)
        store.replace_recovery_codes(tx, user_id, [fingerprint(one) for one in codes])
        access.note(tx, "second_on", visitor, actor=signed.actor, user_id=user_id)

    ctx.db.run(work)
    return codes


def switch_off(tx: Tx, user_id: int) -> None:
    """Take a second factor away, with its recovery codes."""
    store.set_second(tx, user_id, "", 0)
    store.replace_recovery_codes(tx, user_id, [])


def proves(ctx: Context, tx: Tx, user: UserRow, code: str) -> bool:
    """Whether a code of the app, or a recovery code, is right; each counts once."""
    plain = "".join(code.split()).lower()
    if step := _step_of(ctx.sealer.open(user["second_secret"]), plain, ctx.now(tx), user["second_step"]):
        return store.take_step(tx, user["id"], step)
    return store.take_recovery_code(tx, user["id"], fingerprint(plain.replace("-", "")))


def _step_of(secret: str, code: str, now: datetime, after: int) -> int | None:
    """The time step that a code is of: this one, or one beside it (a clock may be off); none that was used before."""
    totp, current = pyotp.TOTP(secret), int(now.timestamp()) // _STEP_SECONDS
    typed = "".join(code.split()).encode()
    for step in (current, current - 1, current + 1):
        if step > after and secrets.compare_digest(totp.at(step * _STEP_SECONDS).encode(), typed):
            return step
    return None


def _recovery_code() -> str:
    return "".join(secrets.choice(_LETTERS) for _ in range(10))


def spelled(code: str) -> str:
    """A recovery code as it is shown."""
    return f"{code[:5]}-{code[5:]}"
