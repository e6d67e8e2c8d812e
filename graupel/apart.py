"""Work on what strangers send runs in a process of its own, with little memory and little time.

A file that makes a library take all memory, run without end, or fall over, takes nothing else with it. The process is
kept and used again; one that does not answer in time is killed, and the next file gets a new one.
"""

import os
import pickle
import resource
import select
import struct
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from queue import Empty, LifoQueue
from typing import Any, BinaryIO, TypeVar

from graupel.core.errors import Refused

T = TypeVar("T")
SECONDS = 30.0
MOST_BYTES = 1_500_000_000
#: So many at once for each of our processes; more wait.
AT_ONCE = 2
_HEAD = struct.Struct(">Q")


class GaveUp(Exception):
    """The work took too long or too much memory, or its process fell over."""


class _Worker:
    """One process that works on one thing after another."""

    def __init__(self) -> None:
        command = [sys.executable, "-m", "graupel.apart"]
        self._process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE)  # noqa: S603 - ours

    def do(self, work: Callable[..., T], given: tuple[Any, ...], seconds: float) -> T:
        deadline = time.monotonic() + seconds
        try:
            _write(self._process.stdin, pickle.dumps((work, given)))
            answer = self._read(_HEAD.size, deadline)
            worked, value = pickle.loads(self._read(_HEAD.unpack(answer)[0], deadline))  # noqa: S301 - our own process
        except (OSError, GaveUp) as error:
            self.end()
            raise GaveUp from error
        if worked:
            result: T = value
            return result
        raise Refused(value) if isinstance(value, list) else GaveUp(value)

    def _read(self, size: int, deadline: float) -> bytes:
        stream = self._process.stdout
        assert stream is not None
        found = bytearray()
        while len(found) < size:
            ready, _, _ = select.select([stream], [], [], max(0.0, deadline - time.monotonic()))
            chunk = os.read(stream.fileno(), min(size - len(found), 1 << 20)) if ready else b""
            if not chunk:
                raise GaveUp
            found += chunk
        return bytes(found)

    def end(self) -> None:
        self._process.kill()
        self._process.wait()
        for stream in (self._process.stdin, self._process.stdout):
            with suppress(OSError):
                if stream:
                    stream.close()


_free: LifoQueue[_Worker] = LifoQueue()
_turns = threading.BoundedSemaphore(AT_ONCE)


def do(work: Callable[..., T], *given: Any, seconds: float = SECONDS) -> T:
    """What a function of a module gives. It and what it is given are sent there. Raises GaveUp, and its Refused."""
    with _turns:
        try:
            worker = _free.get_nowait()
        except Empty:
            worker = _Worker()
        try:
            result = worker.do(work, given, seconds)
        except Refused:  # it works on; only one that fell over is let go
            _free.put(worker)
            raise
        _free.put(worker)
        return result


def _write(stream: BinaryIO | Any, content: bytes) -> None:
    stream.write(_HEAD.pack(len(content)))
    stream.write(content)
    stream.flush()


def main() -> None:
    """The other side: works on what it is sent until its parent is gone."""
    resource.setrlimit(resource.RLIMIT_AS, (MOST_BYTES, MOST_BYTES))
    answers = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)  # whatever a library prints does not stand among the answers
    while head := sys.stdin.buffer.read(_HEAD.size):
        work, given = pickle.loads(sys.stdin.buffer.read(_HEAD.unpack(head)[0]))  # noqa: S301 - from our own process
        answer: tuple[bool, Any]
        try:
            answer = True, work(*given)
        except Refused as refusal:
            answer = False, refusal.problems
        except MemoryError:
            answer = False, "too much memory"
        except Exception as fault:
            answer = False, f"{type(fault).__name__}: {fault}"[:500]
        _write(answers, pickle.dumps(answer))


if __name__ == "__main__":
    main()
