"""Counts that are kept until the catalogue changes."""

import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping
from typing import Any, TypeVar

T = TypeVar("T")


class KeptCounts:
    """The last few hundred results, each valid while the catalogue's stamp is the same and at most ``seconds``."""

    def __init__(self, most: int = 400, seconds: float = 300) -> None:
        self._most, self._seconds = most, seconds
        self._lock = threading.Lock()
        self._making: dict[Hashable, threading.Lock] = {}
        self._kept: OrderedDict[Hashable, tuple[float, Any]] = OrderedDict()

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        """The result kept under ``key``, or a new one. ``key`` must hold the stamp.

        Where several want the same at once, one makes it and the others wait for that.
        """
        with self._lock:
            making = self._making.setdefault(key, threading.Lock())
        with making:
            now = time.monotonic()
            with self._lock:
                found = self._kept.get(key)
                if found and now - found[0] < self._seconds:
                    self._kept.move_to_end(key)
                    self._making.pop(key, None)
                    kept: T = found[1]
                    return kept
            made = make()
            with self._lock:
                self._kept[key] = (now, made)
                self._making.pop(key, None)
                while len(self._kept) > self._most:
                    self._kept.popitem(last=False)
            return made


class Keepers:
    """Things of which a process holds one each."""

    def __init__(self, held: Mapping[type[Any], Any] | None = None) -> None:
        self._lock = threading.Lock()
        self._held: dict[type[Any], Any] = dict(held or {})

    def get(self, kind: type[T]) -> T:
        """The one of its kind, made without arguments the first time."""
        with self._lock:
            if kind not in self._held:
                self._held[kind] = kind()
            held: T = self._held[kind]
            return held
