"""How far prices move: bands of percent, by which many changes are counted and drawn."""

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal

#: Where bands end, in percent of what was; a change on an end belongs to the band above it.
ENDS = (-50, -20, -10, -5, 0, 5, 10, 20, 50, 100)
#: The first band of rising prices.
RISING = ENDS.index(0) + 1


def band_of(before: Decimal, after: Decimal) -> int:
    """The band of one change. ``before`` is above 0."""
    return sum((after - before) * 100 >= before * end for end in ENDS)


def band_sql(before: str, after: str) -> str:
    """SQL of the same, from SQL of both amounts."""
    return "(" + " + ".join(f"(({after} - {before}) * 100 >= {before} * {end})" for end in ENDS) + ")"


def label(band: int) -> str:
    """A band in a few signs: "5 to 10 %"."""
    signed = [f"−{-end}" if end < 0 else f"{'+' if end else ''}{end}" for end in ENDS]
    if band == 0:
        return f"below {signed[0]} %"
    if band == len(ENDS):
        return f"{signed[-1]} % and more"
    return f"{signed[band - 1]} to {signed[band]} %"


@dataclass(frozen=True)
class Bar:
    """A band as it is drawn. ``share``: of the fullest, in hundredths, at least 2 where there is any."""

    label: str
    count: int
    share: int
    rises: bool


def bars(counts: Mapping[int, int]) -> list[Bar]:
    """The bands from the first that has any to the last, by their numbers; none where no price moves."""
    there = sorted(band for band, count in counts.items() if count)
    if not there:
        return []
    most = max(counts.values())
    return [
        Bar(label(band), count, max(2, round(100 * count / most)) if count else 0, band >= RISING)
        for band in range(there[0], there[-1] + 1)
        for count in [counts.get(band, 0)]
    ]


def moved(counts: Mapping[int, int]) -> tuple[int, int]:
    """How many rise, and how many fall."""
    rise = sum(count for band, count in counts.items() if band >= RISING)
    return rise, sum(counts.values()) - rise
