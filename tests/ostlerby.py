"""Ostlerby for tests: the stand-in in its own process, on loopback."""

import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest

KEY = "test-key"


class Hall:
    """A running stand-in, and its switches."""

    def __init__(self, address: str) -> None:
        self.address = address
        self._client = httpx.Client(base_url=address, trust_env=False, timeout=10)

    def fault(self, fault: str | None, **given: Any) -> None:
        """Switch a fault on or off."""
        self._client.post("/control/faults", json={"fault": fault, **given}).raise_for_status()

    def forward(self, seconds: float) -> None:
        """Move its clock on."""
        self._client.post("/control/clock", json={"forward_seconds": seconds}).raise_for_status()

    def counts(self) -> dict[str, int]:
        """Listings, and writes that came in."""
        return self._client.get("/control/counts").json()

    def listings(self) -> list[dict[str, Any]]:
        """All listings of the seller."""
        return self._client.get("/v1/listings", headers={"Authorization": f"Bearer {KEY}"}).json()


@pytest.fixture
def hall(tmp_path: Path) -> Iterator[Hall]:
    """A fresh Ostlerby whose reviews take 60 seconds of its own clock."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    process = subprocess.Popen(
        [
            sys.executable,
            "-m",
            "standins.ostlerby",
            "--folder",
            str(tmp_path / "hall"),
            "--port",
            str(port),
            "--key",
            KEY,
            "--review-seconds",
            "60",
        ]
    )
    address = f"http://127.0.0.1:{port}"
    try:
        deadline = time.monotonic() + 20
        while True:
            try:
                httpx.get(f"{address}/control/counts", trust_env=False).raise_for_status()
                break
            except httpx.HTTPError:
                assert process.poll() is None
                assert time.monotonic() < deadline
                time.sleep(0.05)
        yield Hall(address)
    finally:
        process.terminate()
        process.wait(10)
