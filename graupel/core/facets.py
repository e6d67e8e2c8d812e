"""Which records have which values of which facets, kept so that any choice is counted in moments.

Each value of a facet holds the set of its records' ids as a Roaring bitmap. A choice of values is then an "or" within
a facet and an "and" between facets, and a count is the size of a set: docs/performance.md has the figures for a million
records and ten thousand values. (pyroaring is used in core: it is pure computation.)
"""

from collections.abc import Collection, Hashable, Iterable, Iterator, Mapping, Sequence
from typing import overload

from pyroaring import BitMap, FrozenBitMap

from graupel.core import bitmaps

#: A record's values: facet -> values.
Values = Mapping[str, Collection[Hashable]]
#: A set of records by their ids, which stays as it is whatever comes after.
Ids = FrozenBitMap
NONE: Ids = FrozenBitMap()
#: So many ids are taken out of a set at once.
_AT_ONCE = 100
#: Facet, value, and the records that have it. A value may stand in several of them.
ValueSet = tuple[str, Hashable, Iterable[int]]


class FacetIndex:
    """Records by facet and value."""

    def __init__(self) -> None:
        self._held: dict[str, dict[Hashable, BitMap]] = {}
        self._everything = BitMap()

    @property
    def everything(self) -> Ids:
        """All records."""
        return FrozenBitMap(self._everything)

    def __len__(self) -> int:
        return len(self._everything)

    def add(self, ids: Iterable[int], sets: Iterable[ValueSet]) -> None:
        """Put in records that are not in it, with the sets of those that have each value."""
        self._everything.update(ids)
        for facet, value, found in sets:
            self._held.setdefault(facet, {}).setdefault(value, BitMap()).update(found)

    def remove(self, ids: Iterable[int]) -> None:
        """Take records out; those that are not there are passed over."""
        gone = BitMap(ids)
        self._everything -= gone
        for held in self._held.values():
            for value in [value for value, ids in held.items() if ids.intersect(gone)]:
                held[value] -= gone
                if not held[value]:
                    del held[value]

    def copy(self) -> "FacetIndex":
        """Another of its own that holds the same."""
        other = FacetIndex()
        other._everything = BitMap(self._everything)
        other._held = {facet: {value: BitMap(ids) for value, ids in sets.items()} for facet, sets in self._held.items()}
        return other

    def pack(self) -> bytes:
        """The whole index in bytes. Values are to be numbers or texts."""
        held = (([facet, value], ids) for facet, sets in self._held.items() for value, ids in sets.items())
        return bitmaps.pack([(["", ""], self._everything), *held])

    @classmethod
    def unpack(cls, packed: bytes) -> "FacetIndex":
        """The index that was packed."""
        index = cls()
        for (facet, value), ids in bitmaps.unpack(packed):
            if facet:
                index._held.setdefault(facet, {})[value] = ids
            else:
                index._everything = ids
        return index

    def sets(self, facet: str) -> dict[Hashable, Ids]:
        """Each value of a facet with the records that have it."""
        return {value: FrozenBitMap(ids) for value, ids in self._held.get(facet, {}).items()}

    def of(self, ids: Iterable[int]) -> Ids:
        """The set of these records; those that are not there are left out."""
        return FrozenBitMap(BitMap(ids) & self._everything)

    def select(self, chosen: Values, within: Ids | None = None) -> Ids:
        """The records that have, of each facet chosen from, one of the chosen values."""
        found: BitMap | FrozenBitMap = self._everything if within is None else within
        for facet, values in chosen.items():
            if values:
                found = found & self._any(facet, values)
        return FrozenBitMap(found)

    def counts(
        self, chosen: Values, within: Ids | None = None, facets: Collection[str] | None = None
    ) -> dict[str, dict[Hashable, int]]:
        """How many records each value would have: under what is chosen in all other facets. Noughts are left out.

        ``facets``: only of these; all where it is None.
        """
        found: dict[str, dict[Hashable, int]] = {}
        whole = self.select(chosen, within)
        for facet in self._held if facets is None else facets:
            around = whole
            if chosen.get(facet):
                around = self.select({other: values for other, values in chosen.items() if other != facet}, within)
            found[facet] = self.count(facet, self._held.get(facet, {}), around)
        return found

    def count(self, facet: str, values: Iterable[Hashable], within: Ids) -> dict[Hashable, int]:
        """How many records of a set have each of some values of a facet. Noughts are left out."""
        held = self._held.get(facet, {})
        counted = {value: held[value].intersection_cardinality(within) for value in values if value in held}
        return {value: count for value, count in counted.items() if count}

    def sets_within(self, facet: str, values: Iterable[Hashable], within: Ids) -> list[tuple[Hashable, Ids]]:
        """Those of a set that have each of some values of a facet, in the order of the values."""
        held = self._held.get(facet, {})
        return [(value, FrozenBitMap(held[value] & within)) for value in values if value in held]

    def _any(self, facet: str, values: Collection[Hashable]) -> BitMap:
        held = self._held.get(facet, {})
        return BitMap.union(BitMap(), *(held[value] for value in values if value in held))


