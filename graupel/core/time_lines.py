"""A time line of prices: what is valid when, as rows of bars; geometry in pixels of a drawing of a given width."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

#: At the left stand the names of rows; the rest is time. On the page of a product they are short.
NAMES = 232
SHORT_NAMES = 128
PART_WIDTH = 760
ROW = 44
HEAD = 34
BAR = 28
#: A bar is never narrower: it could not be taken hold of.
LEAST_WIDTH = 10.0
#: Days between sales that count as a gap: shorter than this, buyers see the price go up and down again.
GAP = timedelta(days=8)
#: So many days before a sale a raise of the price is worth a look.
RAISED_WITHIN = timedelta(days=30)

#: Where a moment stands.
At = Callable[[datetime], float]


@dataclass(frozen=True)
class Piece:
    """Something that holds for a time. ``kind``: "price", "raised", "gap", "sale" "over" or "planned".

    ``sale``: the id of the sale that can be taken hold of; ``fixed``: its beginning has passed.
    """

    kind: str
    begins: datetime
    ends: datetime | None
    label: str
    sale: int | None = None
    fixed: bool = False
    words: str = ""


@dataclass(frozen=True)
class Line:
    """A row: what it is about, and what holds when, in order. ``about``: a second, smaller line."""

    name: str
    link: str
    pieces: Sequence[Piece]
    about: str = ""


@dataclass(frozen=True)
class Bar:
    """A piece where it is drawn. ``open_left`` and ``open_right``: it goes on beyond the drawing."""

    piece: Piece
    x: float
    y: float
    width: float
    open_left: bool
    open_right: bool

    @property
    def shows_label(self) -> bool:
        """Whether its label has room within it."""
        return self.width >= 7.2 * len(self.piece.label) + 12


@dataclass(frozen=True)
class Tick:
    """A day at the top."""

    x: float
    day: datetime
    is_month: bool


@dataclass(frozen=True)
class Row:
    """A row where it is drawn."""

    line: Line
    y: float
    bars: Sequence[Bar]


@dataclass(frozen=True)
class Drawing:
    """The whole: rows, ticks, and where now is, None where that lies outside; ``day``: how many pixels a day has."""

    width: float
    height: float
    rows: Sequence[Row]
    ticks: Sequence[Tick]
    now: float | None
    day: float
    begins: datetime
    ends: datetime
    zone: ZoneInfo = field(default=ZoneInfo("UTC"))


def draw(
    lines: Sequence[Line],
    begins: datetime,
    ends: datetime,
    now: datetime,
    zone: ZoneInfo,
    width: float = 1200,
    names: float = NAMES,
) -> Drawing:
    """Where everything stands; ``names``: how wide their column is. Times are true to the second, also where clocks
    are changed."""
    scale = (width - names) / (ends - begins).total_seconds()

    def x(moment: datetime) -> float:
        return names + (moment - begins).total_seconds() * scale

    rows = []
    for place, line in enumerate(lines):
        y = HEAD + place * ROW
        bars = [_bar(piece, begins, ends, x, y) for piece in line.pieces if _is_seen(piece, begins, ends)]
        rows.append(Row(line, y, bars))
    height = HEAD + max(1, len(lines)) * ROW + 22
    here = x(now) if begins <= now < ends else None
    return Drawing(width, height, rows, _ticks(begins, ends, zone, x), here, scale * 86400, begins, ends, zone)


def _is_seen(piece: Piece, begins: datetime, ends: datetime) -> bool:
    return piece.begins < ends and (piece.ends is None or piece.ends > begins)


def _bar(piece: Piece, begins: datetime, ends: datetime, x: At, y: float) -> Bar:
    left, right = max(piece.begins, begins), min(piece.ends or ends, ends)
    wide = max(x(right) - x(left), LEAST_WIDTH if piece.sale else 1.0)
    return Bar(
        piece, x(left), y + (ROW - BAR) / 2, wide, piece.begins < begins, piece.ends is None or piece.ends > ends
    )


def _ticks(begins: datetime, ends: datetime, zone: ZoneInfo, x: At) -> list[Tick]:
    """The first of each month, and between them the middle ones or the weeks, as far as there is room."""
    days = (ends - begins).days
    wanted = (1,) if days > 200 else (1, 15) if days > 60 else (1, 8, 15, 22)
    last = ends - (ends - begins) / 50  # nearer to the edge its name would be cut off
    day = begins.astimezone(zone).replace(hour=0, minute=0, second=0, microsecond=0)
    found = []
    while day < ends:
        if begins <= day < last and day.day in wanted:
            found.append(Tick(x(day), day, day.day == 1))
        day = (day + timedelta(days=1)).replace(hour=0)
    return found


def between(pieces: Sequence[Piece], since: datetime, until: datetime) -> list[tuple[datetime, datetime]]:
    """The spans in which no sale holds, between two moments; ``pieces``: sales in order, which may overlap."""
    free, at = [], since
    for piece in sorted(pieces, key=lambda one: one.begins):
        if piece.begins > at:
            free.append((at, min(piece.begins, until)))
        at = max(at, piece.ends or until)
    if at < until:
        free.append((at, until))
    return [(a, b) for a, b in free if a < b]


def is_gap(begins: datetime, ends: datetime, pieces: Sequence[Piece]) -> bool:
    """Whether a span without a sale is a short one between two."""
    before = any(piece.ends == begins for piece in pieces)
    after = any(piece.begins == ends for piece in pieces)
    return before and after and ends - begins < GAP
