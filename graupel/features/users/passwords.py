"""Passwords: how good one must be, and hashing them without taking all memory."""

import re
import threading
from functools import cache

from pwdlib import PasswordHash
from zxcvbn import zxcvbn

from graupel.core.errors import Refused, TooManyTries

SHORTEST = 12
LONGEST = 200
#: Of zxcvbn's 0 to 4: 3 is "safely unguessable: moderate protection from offline slow-hash scenario".
WANTED_SCORE = 3
#: More of a password it does not look at.
_LOOKED_AT = 72
#: Argon2 takes 64 MB and a core for each: more at once help nobody.
AT_ONCE = 2
WAIT_SECONDS = 5.0
_hashing = threading.BoundedSemaphore(AT_ONCE)


@cache
def _hasher() -> PasswordHash:
    return PasswordHash.recommended()  # argon2id with the library's current parameters


@cache
def _nobodys_hash() -> str:
    return _hasher().hash("nobody’s password")


def check(password: str, *about: str, field: str = "password") -> None:
    """Raise Refused where a password is too short or too easily guessed; ``about``: the person's name and address."""
    if len(password) < SHORTEST:
        raise Refused.because(
            "password.short",
            f"A password has at least {SHORTEST} characters; this one has {len(password)}. Several words with blanks "
            "between are easy to remember.",
            field,
        )
    if len(password) > LONGEST:
        raise Refused.because("password.long", f"A password has at most {LONGEST} characters.", field)
    words = [part for text in about for part in (text, "".join(text.split()), *re.split(r"[\s@.]+", text))]
    found = zxcvbn(password[:_LOOKED_AT], user_inputs=words)
    if found["score"] < WANTED_SCORE:
        why = " ".join([found["feedback"]["warning"], *found["feedback"]["suggestions"]]).strip()
        raise Refused.because("password.weak", f"This password is guessed too easily. {why}".strip(), field)


def hashed(password: str) -> str:
    """The hash to keep. Raises TooManyTries where too many wait already."""
    with _Turn():
        return _hasher().hash(password)


def verify(password: str, kept: str) -> bool:
    """Whether it is the password. Without one that is kept this takes as long, so the time tells nothing.

    Raises TooManyTries where too many wait already.
    """
    with _Turn():
        return _hasher().verify(password[: LONGEST + 1], kept or _nobodys_hash()) and bool(kept)


class _Turn:
    def __enter__(self) -> None:
        if not _hashing.acquire(timeout=WAIT_SECONDS):
            raise TooManyTries("Too many are signing in at this moment. Wait a little, then try again.", 5)

    def __exit__(self, *_: object) -> None:
        _hashing.release()
