"""Near-doubles: names that most likely mean the same thing."""

import re
import unicodedata
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from itertools import combinations

from rapidfuzz.distance import OSA

#: A typing slip is believed in words of at least this many letters: "wool" and "pool" are two words.
SLIP_FROM = 5
#: One more s at the end is believed to mean the same from so many letters on.
PLURAL_FROM = 4
_SHORT_WORD = 3


@dataclass(frozen=True)
class Double:
    """Two names that look alike, and why."""

    one: str
    other: str
    why: str


def fold(name: str) -> str:
    """The name without case, accents, and the blanks and signs between its words."""
    plain = unicodedata.normalize("NFKD", name.casefold())
    return " ".join(re.findall(r"\w+", "".join(ch for ch in plain if not unicodedata.combining(ch))))


def alike(one: str, other: str) -> str:
    """Why two names most likely mean the same, in words; "" where they don't."""
    if one == other:
        return ""
    first, second = fold(one), fold(other)
    if first.replace(" ", "") == second.replace(" ", ""):
        return _same_letters(one, other)
    left, right = first.split(), second.split()
    if len(left) != len(right) or not left:
        return ""
    differing = [(a, b) for a, b in zip(left, right, strict=True) if a != b]
    if any(any(ch.isdigit() for ch in a + b) for a, b in differing):
        return ""  # 4 mm and 5 mm are no slip
    if all(_abbreviates(a, b) or _abbreviates(b, a) for a, b in differing) and len(left) > 1:
        return "an abbreviation"
    if len(differing) == 1 and _slip(*differing[0]):
        return "a typing slip"
    return ""


def _same_letters(one: str, other: str) -> str:
    if " ".join(one.split()) == " ".join(other.split()):
        return "only blanks differ"
    if one.casefold() == other.casefold():
        return "only case differs"
    if re.sub(r"[\W_]", "", one) == re.sub(r"[\W_]", "", other):
        return "only blanks and signs differ"
    return "only case, accents or signs differ"


def _abbreviates(short: str, long: str) -> bool:
    """Whether ``short`` is the beginning of ``long`` or its consonants: dk, drk for dark."""
    if len(short) >= len(long) or len(short) < 2 or short[0] != long[0]:
        return False
    if long.startswith(short):
        return len(short) <= _SHORT_WORD
    letters = iter(long)
    return len(short) <= _SHORT_WORD and not set(short[1:]) & set("aeiou") and all(ch in letters for ch in short)


def _slip(one: str, other: str) -> bool:
    if min(len(one), len(other)) >= PLURAL_FROM and one.rstrip("s") == other.rstrip("s"):
        return True  # gift, gifts
    if min(len(one), len(other)) < SLIP_FROM:
        return min(len(one), len(other)) >= _SHORT_WORD and _doubled(one) == _doubled(other)  # oat, oatt
    return OSA.distance(one, other, score_cutoff=1) <= 1


def _doubled(word: str) -> str:
    """A word with each letter that is written twice in a row written once."""
    return re.sub(r"(.)\1", r"\1", word)


def near(name: str, others: Iterable[str]) -> list[Double]:
    """The names that ``name`` most likely doubles; an equal one is none."""
    found = ((other, alike(name, other)) for other in others)
    return [Double(name, other, why) for other, why in found if why]


def pairs(names: Mapping[int, str]) -> list[tuple[int, int, str]]:
    """All pairs of near-doubles among id -> name, each once.

    Only names that share their folded letters, or the beginnings of their words, are compared, so a
    vocabulary of thousands is gone through in moments.
    """
    buckets: dict[str, list[int]] = {}
    for number, name in names.items():
        folded = fold(name)
        words = folded.split()
        keys = {f"={folded.replace(' ', '')}"}
        if words:
            keys.add(f"{len(words)}{''.join(word[0] for word in words)}")
            # A slip in the first letter of the only word that differs is caught by the ends of the words.
            keys.add(f"{len(words)}<{''.join(word[-1] for word in words)}")
        for key in keys:
            buckets.setdefault(key, []).append(number)
    found: dict[tuple[int, int], str] = {}
    for members in buckets.values():
        for one, other in combinations(sorted(members), 2):
            if (one, other) not in found and (why := alike(names[one], names[other])):
                found[one, other] = why
    return [(one, other, why) for (one, other), why in sorted(found.items())]
