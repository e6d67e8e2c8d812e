"""Facets of a made-up catalogue alone, in memory: filled, counted under two choices, and one record put in anew.

Floor, in the same run: the bare intersections of the same sets, with nothing around them. It needs no catalogue in the
database, so it is quickly run for a million.
"""

import random
from collections.abc import Hashable, Iterable, Iterator, Mapping
from itertools import islice
from pathlib import Path

from bench.figures import Figure, PeakMemory, percentile, timed, times
from graupel.context import Context
from graupel.core.facets import FacetIndex, Ids, Values

TIMES = 20
AT_ONCE = 50_000
CATEGORIES = 10_000
CHOSEN: Values = {"status": ("live",), "category": tuple(range(0, CATEGORIES, 7))}


def records(count: int, seed: int) -> Iterator[tuple[int, Values]]:
    """Records with six facets; one of them has CATEGORIES values."""
    chance = random.Random(seed)
    for record_id in range(1, count + 1):
        yield (
            record_id,
            {
                "status": (chance.choice(("live", "live", "live", "draft", "archived")),),
                "category": (chance.randrange(CATEGORIES),),
                "brand": (chance.randrange(200),),
                "tag": (chance.randrange(50), chance.randrange(50, 100)),
                "price": (chance.randrange(9),),
                "fact": (chance.randrange(300), chance.randrange(300, 600)),
            },
        )


def measure(ctx: Context, count: int, folder: Path, seed: int) -> Iterator[Figure]:
    """``count``: records."""
    index = FacetIndex()
    with PeakMemory() as memory:
        seconds, _ = timed(lambda: _fill(index, records(count, seed)))
    yield Figure("facets filled", count, seconds=seconds, peak_mb=memory.peak)
    sets = [
        ids for facet in ("status", "category", "brand", "tag", "price", "fact") for ids in index.sets(facet).values()
    ]
    live = index.select({"status": ("live",)})
    floor = percentile(times(TIMES, lambda: _count_bare(sets, live)), 0.5)
    yield Figure("every value's set met with one other, the floor", count, p50_ms=floor, ratio=1.0)
    some = dict(record for record, _ in zip(records(count, seed + 1), range(100), strict=False))
    for what, work in (
        ("all facets counted under two choices", lambda: index.counts(CHOSEN)),
        ("one record put in anew", lambda: _anew(index, {7: some[7]})),
        ("a hundred records put in anew", lambda: _anew(index, some)),
    ):
        taken = times(TIMES, work)
        p50 = percentile(taken, 0.5)
        yield Figure(
            what, count, p50_ms=p50, p95_ms=percentile(taken, 0.95), ratio=p50 / floor, floor="bare intersections"
        )


def _fill(index: FacetIndex, made: Iterable[tuple[int, Values]]) -> None:
    """Put records in, AT_ONCE of them together, as they come from the database."""
    rest = iter(made)
    while some := list(islice(rest, AT_ONCE)):
        sets: dict[tuple[str, Hashable], list[int]] = {}
        for record_id, values in some:
            for facet, several in values.items():
                for value in several:
                    sets.setdefault((facet, value), []).append(record_id)
        index.add([record_id for record_id, _ in some], [(*key, ids) for key, ids in sets.items()])


def _anew(index: FacetIndex, some: Mapping[int, Values]) -> None:
    index.remove(some)
    _fill(index, some.items())


def _count_bare(sets: list[Ids], with_one: Ids) -> None:
    for ids in sets:
        ids.intersection_cardinality(with_one)
