"""What follows a change set, in its transaction: each area that must know of it tells so once."""

from collections.abc import Callable
from dataclasses import dataclass

from graupel.db import Tx


@dataclass(frozen=True)
class Recorded:
    """A change set that was just recorded. ``language``: the one in which records are written."""

    change_set_id: int
    language: str


Follower = Callable[[Tx, Recorded], None]
_FOLLOWERS: list[Follower] = []
_LANGUAGE = ["en"]


def on_recorded(follower: Follower) -> None:
    """Call a function with each change set that was recorded, in the order of registering."""
    if follower not in _FOLLOWERS:
        _FOLLOWERS.append(follower)


def speak(language: str) -> None:
    """Say in which language this installation's records are written."""
    _LANGUAGE[0] = language


def follow(tx: Tx, change_set_id: int) -> None:
    """Let all follow a change set."""
    for follower in _FOLLOWERS:
        follower(tx, Recorded(change_set_id, _LANGUAGE[0]))
