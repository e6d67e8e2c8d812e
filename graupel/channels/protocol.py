"""What every channel's client can do."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

from graupel.core.listings import ListingState
from graupel.core.problems import Problem
from graupel.core.readiness import ChannelPlace, ChannelTerms

Terms = ChannelTerms


@dataclass(frozen=True)
class Answer:
    """Where the channel says a listing stands. ``page``: its number there, "" before it has one."""

    state: ListingState
    page: str
    reasons: Sequence[Problem]


class ChannelClient(Protocol):
    """A channel's HTTP interface. Raises the errors of channels.errors, nothing else."""

    def terms(self) -> Terms:
        """What the channel asks of a listing."""

    def places(self) -> list[ChannelPlace]:
        """Its categories."""

    def put(self, reference: str, payload: dict[str, Any]) -> Answer:
        """Make or revise the listing with our reference; doing it twice makes one listing."""

    def get(self, reference: str) -> Answer | None:
        """Where the listing stands; None where the channel does not have it."""

    def end(self, reference: str) -> Answer | None:
        """End the listing; None where the channel does not have it."""


Maker = Callable[[str, str], ChannelClient]
_MAKERS: dict[str, Maker] = {}


def register(kind: str, maker: Maker) -> None:
    """Make a kind of channel known; ``maker`` takes its address and secret."""
    _MAKERS[kind] = maker


def client_of(kind: str, address: str, secret: str) -> ChannelClient:
    """A client for a channel of a registered kind."""
    return _MAKERS[kind](address, secret)
