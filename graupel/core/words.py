"""The words of names, kept so that a search finds every name in which all typed words begin, in moments.

Each beginning of four letters holds the set of its records' ids as a Roaring bitmap, and below it so does each word: so
short and frequent words, which a database's full-text index leaves out, are found as all others; accents and capitals
make no difference. Where very many words begin alike, as numbers do, only the frequent ones are kept; for a rare one
the index then says which names are to be looked at.
"""

import re
import unicodedata
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from pyroaring import BitMap
from rapidfuzz.distance import OSA

from graupel.core import bitmaps
from graupel.core.facets import NONE, Ids

#: So many letters of a word tell where it is kept.
HEAD = 4
#: Where more words than these begin alike, those with fewer records than FREQUENT are not told apart any more.
MOST_TOLD = 8
FREQUENT = 8
#: A typed text is looked for inside words, and with a slip in it, from so many letters on.
SHORTEST_INSIDE = 3
SHORTEST_SLIP = 4
MOST_NAMED = 3
_APOSTROPHES = re.compile(r"(?<=\w)['’‘ʼ`´](?=\w)")


def words_of(text: str) -> list[str]:
    """The words of a text without accents and capitals, in their order; what stands between letters parts them."""
    plain = text.lower()
    if not text.isascii():  # taken apart first: a sign such as ™ stands for capitals
        apart = unicodedata.normalize("NFKD", text).casefold()
        plain = "".join(one for one in apart if not unicodedata.combining(one))
    return re.findall(r"\w+", plain)


def indexed(name: str) -> list[str]:
    """The words by which a name is found: its own, and what an apostrophe parts also as one ("Child's", "childs")."""
    own = words_of(name)
    return own + [one for one in words_of(_APOSTROPHES.sub("", name)) if one not in own] if len(own) > 1 else own


def by_word(named: Iterable[tuple[int, str]]) -> dict[str, list[int]]:
    """Records by the words by which their names are found."""
    found: dict[str, list[int]] = {}
    for record_id, name in named:
        for word in indexed(name):
            found.setdefault(word, []).append(record_id)
    return found


@dataclass
class _Bucket:
    """What begins alike. ``ids``: of all of it; ``words``: those that are told apart; ``rest``: all others, or None."""

    ids: BitMap = field(default_factory=BitMap)
    words: dict[str, BitMap] = field(default_factory=dict)
    rest: BitMap | None = None

    def put(self, word: str, ids: BitMap) -> None:
        self.ids.update(ids)
        if word in self.words:
            self.words[word].update(ids)
        elif self.rest is not None:
            self.rest.update(ids)
        else:
            self.words[word] = BitMap(ids)
            if len(self.words) > MOST_TOLD:
                self._tell_less_apart()

    def _tell_less_apart(self) -> None:
        rare = [word for word, ids in self.words.items() if len(ids) < FREQUENT]
        self.rest = BitMap.union(BitMap(), *(self.words.pop(word) for word in rare))

    def remove(self, gone: BitMap) -> None:
        self.ids -= gone
        if self.rest is not None:
            self.rest -= gone
        for word in [word for word, ids in self.words.items() if ids.intersect(gone)]:
            self.words[word] -= gone
            if not self.words[word]:
                del self.words[word]


class WordIndex:
    """Records by the words of their names."""

    def __init__(self) -> None:
        self._buckets: dict[str, _Bucket] = {}

    def add(self, named: Iterable[tuple[int, str]]) -> None:
        """Put in records that are not in it, by id and name."""
        self.put(by_word(named))

    def put(self, found: Mapping[str, Iterable[int]]) -> None:
        """Put in records that are not in it, by the words of their names."""
        for word, ids in found.items():
            self._buckets.setdefault(word[:HEAD], _Bucket()).put(word, BitMap(ids))

    def remove(self, ids: Iterable[int]) -> None:
        """Take records out; those that are not there are passed over."""
        gone = BitMap(ids)
        for head in [head for head, bucket in self._buckets.items() if bucket.ids.intersect(gone)]:
            self._buckets[head].remove(gone)
            if not self._buckets[head].ids:
                del self._buckets[head]

    def having(self, words: Sequence[str]) -> tuple[Ids, Ids]:
        """The records in whose names each of these words begins, and further ones whose names are to be looked at.

        None of either where there are no words.
        """
        if not words:
            return NONE, NONE
        sets = [self._beginning(word) for word in words]
        sure = BitMap.intersection(*(certain for certain, _ in sets))
        likely = BitMap.intersection(*(certain | unsure for certain, unsure in sets))
        return Ids(sure), Ids(likely - sure)

    def much_like(self, words: Sequence[str]) -> tuple[Ids, list[str]]:
        """Where nothing begins with what was typed: the records in whose names stand words much like it, and those.

        Much like a typed word are words that begin with it, that hold it further in, and those that differ from it,
        or that begin with something that differs from it, by one slip (a letter wrong, missing, too many, or two
        exchanged). Only words are compared that are told apart.
        """
        told = [(word, ids) for bucket in self._buckets.values() for word, ids in bucket.words.items()]
        found, named = [], []
        for typed in words:
            alike = [(word, ids) for word, ids in told if _is_like(typed, word)]
            found.append(BitMap.union(BitMap(), *(ids for _, ids in alike)))
            most = sorted(alike, key=lambda one: -len(one[1]))
            named += [word for word, _ in most[:MOST_NAMED] if not word.startswith(typed)]
        ids = BitMap.intersection(*found) if found else BitMap()
        return Ids(ids), named if ids else []

    def _beginning(self, typed: str) -> tuple[BitMap, BitMap]:
        """The records of which a word begins so, and those of which one may."""
        if len(typed) <= HEAD:
            heads = (bucket.ids for head, bucket in self._buckets.items() if head.startswith(typed))
            return BitMap.union(BitMap(), *heads), BitMap()
        bucket = self._buckets.get(typed[:HEAD], _Bucket())
        told = (ids for word, ids in bucket.words.items() if word.startswith(typed))
        return BitMap.union(BitMap(), *told), bucket.rest or BitMap()

    def pack(self) -> bytes:
        """The whole index in bytes."""
        return bitmaps.pack(
            ([head, word], ids)
            for head, bucket in self._buckets.items()
            for word, ids in [("", bucket.ids), *bucket.words.items(), *([(None, bucket.rest)] if bucket.rest else [])]
        )

    @classmethod
    def unpack(cls, packed: bytes) -> "WordIndex":
        """The index that was packed."""
        index = cls()
        for (head, word), ids in bitmaps.unpack(packed):
            bucket = index._buckets.setdefault(head, _Bucket())
            if word:
                bucket.words[word] = ids
            elif word is None:
                bucket.rest = ids
            else:
                bucket.ids = ids
        return index


def _is_like(typed: str, word: str) -> bool:
    if word.startswith(typed):
        return True
    if len(typed) >= SHORTEST_INSIDE and typed in word:
        return True
    # One slip in a short word makes another word of it; the first letter is hardly ever wrong.
    if len(typed) < SHORTEST_SLIP or word[0] != typed[0] or typed.isdecimal():
        return False
    return any(
        OSA.distance(typed, word[:length], score_cutoff=1) <= 1
        for length in {min(len(word), len(typed) + step) for step in (-1, 0, 1)}
    )


def all_begin(words: Iterable[str], name: str) -> bool:
    """Whether each of some words begins in a name."""
    there = indexed(name)
    return all(any(word.startswith(one) for word in there) for one in words)
