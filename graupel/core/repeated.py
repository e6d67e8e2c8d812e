"""Which of many words may have come before, kept in some bytes a word: a million of them stay below 20 MB.

A word is kept by two halves of its hash, each in a Roaring bitmap. So none that came before is passed over, and one
in some ten million is named that did not: whoever asks looks at those few himself.
"""

from collections.abc import Sequence

from pyroaring import BitMap

_HALF = 0xFFFF_FFFF


class Repeated:
    """Words as they come, and which of them may have come before."""

    def __init__(self) -> None:
        self._halves = (BitMap(), BitMap())

    def among(self, words: Sequence[str]) -> set[int]:
        """The places of those that may have come before, in an earlier call or among these; all are kept."""
        marks = [hash(word) for word in words]
        high, low = [mark >> 32 & _HALF for mark in marks], [mark & _HALF for mark in marks]
        found = self._found(high, low)
        for kept, new in zip(self._halves, (high, low), strict=True):
            kept.update(new)
        return found

    def _found(self, high: Sequence[int], low: Sequence[int]) -> set[int]:
        new = BitMap(high)
        before, beside = self._halves
        if len(new) == len(high) and not new.intersect(before):
            return set()  # so it is of nearly all calls
        here: set[tuple[int, int]] = set()
        found = set()
        for place, mark in enumerate(zip(high, low, strict=True)):
            if mark in here or (mark[0] in before and mark[1] in beside):
                found.add(place)
            here.add(mark)
        return found
