"""The words of names, kept so that a search finds every name in which all typed words begin, in moments.

Each word holds the set of its records' ids as a Roaring bitmap, and so does each beginning of two letters: that one
tells where to look, and answers a search for one or two letters. So short and frequent words, which a database's
full-text index leaves out, are found as all others; accents and capitals make no difference.
"""

import re
import unicodedata
from collections.abc import Iterable

from pyroaring import BitMap

from graupel.core import bitmaps
from graupel.core.facets import NONE, Ids

#: So many letters of a word tell where it is kept.
HEAD = 2


def words_of(text: str) -> list[str]:
    """The words of a text without accents and capitals, in their order; what stands between letters parts them."""
    plain = unicodedata.normalize("NFKD", text.casefold()) if not text.isascii() else text.lower()
    if not plain.isascii():
        plain = "".join(one for one in plain if not unicodedata.combining(one))
    return re.findall(r"\w+", plain)


class WordIndex:
    """Records by the words of their names."""

    def __init__(self) -> None:
        self._kept: dict[str, dict[str, BitMap]] = {}
        self._heads: dict[str, BitMap] = {}

    def add(self, named: Iterable[tuple[int, str]]) -> None:
        """Put in records that are not in it, by id and name."""
        found: dict[str, list[int]] = {}
        for record_id, name in named:
            for word in words_of(name):
                found.setdefault(word, []).append(record_id)
        for word, ids in found.items():
            self._put(word, BitMap(ids))

    def _put(self, word: str, ids: BitMap) -> None:
        head = word[:HEAD]
        self._heads.setdefault(head, BitMap()).update(ids)
        self._kept.setdefault(head, {}).setdefault(word, BitMap()).update(ids)

    def remove(self, ids: Iterable[int]) -> None:
        """Take records out; those that are not there are passed over."""
        gone = BitMap(ids)
        for head in [head for head, held in self._heads.items() if held.intersect(gone)]:
            words = self._kept[head]
            for word in [word for word, held in words.items() if held.intersect(gone)]:
                words[word] -= gone
                if not words[word]:
                    del words[word]
            self._heads[head] -= gone
            if not words:
                del self._kept[head], self._heads[head]

    def having(self, words: Iterable[str]) -> Ids:
        """The records in whose names each of these words begins; none where there are no words."""
        found: BitMap | None = None
        for word in words:
            beginning = self._beginning(word)
            found = beginning if found is None else found & beginning
            if not found:
                break
        return NONE if found is None else Ids(found)

    def _beginning(self, typed: str) -> BitMap:
        if len(typed) < HEAD:
            return BitMap.union(BitMap(), *(held for head, held in self._heads.items() if head.startswith(typed)))
        if len(typed) == HEAD:
            return self._heads.get(typed, BitMap())
        kept = self._kept.get(typed[:HEAD], {})
        return BitMap.union(BitMap(), *(held for word, held in kept.items() if word.startswith(typed)))

    def pack(self) -> bytes:
        """The whole index in bytes."""
        return bitmaps.pack((word, held) for words in self._kept.values() for word, held in words.items())

    @classmethod
    def unpack(cls, packed: bytes) -> "WordIndex":
        """The index that was packed."""
        index = cls()
        for word, ids in bitmaps.unpack(packed):
            index._put(word, ids)
        return index
