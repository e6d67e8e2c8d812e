"""Which records have which values of which facets, kept so that any choice is counted in moments.

Each value of a facet holds the set of its records as one large whole number, a bit for each record. A choice of
values is then an "or" within a facet and an "and" between facets, and a count is a number of bits: a hundred thousand
records and a thousand values take a few milliseconds, and a record that changes is taken out and put in again.
"""

from collections.abc import Collection, Hashable, Iterable, Mapping

#: A record's values: facet -> values.
Values = Mapping[str, Collection[Hashable]]


class FacetIndex:
    """Records by facet and value. A record has a place (the number of its bit), used again when it is gone."""

    def __init__(self) -> None:
        self._places: dict[int, int] = {}
        self._ids: list[int] = []
        self._held: dict[int, tuple[tuple[str, Hashable], ...]] = {}
        self._bits: dict[str, dict[Hashable, int]] = {}
        self.everything = 0

    def fill(self, records: Iterable[tuple[int, Values]]) -> None:
        """Put many records into an empty index."""
        gathered: dict[tuple[str, Hashable], list[int]] = {}
        pairs: dict[tuple[str, Hashable], tuple[str, Hashable]] = {}
        for place, (record_id, values) in enumerate(records):
            held = tuple(pairs.setdefault((f, v), (f, v)) for f, several in values.items() for v in several)
            self._places[record_id], self._held[record_id] = place, held
            self._ids.append(record_id)
            for pair in held:
                gathered.setdefault(pair, []).append(place)
        self.everything = (1 << len(self._ids)) - 1
        for (facet, value), places in gathered.items():
            self._bits.setdefault(facet, {})[value] = _bits_of(places, len(self._ids))

    def put(self, record_id: int, values: Values) -> None:
        """Put one record in, or put it in anew with other values.

        A place is never given to another record: so a set that was selected may be read while others are put in.
        """
        self._clear(record_id)
        place = self._places.setdefault(record_id, len(self._ids))
        if place == len(self._ids):
            self._ids.append(record_id)
        bit = 1 << place
        self.everything |= bit
        self._held[record_id] = tuple((facet, value) for facet, several in values.items() for value in several)
        for facet, value in self._held[record_id]:
            held = self._bits.setdefault(facet, {})
            held[value] = held.get(value, 0) | bit

    def remove(self, record_id: int) -> None:
        """Take a record out; one that is not there is none."""
        self._clear(record_id)
        self._places.pop(record_id, None)

    def _clear(self, record_id: int) -> None:
        place = self._places.get(record_id)
        if place is None:
            return
        bit = 1 << place
        self.everything &= ~bit
        for facet, value in self._held.pop(record_id):
            held = self._bits[facet]
            held[value] &= ~bit
            if not held[value]:
                del held[value]

    def sets(self, facet: str) -> dict[Hashable, int]:
        """Each value of a facet with the set of records that have it."""
        return dict(self._bits.get(facet, {}))

    def mask(self, record_ids: Iterable[int]) -> int:
        """The set of these records; those that are not there are left out."""
        return _bits_of([self._places[one] for one in record_ids if one in self._places], len(self._ids))

    def ids(self, mask: int) -> list[int]:
        """The records of a set, in no order that means anything."""
        found = []
        for number, byte in enumerate(mask.to_bytes(mask.bit_length() // 8 + 1, "little")):
            while byte:
                low = byte & -byte
                found.append(self._ids[number * 8 + low.bit_length() - 1])
                byte ^= low
        return found

    def within(self, mask: int, record_ids: Iterable[int]) -> list[int]:
        """Those of the records, in their order, that the set has; those that came in after it are none of it."""
        held = mask.to_bytes(mask.bit_length() // 8 + 1, "little")
        most = len(held) * 8
        placed = ((one, self._places.get(one, most)) for one in record_ids)
        return [one for one, place in placed if place < most and held[place >> 3] >> (place & 7) & 1]

    def select(self, chosen: Values, within: int | None = None) -> int:
        """The records that have, of each facet chosen from, one of the chosen values."""
        found = self.everything if within is None else within
        for facet, values in chosen.items():
            if values:
                found &= self._any(facet, values)
        return found

    def counts(self, chosen: Values, within: int | None = None) -> dict[str, dict[Hashable, int]]:
        """How many records each value would have: under what is chosen in all other facets. Noughts are left out."""
        base = self.everything if within is None else within
        picked = {facet: self._any(facet, values) for facet, values in chosen.items() if values}
        found: dict[str, dict[Hashable, int]] = {}
        whole = base
        for bits in picked.values():
            whole &= bits
        for facet, held in self._bits.items():
            around = whole
            if facet in picked:
                around = base
                for other, bits in picked.items():
                    around &= bits if other != facet else around
            counted = {value: (bits & around).bit_count() for value, bits in held.items()}
            found[facet] = {value: count for value, count in counted.items() if count}
        return found

    def _any(self, facet: str, values: Collection[Hashable]) -> int:
        held = self._bits.get(facet, {})
        found = 0
        for value in values:
            found |= held.get(value, 0)
        return found


def _bits_of(places: Collection[int], size: int) -> int:
    """The number with a bit at each of the places."""
    held = bytearray(size // 8 + 1)
    for place in places:
        held[place >> 3] |= 1 << (place & 7)
    return int.from_bytes(held, "little")
