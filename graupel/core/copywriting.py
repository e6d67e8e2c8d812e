"""Hints about copy: wanted lengths, words that repeat, names that do not say what the thing is."""

import re
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass

#: Field -> (least, most) wanted characters. Not rules: hints from what fits listings and reads well.
WANTED = {
    "name": (20, 80),
    "short_text": (60, 300),
    "description": (250, 3000),
    "key_points": (3, 6),
    "meta_title": (25, 60),
    "meta_description": (70, 155),
}
REPEATED_FROM = 4
_SMALL = frozenset(
    re.findall(
        r"\w+",
        """about after all also and are because been but can der die das ein eine for from has have into its mit more
        not of only or our over than that the their them then they this und very was were when which will with without
        you your""",
    )
)


@dataclass(frozen=True)
class Length:
    """How long a text is beside the wanted range. ``verdict``: "short", "long", "good" or "empty"."""

    count: int
    least: int
    most: int

    @property
    def verdict(self) -> str:
        """Where it lies."""
        if not self.count:
            return "empty"
        return "short" if self.count < self.least else "long" if self.count > self.most else "good"


def length(field: str, count: int) -> Length:
    """The length of a field (key points: their number) beside the wanted range."""
    return Length(count, *WANTED[field])


def repeated_words(text: str) -> list[tuple[str, int]]:
    """Words of four letters and more that stand there too often: from four times and every fortieth word."""
    words = [word for word in re.findall(r"[^\W\d_]{4,}", text.casefold()) if word not in _SMALL]
    floor = max(REPEATED_FROM, len(words) // 40)
    return [(word, count) for word, count in Counter(words).most_common(3) if count >= floor]


def names_its_kind(name: str, kinds: Iterable[str]) -> bool:
    """Whether the name has a word of what the thing is: of its type's or category's name, singular or plural."""
    said = {_stem(word) for word in re.findall(r"\w+", name.casefold())}
    wanted = {_stem(word) for kind in kinds for word in re.findall(r"\w{3,}", kind.casefold())}
    return not wanted or any(word == other or word.endswith(other) for word in said for other in wanted)


def _stem(word: str) -> str:
    return word[:-1] if word.endswith("s") and len(word) > 3 else word
