"""Values over time, drawn as lines that step where they changed; geometry in pixels."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

WIDTH, HEIGHT = 560, 128
#: Room for the values at the right, and for the days below.
RIGHT, BELOW, ABOVE = 66, 22, 10
#: Between so many levels the values are read off.
LEVELS = 3
#: A mark for each change is drawn up to so many of them.
MOST_MARKS = 60

#: From when on which value holds; None: none.
Points = Sequence[tuple[datetime, Decimal | None]]


@dataclass(frozen=True)
class Series:
    """A value over time, in order."""

    name: str
    points: Points


@dataclass(frozen=True)
class Mark:
    """A change where it is drawn."""

    x: float
    y: float
    at: datetime
    value: Decimal


@dataclass(frozen=True)
class Curve:
    """A series where it is drawn. ``path``: of SVG; ``y``: of its last value, None where it has none."""

    name: str
    path: str
    marks: Sequence[Mark]
    last: Decimal | None
    y: float | None


@dataclass(frozen=True)
class Level:
    """A value at the side."""

    y: float
    value: Decimal


@dataclass(frozen=True)
class Tick:
    """A day below."""

    x: float
    day: datetime


@dataclass(frozen=True)
class Drawing:
    """The whole. ``low`` and ``high``: of all values that are drawn."""

    curves: Sequence[Curve]
    levels: Sequence[Level]
    ticks: Sequence[Tick]
    begins: datetime
    ends: datetime
    low: Decimal
    high: Decimal
    width: float = WIDTH
    height: float = HEIGHT
    right: float = RIGHT


def began(series: Sequence[Series], begins: datetime, ends: datetime) -> datetime | None:
    """Where a drawing begins that leaves out the time before the first change; None where nothing changed."""
    first = min((at for one in series for at, _ in one.points[1:]), default=None)
    return None if first is None else max(begins, first - max((ends - first) / 12, timedelta(hours=2)))


def draw(series: Sequence[Series], begins: datetime, ends: datetime, zone: ZoneInfo) -> Drawing | None:
    """Where everything stands between two moments; None where nothing has a value."""
    values = [value for one in series for _, value in one.points if value is not None]
    if not values or begins >= ends:
        return None
    steps = _levels(min(values), max(values))
    low, high = steps[0], steps[-1]
    across = (WIDTH - RIGHT) / (ends - begins).total_seconds()
    up = (HEIGHT - BELOW - ABOVE) / float(high - low)

    def x(at: datetime) -> float:
        return round(max(0.0, (at - begins).total_seconds() * across), 1)

    def y(value: Decimal) -> float:
        return round(HEIGHT - BELOW - float(value - low) * up, 1)

    curves = [_curve(one, x, y, x(ends)) for one in series]
    levels = [Level(y(value), value) for value in steps]
    return Drawing(curves, levels, _ticks(begins, ends, zone, x), begins, ends, min(values), max(values))


def _curve(one: Series, x, y, right: float) -> Curve:  # type: ignore[no-untyped-def]
    path: list[str] = []
    marks: list[Mark] = []
    open_ = False
    for place, (at, value) in enumerate(one.points):
        here = x(at)
        if value is None:
            path += [f"H{here}"] if open_ else []
            open_ = False
            continue
        path.append(f"H{here}V{y(value)}" if open_ else f"M{here} {y(value)}")
        open_ = True
        if place:
            marks.append(Mark(here, y(value), at, value))
    if open_:
        path.append(f"H{right}")
    last = one.points[-1][1] if one.points else None
    return Curve(
        one.name, "".join(path), marks if len(marks) <= MOST_MARKS else (), last, None if last is None else y(last)
    )


def _levels(low: Decimal, high: Decimal) -> list[Decimal]:
    """Round values from below the lowest to above the highest, some LEVELS apart."""
    span = high - low or max(abs(high) / 5, Decimal(1))
    step = Decimal(10) ** (span / LEVELS).adjusted()
    for factor in (1, 2, 5, 10):
        if step * factor * LEVELS >= span:
            step *= factor
            break
    first = (low // step) * step if low >= 0 or low % step == 0 else (low // step - 1) * step
    found = [first]
    while found[-1] < high or len(found) < 2:
        found.append(found[-1] + step)
    return found


def _ticks(begins: datetime, ends: datetime, zone: ZoneInfo, x) -> list[Tick]:  # type: ignore[no-untyped-def]
    """Days at even distances, five at the most."""
    days = max(1, (ends - begins).days // 5 + 1)
    day = begins.astimezone(zone).replace(hour=0, minute=0, second=0, microsecond=0) + timedelta(days=1)
    found = []
    while day < ends - (ends - begins) / 12:
        found.append(Tick(x(day), day))
        day += timedelta(days=days)
    return found


def thinned(points: Points, most: int = 500) -> list[tuple[datetime, Decimal | None]]:
    """The same with the last point of each of ``most`` even spans, so that a drawing stays small."""
    if len(points) <= most:
        return list(points)
    begins, ends = points[0][0], points[-1][0]
    span = (ends - begins) / most
    kept: dict[int, tuple[datetime, Decimal | None]] = {}
    for at, value in points:
        kept[int((at - begins) / span) if span else 0] = (at, value)
    return [points[0], *(one for key, one in sorted(kept.items()) if key)]
