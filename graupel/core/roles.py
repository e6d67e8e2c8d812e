"""Who may do what."""

from dataclasses import dataclass
from enum import StrEnum
from typing import Protocol

from graupel.core.errors import NotAllowed


class Role(StrEnum):
    """The roles, each of which may do all that the ones before it may."""

    VIEWER = "viewer"
    EDITOR = "editor"
    OWNER = "owner"

    @property
    def rank(self) -> int:
        """0 for the role that may do least."""
        return list(Role).index(self)


ROLE_HELP = {
    Role.VIEWER: "sees everything, changes nothing",
    Role.EDITOR: "changes the catalogue, brings in files, sends to channels",
    Role.OWNER: "also invites people, connects channels and gives out tokens of every role",
}


@dataclass(frozen=True)
class Actor:
    """The one on whose behalf something is done: a person, or a program with a token."""

    user_id: int | None
    name: str
    role: Role
    token_id: int | None = None

    def may(self, role: Role) -> bool:
        """Whether this one has at least the given role."""
        return self.role.rank >= role.rank

    def require(self, role: Role) -> None:
        """Raise NotAllowed where this one has less than the given role."""
        if not self.may(role):
            raise NotAllowed(
                f"This needs the role {role}; you are signed in as {self.role}. "
                "Ask an owner of the shop to do it or to change your role."
            )


SYSTEM = Actor(user_id=None, name="Graupel", role=Role.OWNER)


class Identity(Protocol):
    """Who is signed in at a screen; the users area makes these."""

    @property
    def actor(self) -> Actor: ...
    @property
    def csrf(self) -> str: ...
    @property
    def session_id(self) -> str: ...
    @property
    def email(self) -> str: ...
