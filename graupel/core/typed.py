"""Whole numbers out of what a form or an address says; pages of ours send no others, but anybody may."""

from collections.abc import Iterable

#: No id is larger.
LARGEST = 2**32 - 1


def number(text: object) -> int | None:
    """A whole number from zero up; None where there is none, or one larger than any id."""
    word = str(text)
    return int(word) if word.isdecimal() and len(word) <= len(str(LARGEST)) and int(word) <= LARGEST else None


def numbers(texts: Iterable[object]) -> list[int]:
    """The whole numbers among texts, in their order."""
    return [one for one in map(number, texts) if one is not None]
