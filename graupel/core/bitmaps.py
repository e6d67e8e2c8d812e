"""Sets of ids by their keys in bytes, for a file."""

import json
from collections.abc import Iterable, Iterator
from typing import Any

from pyroaring import BitMap


def pack(sets: Iterable[tuple[Any, BitMap]]) -> bytes:
    """The keys, which are to be values of JSON, as a line; then the sets one after the other."""
    packed = [(key, ids.serialize()) for key, ids in sets]
    said = json.dumps([(key, len(one)) for key, one in packed])
    return b"\n".join([said.encode(), b"".join(one for _, one in packed)])


def unpack(packed: bytes) -> Iterator[tuple[Any, BitMap]]:
    """The keys and sets that were packed. Raises ValueError where the bytes are something else."""
    said, _, sets = packed.partition(b"\n")
    at = 0
    for key, size in json.loads(said):
        yield key, BitMap.deserialize(sets[at : at + size])
        at += size
