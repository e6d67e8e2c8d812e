"""Files that buyers download: who may still have one, and what of it was sent.

A download counts only when all of it was sent, in one piece or in several: who is cut off goes on where that was (RFC
9110, 14), and nothing is lost. Where as many are under way as are left, nobody else can begin.
"""

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

MOST_FILES = 50
MOST_BYTES = 10_000_000_000
MOST_TIMES, MOST_DAYS, MOST_EXCERPT = 10_000, 3_650, 100
NAME_LENGTH = 120


class Plays(StrEnum):
    """What a buyer does with video and sound."""

    KEPT = "kept"
    PLAYED = "played"
    BOTH = "both"


#: Endings that a browser can play in a page, and as what.
PLAYABLE = {"mp4": "video", "webm": "video", "mp3": "audio", "m4a": "audio", "ogg": "audio", "oga": "audio"}

#: A part of a file: from the first byte to the one after the last.
Span = tuple[int, int]


class Standing(StrEnum):
    """Whether a file can be had."""

    OPEN = "open"
    USED_UP = "used_up"
    EXPIRED = "expired"
    CLOSED = "closed"
    BUSY = "busy"


@dataclass(frozen=True)
class Given:
    """What a buyer was given. ``most``: how often, None without end; ``until``: UTC; ``under_way``: downloads of others
    that are being sent at this moment."""

    taken: int = 0
    most: int | None = None
    until: datetime | None = None
    closed: bool = False
    under_way: int = 0

    def standing(self, now: datetime) -> Standing:
        """Whether it can be had now."""
        if self.closed:
            return Standing.CLOSED
        if self.until is not None and now >= self.until:
            return Standing.EXPIRED
        if self.most is not None and self.taken >= self.most:
            return Standing.USED_UP
        if self.most is not None and self.taken + self.under_way >= self.most:
            return Standing.BUSY
        return Standing.OPEN

    @property
    def left(self) -> int | None:
        """How often it can still be had; None without end."""
        return None if self.most is None else max(self.most - self.taken, 0)


def joined(spans: Iterable[Span]) -> list[Span]:
    """The same parts without overlaps, in their order."""
    found: list[Span] = []
    for first, end in sorted(one for one in spans if one[0] < one[1]):
        if found and first <= found[-1][1]:
            found[-1] = (found[-1][0], max(found[-1][1], end))
        else:
            found.append((first, end))
    return found


def is_whole(spans: Sequence[Span], size: int) -> bool:
    """Whether parts come to all of a file."""
    return joined(spans) == [(0, size)] if size else True


def asked_span(header: str, size: int) -> Span | None:
    """The one part that a Range header asks for, None for all of the file: also where it asks for several, or makes no
    sense (RFC 9110, 14.2: who does not understand it sends everything). Raises ValueError where no byte of it is there.
    """
    match = re.fullmatch(r"\s*bytes\s*=\s*(\d{0,18})\s*-\s*(\d{0,18})\s*", header)
    if not match or not (match[1] or match[2]):
        return None
    if not match[1]:
        first, end = max(size - int(match[2]), 0), size
    else:
        first, end = int(match[1]), min(int(match[2]) + 1, size) if match[2] else size
        if match[2] and int(match[2]) < first:
            return None
    if first >= size or first >= end:
        raise ValueError("no such part")
    return first, end


# --- as it is typed ------------------------------------------------------------------------------------------


def read_count(text: str, most: int) -> int | None:
    """A number of times, days or pages; None for nothing. Raises ValueError."""
    said = text.strip()
    if not said:
        return None
    if not (said.isascii() and said.isdigit()) or len(said) > 6 or not 0 < int(said) <= most:
        raise ValueError(said)
    return int(said)


def ending(name: str) -> str:
    """The ending of a file's name, lower case: "pdf"."""
    found = name.rpartition(".")[2].lower() if "." in name else ""
    return found if re.fullmatch(r"[a-z0-9]{1,8}", found) else ""
