"""Serving processes of their own, for what is measured over HTTP."""

import os
import socket
import subprocess
import sys
import time
from pathlib import Path

import httpx

from graupel.context import Context


def env(ctx: Context, folder: Path) -> dict[str, str]:
    """What a process of the installation that is measured is told."""
    return {
        **os.environ,
        "GRAUPEL_DATABASE_URL": ctx.settings.database_url,
        "GRAUPEL_DATA_FOLDER": str(folder),
        "GRAUPEL_LOG_LEVEL": "ERROR",
    }


def serve(ctx: Context, folder: Path) -> tuple[str, subprocess.Popen[bytes]]:
    """Two serving processes, once they answer: their address, and the one to end."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    process = subprocess.Popen(
        [sys.executable, "-m", "graupel.cli", "serve", "--port", str(port), "--processes", "2"], env=env(ctx, folder)
    )
    address = f"http://127.0.0.1:{port}"
    deadline = time.monotonic() + 30
    while True:
        try:
            httpx.get(f"{address}/healthz", trust_env=False)
            return address, process
        except httpx.HTTPError:
            if time.monotonic() > deadline or process.poll() is not None:
                raise
            time.sleep(0.1)
