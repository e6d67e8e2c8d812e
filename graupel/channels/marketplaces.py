"""Kinds of marketplaces: what each asks, what is sent to it, and who speaks to it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

from graupel.core.listings import ChannelPlace, Goods, ListingState
from graupel.core.problems import Problem
from graupel.core.readiness import Finding

#: What a marketplace says that it asks of every listing; its kind alone reads it.
Terms = Mapping[str, Any]


@dataclass(frozen=True)
class Answer:
    """Where the channel says a listing stands. ``page``: its number there, "" before it has one.

    ``on_sale``: a version of it is for sale there, perhaps an earlier one than that which was refused or is looked at.
    """

    state: ListingState
    page: str
    reasons: Sequence[Problem]
    on_sale: bool = False


class ChannelClient(Protocol):
    """A channel's HTTP interface. Raises the errors of channels.errors, nothing else."""

    def terms(self) -> Terms:
        """What the channel asks of a listing."""

    def places(self) -> list[ChannelPlace]:
        """Its categories."""

    def put(self, reference: str, payload: dict[str, Any]) -> Answer:
        """Make or revise the listing with our reference; doing it twice makes one listing."""

    def answers(self, references: Sequence[str]) -> dict[str, Answer]:
        """Where listings stand, by our references; those that the channel does not have are left out."""

    def end(self, reference: str) -> None:
        """End the listing; one that the channel does not have is ended already."""


class Marketplace(Protocol):
    """A kind of marketplace. Its accounts are channels."""

    @property
    def key(self) -> str:
        """How it is called in the tables."""

    @property
    def name(self) -> str:
        """What it is called."""

    @property
    def example(self) -> str:
        """An address at which it may answer."""

    @property
    def made_of(self) -> Mapping[str, Sequence[str]]:
        """What is sent, or asked for, of a product and of what belongs to it: fields by kind of record, () for any.

        Where that changes, listings are behind.
        """

    @property
    def words(self) -> Mapping[str, Sequence[str]]:
        """What is sent of the records that a product refers to, in the same way."""

    def client(self, address: str, secret: str) -> ChannelClient:
        """Who speaks to an account of it."""

    def findings(self, goods: Goods, terms: Terms) -> list[Finding]:
        """What goods lack for it."""

    def payload(self, goods: Goods) -> dict[str, Any]:
        """What is sent, as JSON."""

    def help(self, terms: Terms) -> Mapping[str, str]:
        """What is said beside the fields "title" and "place"."""


_KINDS: dict[str, Marketplace] = {}
_CLIENTS: dict[tuple[str, str, str], ChannelClient] = {}


def register(kind: Marketplace) -> None:
    """Make a kind of marketplace known."""
    _KINDS[kind.key] = kind


def kinds() -> list[Marketplace]:
    """All kinds, in the order of registering."""
    return list(_KINDS.values())


def kind_of(key: str) -> Marketplace:
    """The kind of this key. Raises KeyError."""
    return _KINDS[key]


def client_of(key: str, address: str, secret: str) -> ChannelClient:
    """The client of one account, kept open for the next time."""
    found = _CLIENTS.get((key, address, secret))
    if found is None:
        found = _CLIENTS[key, address, secret] = kind_of(key).client(address, secret)
    return found
