"""The tree of exceptions. A foreign library's exceptions are translated where it is called."""

from collections.abc import Mapping, Sequence
from typing import Any

from graupel.core.problems import Problem


class GraupelError(Exception):
    """The root: everything the application raises on purpose."""


class NotFound(GraupelError):
    """The record asked for does not exist."""


class NotAllowed(GraupelError):
    """The role of the one who asks does not permit it."""


class NotSignedIn(GraupelError):
    """Nobody is signed in, or the session or token has ended."""


class TooManyTries(GraupelError):
    """Too many failed tries; ``retry_after`` is in seconds."""

    def __init__(self, message: str, retry_after: int) -> None:
        super().__init__(message)
        self.retry_after = retry_after


class Refused(GraupelError):
    """What was given can't be taken; ``problems`` say why, nothing was written."""

    def __init__(self, problems: Sequence[Problem]) -> None:
        super().__init__("; ".join(problem.message for problem in problems))
        self.problems = list(problems)

    @classmethod
    def because(cls, code: str, message: str, field: str | None = None) -> "Refused":
        """Refused for one reason."""
        return cls([Problem(code, message, field)])


class Outdated(GraupelError):
    """The record was changed by someone else since it was read; nothing was written.

    ``marks``: of what the page has been told once the message was read, as core.changes.marks gives them.
    """

    def __init__(self, message: str, current: Mapping[str, Any], marks: Mapping[str, str] | None = None) -> None:
        super().__init__(message)
        self.current = dict(current)
        self.marks = dict(marks or {})


class DoneAlready(GraupelError):
    """The act was done before, or is under way, and what was answered can't be given again."""


class Cancelled(GraupelError):
    """A job was asked to stop, and stopped."""


class NoRoom(GraupelError):
    """The disk on which files are kept is full, or can't be written; nothing was kept."""


class TryLater(GraupelError):
    """Something outside is not to be had now; ``retry_after`` is in seconds, 0 where nothing was said."""

    def __init__(self, message: str, retry_after: int = 0) -> None:
        super().__init__(message)
        self.retry_after = retry_after
