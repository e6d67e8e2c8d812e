"""What follows a change set, in its transaction: each area that must know of it tells so once."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from graupel.db import Tx


@dataclass(frozen=True)
class Recorded:
    """A change set that was just recorded. ``language``: the one in which records are written.

    ``handed_on``: what the act that made it knows already, so that those who follow need not find it out: values of
    types that followers offer for it.
    """

    change_set_id: int
    language: str
    handed_on: Sequence[object] = ()


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


def follow(tx: Tx, change_set_id: int, handed_on: Sequence[object]) -> None:
    """Let all follow a change set."""
    for follower in _FOLLOWERS:
        follower(tx, Recorded(change_set_id, _LANGUAGE[0], handed_on))
