"""Which of many words may have come before, kept in some 70 bytes a word: their hashes alone.

So none that came before is passed over, and one among many millions may be named that did not: whoever asks looks at
those few himself.
"""

from collections.abc import Sequence


class Repeated:
    """Words as they come, and which of them may have come before."""

    def __init__(self) -> None:
        self._marks: set[int] = set()

    def among(self, words: Sequence[str]) -> set[int]:
        """The places of those that may have come before, in an earlier call or among these; all are kept."""
        marks = list(map(hash, words))
        new, kept = set(marks), self._marks
        found = set()
        if len(new) < len(marks) or not new.isdisjoint(kept):  # so it is of hardly any call
            here: set[int] = set()
            for place, mark in enumerate(marks):
                if mark in here or mark in kept:
                    found.add(place)
                here.add(mark)
        kept |= new
        return found
