"""What can go wrong with a channel."""

from collections.abc import Sequence

from graupel.core.errors import GraupelError, TryLater
from graupel.core.problems import Problem


class ChannelUnreachable(TryLater):
    """No answer, a broken one, or word to come back later."""


class ChannelMisbehaved(TryLater):
    """An answer that is not part of the protocol."""


class ChannelDenied(GraupelError):
    """The channel does not know the key."""


class ChannelRefuses(GraupelError):
    """The channel does not take what was sent; ``reasons`` say why."""

    def __init__(self, reasons: Sequence[Problem]) -> None:
        super().__init__(" ".join(reason.message for reason in reasons))
        self.reasons = list(reasons)
