"""Several processes that belong together: all run, or all stop."""

import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Mapping
from types import TracebackType

from graupel.core.errors import GraupelError
from graupel.processes import end_with_parent

STOP_SECONDS = 20


def python(*arguments: str) -> list[str]:
    """A command that runs this very Python."""
    return [sys.executable, *arguments]


class Processes:
    """Starts processes and stops them in the opposite order."""

    def __init__(self) -> None:
        self._running: list[tuple[str, subprocess.Popen[bytes]]] = []
        self._stopping = False

    def __enter__(self) -> "Processes":
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, self._ask_to_stop)
        return self

    def __exit__(self, kind: type[BaseException] | None, value: BaseException | None, tb: TracebackType | None) -> None:
        for _, process in reversed(self._running):
            if process.poll() is None:
                process.terminate()
                try:
                    process.wait(STOP_SECONDS)
                except subprocess.TimeoutExpired:
                    process.kill()
                    process.wait()

    def _ask_to_stop(self, *_: object) -> None:
        self._stopping = True

    def start(
        self,
        name: str,
        command: list[str],
        *,
        log: str | None = None,
        held: socket.socket | None = None,
        environment: Mapping[str, str] | None = None,
    ) -> None:
        """Start one; its output goes to the file ``log``, or here. ``held``: a socket that it is to serve."""
        if held:
            command = [*command, "--fd", str(held.fileno())]
        output = open(log, "ab") if log else None  # noqa: SIM115
        process = subprocess.Popen(  # noqa: S603
            command,
            env={**os.environ, **(environment or {})},
            stdin=subprocess.DEVNULL,
            stdout=output,
            stderr=output,
            start_new_session=True,
            pass_fds=[held.fileno()] if held else [],
            preexec_fn=end_with_parent,
        )
        self._running.append((name, process))

    def wait(self) -> None:
        """Until somebody asks to stop. Raises GraupelError where one of them ends by itself."""
        while not self._stopping:
            for name, process in self._running:
                if process.poll() is not None:
                    raise GraupelError(f"{name} ended by itself, with status {process.returncode}.")
            time.sleep(0.2)  # signals end the sleep; a child's end is seen at the next look
