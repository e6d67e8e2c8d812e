"""Counts that are kept until the catalogue changes."""

import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any, TypeVar

T = TypeVar("T")


class KeptCounts:
    """The last few hundred results, each valid while the catalogue's stamp is the same and at most ``seconds``."""

    def __init__(self, most: int = 400, seconds: float = 30) -> None:
        self._most, self._seconds = most, seconds
        self._lock = threading.Lock()
        self._kept: OrderedDict[Hashable, tuple[float, Any]] = OrderedDict()

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        """The result kept under ``key``, or a new one. ``key`` must hold the stamp."""
        now = time.monotonic()
        with self._lock:
            found = self._kept.get(key)
            if found and now - found[0] < self._seconds:
                self._kept.move_to_end(key)
                kept: T = found[1]
                return kept
        made = make()
        with self._lock:
            self._kept[key] = (now, made)
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return made
