"""When to try again."""

from datetime import timedelta


def delay(attempt: int, asked: int | None = None, *, base: int = 2, most: int = 300) -> timedelta:
    """How long to wait after failed try number ``attempt`` (the first is 1).

    Doubles from ``base`` seconds up to ``most``; a service's own wish (``asked`` seconds, from
    Retry-After, RFC 9110 10.2.3) is honoured where it is longer, up to an hour.
    """
    seconds = min(most, base * 2 ** min(max(attempt, 1) - 1, 16))
    return timedelta(seconds=max(seconds, min(asked or 0, 3600)))
