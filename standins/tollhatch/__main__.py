"""Runs Tollhatch: python -m standins.tollhatch --folder DIR --port N --key KEY."""

import argparse
from pathlib import Path

import uvicorn

from standins.tollhatch.app import make_app


def main() -> None:
    """Serve on loopback until stopped."""
    parser = argparse.ArgumentParser(description="Tollhatch, a stand-in for a till.")
    parser.add_argument("--folder", type=Path, required=True, help="where it keeps its SQLite file")
    parser.add_argument("--port", type=int, default=8160)
    parser.add_argument("--key", required=True, help="the shop's key")
    parser.add_argument("--later-seconds", type=float, default=60.0, help="when a payment that comes later has come")
    parser.add_argument("--fd", type=int, help="a socket to serve that is listening already, instead of a port")
    given = parser.parse_args()
    app = make_app(given.folder, key=given.key, later_seconds=given.later_seconds)
    uvicorn.run(app, host="127.0.0.1", port=given.port, fd=given.fd, log_level="warning")


if __name__ == "__main__":
    main()
