"""What the door, the account and the page of people send and ask."""

from typing import Annotated

from graupel.web.sent import Among, MaybeWhole, Sent


class Wanted(Sent):
    """Where somebody was going before they had to sign in."""

    next: str = ""


class Door(Sent):
    """What is typed at the door: a password, or the code of a second factor with the ticket of the first step."""

    door: str = ""
    email: str = ""
    password: str = ""
    ticket: str = ""
    code: str = ""
    next: str = ""


class ChosenPassword(Sent):
    """A password that somebody chooses by a link."""

    door: str = ""
    password: str = ""
    again: str = ""


class NewPassword(Sent):
    """Another password in the place of the old one."""

    old: str = ""
    new: str = ""
    again: str = ""


class SecondFactor(Sent):
    """What was offered, and the first code of it."""

    offer: str = ""
    code: str = ""


class Proof(Sent):
    """The password, asked once more."""

    password: str = ""


class NewToken(Sent):
    """A token for a program."""

    name: str = ""
    role: str = ""
    days: MaybeWhole = None


class Invited(Sent):
    """Somebody who is let in."""

    typed: Annotated[dict[str, str], Among(("email", "name", "role"))]


class GivenRole(Sent):
    """A role."""

    role: str = ""


class Recorded(Sent):
    """Whose record is read; everybody's without one."""

    person: MaybeWhole = None
