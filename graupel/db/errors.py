"""What the database refuses, in words that callers know."""

from graupel.core.errors import GraupelError


class DatabaseUnavailable(GraupelError):
    """The database does not answer, or keeps refusing the transaction."""


class DatabaseBusy(DatabaseUnavailable):
    """All connections are in use. ``retry_after``: when to come again, in seconds."""

    retry_after = 3


class StillNeeded(GraupelError):
    """Another record refers to the one that would be removed."""


class DuplicateKey(GraupelError):
    """A unique key holds the value already; ``key`` is the key's name."""

    def __init__(self, key: str) -> None:
        super().__init__(f"the key {key} holds this value already")
        self.key = key


class ActTakenOver(GraupelError):
    """Somebody repeated this act when it seemed to be given up; what it was about to write is not written."""
