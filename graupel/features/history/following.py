"""What follows a change set, in its transaction: each area that must know of it tells so once."""

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field

from graupel.db import Tx


@dataclass(frozen=True)
class Wrote:
    """Of which kinds of record a change set wrote which fields, so that those whom it does not concern ask nothing.

    ``fields``: by kind; None where any of them may be written, as where records were made, removed, or are many. What
    was made and packed is not among them.
    """

    fields: Mapping[str, Collection[str] | None]

    def any_of(self, kind: str, names: Collection[str] = ()) -> bool:
        """Whether it wrote one of these fields of a kind of record; without names any."""
        if kind not in self.fields:
            return False
        written = self.fields[kind]
        return written is None or not names or any(name in written for name in names)


@dataclass(frozen=True)
class Recorded:
    """A change set that was just recorded. ``language``: the one in which records are written; ``wrote``: what of them.

    ``handed_on``: what the act that made it knows already, so that those who follow need not find it out: values of
    types that followers offer for it.
    """

    change_set_id: int
    language: str
    handed_on: Sequence[object] = ()
    wrote: Wrote = field(default_factory=lambda: Wrote({}))


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


def follow(tx: Tx, change_set_id: int, handed_on: Sequence[object], wrote: Wrote) -> None:
    """Let all follow a change set."""
    for follower in _FOLLOWERS:
        follower(tx, Recorded(change_set_id, _LANGUAGE[0], handed_on, wrote))
