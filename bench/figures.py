"""A measured figure, and the table of them."""

import json
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import TypeVar

T = TypeVar("T")


@dataclass(frozen=True)
class Figure:
    """Seconds of the whole, or milliseconds of one of many; ``ratio`` is to the floor named."""

    name: str
    rows: int
    seconds: float | None = None
    ratio: float | None = None
    floor: str = ""
    p50_ms: float | None = None
    p95_ms: float | None = None
    peak_mb: float | None = None

    def as_json(self) -> str:
        """One object on a line, without what does not apply."""
        return json.dumps({key: value for key, value in asdict(self).items() if value not in (None, "")})


def timed(work: Callable[[], T]) -> tuple[float, T]:
    """Seconds, and the result."""
    began = time.perf_counter()
    result = work()
    return time.perf_counter() - began, result


def percentile(values: Sequence[float], part: float) -> float:
    """The value below which this part of all lies."""
    ordered = sorted(values)
    return ordered[min(len(ordered) - 1, int(len(ordered) * part))]


def times(number: int, work: Callable[[], object]) -> list[float]:
    """Milliseconds of each of so many runs."""
    return [timed(work)[0] * 1000 for _ in range(number)]


def against(name: str, rows: int, took: Sequence[float], floor: float, what: str) -> Figure:
    """What runs took (ms each), as a ratio of their median to that of a floor, which is called ``what``."""
    half = percentile(took, 0.5)
    return Figure(name, rows, ratio=half / floor, floor=what, p50_ms=half, p95_ms=percentile(took, 0.95))


class PeakMemory:
    """The highest resident memory of this process while it is open, in MB (from /proc/self/status)."""

    def __enter__(self) -> "PeakMemory":
        self.peak, self._done = 0.0, threading.Event()
        self._thread = threading.Thread(target=self._watch, daemon=True)
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._done.set()
        self._thread.join()

    def _watch(self) -> None:
        while not self._done.wait(0.05):
            line = next(line for line in Path("/proc/self/status").read_text().splitlines() if line.startswith("VmRSS"))
            self.peak = max(self.peak, int(line.split()[1]) / 1024)


def table(figures: Sequence[Figure]) -> str:
    """The figures in columns, as Markdown."""

    def cell(value: float | None, digits: int) -> str:
        return "" if value is None else f"{value:,.{digits}f}"

    lines = [
        "| measure | variants | seconds | ratio | floor | p50 ms | p95 ms | peak MB |",
        "|---|---:|---:|---:|---|---:|---:|---:|",
    ]
    lines += [
        f"| {f.name} | {f.rows:,} | {cell(f.seconds, 2)} | {cell(f.ratio, 1)} | {f.floor} | {cell(f.p50_ms, 0)} | "
        f"{cell(f.p95_ms, 0)} | {cell(f.peak_mb, 0)} |"
        for f in figures
    ]
    return "\n".join(lines)