def in_groups(groups: Iterable[tuple[Hashable, Ids]], among: Ids) -> list[tuple[str, Ids]]:
    """Records in groups, each in the first that has it; those that none has stand before all, under "".

    ``groups``: in their order; the keys of the result are texts, as a cursor carries them.
    """
    rest, found = among, []
    for value, ids in groups:
        own = ids & rest
        if own:
            found.append((str(value), Ids(own)))
            rest = Ids(rest - own)
    return [("", rest), *found] if rest else found


def page_in_groups(
    groups: Sequence[tuple[str, Ids]], at: tuple[str, int] | None, limit: int, *, descending: bool
) -> list[tuple[int, str]]:
    """The first records beyond a place, with the keys of their groups; ``at``: a key and an id, None for the beginning.

    Groups in their order, in each the ids ascending; all the other way round where ``descending``. A place whose group
    is gone is the beginning.
    """
    ordered = list(reversed(groups)) if descending else list(groups)
    keys = [key for key, _ in ordered]
    begin = keys.index(at[0]) if at and at[0] in keys else 0
    found: list[tuple[int, str]] = []
    for place, (key, ids) in enumerate(ordered[begin:], begin):
        first, beyond = 0, len(ids)
        if at and place == begin and at[0] == key:
            if descending:
                beyond = ids.rank(at[1] - 1) if at[1] > 0 else 0
            else:
                first = ids.rank(at[1])
        wanted = limit - len(found)
        part = list(
            ids[max(first, beyond - wanted) : beyond] if descending else ids[first : min(beyond, first + wanted)]
        )
        found += [(one, key) for one in (reversed(part) if descending else part)]
        if len(found) >= limit:
            break
    return found


class NewestFirst(Sequence[int]):
    """Records from the highest id down, behind some that stand ahead; only what is asked of them is taken out of the
    set."""

    def __init__(self, ids: Ids, ahead: Sequence[int] = ()) -> None:
        self._ahead = list(dict.fromkeys(one for one in ahead if one in ids))
        self._ids, self._rest = ids, ids - Ids(self._ahead) if self._ahead else ids

    def __len__(self) -> int:
        return len(self._ids)

    def __contains__(self, one: object) -> bool:
        return isinstance(one, int) and one in self._ids

    @overload
    def __getitem__(self, at: int) -> int: ...
    @overload
    def __getitem__(self, at: slice) -> list[int]: ...
    def __getitem__(self, at: int | slice) -> int | list[int]:
        places = range(len(self))[at]
        if isinstance(places, int):
            return self._between(places, places + 1)[0]
        return self._between(places.start, places.stop) if places.step == 1 else [self[place] for place in places]

    def _between(self, first: int, beyond: int) -> list[int]:
        known, rest = len(self._ahead), len(self._rest)
        low, high = max(first - known, 0), max(beyond - known, 0)
        return [*self._ahead[first:beyond], *reversed(self._rest[rest - high : rest - low])]

    def __iter__(self) -> Iterator[int]:
        for first in range(0, len(self), _AT_ONCE):
            yield from self[first : first + _AT_ONCE]
