"""Tollhatch for tests: the till in its own process, on loopback."""

import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest

KEY = "till-key"


class Till:
    """A running till, its switches, and the hands of a buyer."""

    def __init__(self, address: str) -> None:
        self.address = address
        self._client = httpx.Client(base_url=address, trust_env=False, timeout=10)

    def fault(self, fault: str | None, **given: Any) -> None:
        """Switch a fault on or off."""
        self._client.post("/control/faults", json={"fault": fault, **given}).raise_for_status()

    def forward(self, seconds: float) -> None:
        """Move its clock on."""
        self._client.post("/control/clock", json={"forward_seconds": seconds}).raise_for_status()

    def payments(self) -> list[dict[str, Any]]:
        """All that was asked for, the newest first."""
        return self._client.get("/control/payments").json()

    def answer(self, page: str, said: str) -> str:
        """What a buyer says on its page: yes, no or later; returns where the buyer goes."""
        answer = self._client.post(page.removeprefix(self.address), data={"answer": said})
        assert answer.status_code == 303
        return answer.headers["location"]


@pytest.fixture
def till(ctx, tmp_path: Path) -> Iterator[Till]:
    """A fresh till, at which the shop's buyers can pay; what comes later comes after 60 seconds of its clock."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    given = ["--folder", str(tmp_path / "till"), "--port", str(port), "--key", KEY]
    process = subprocess.Popen([sys.executable, "-m", "standins.tollhatch", *given])
    found = Till(f"http://127.0.0.1:{port}")
    try:
        _wait(found)
        ctx.settings.till_address, ctx.settings.till_key = found.address, KEY
        yield found
    finally:
        process.terminate()
        process.wait(10)


def _wait(found: Till) -> None:
    deadline = time.monotonic() + 30
    while time.monotonic() < deadline:
        try:
            found.payments()
        except httpx.HTTPError:
            time.sleep(0.05)  # another process starts: it can only be asked
        else:
            return
    raise AssertionError("The till does not start.")
