"""Runs Ostlerby: python -m standins.ostlerby --folder DIR --port N --key KEY."""

import argparse
from pathlib import Path

import uvicorn

from standins.ostlerby.app import make_app


def main() -> None:
    """Serve on loopback until stopped."""
    parser = argparse.ArgumentParser(description="Ostlerby, a stand-in for a market hall.")
    parser.add_argument("--folder", type=Path, required=True, help="where it keeps its SQLite file")
    parser.add_argument("--port", type=int, default=8100)
    parser.add_argument("--key", required=True, help="the seller's key")
    parser.add_argument("--review-seconds", type=float, default=4.0, help="how long a review takes")
    parser.add_argument("--fd", type=int, help="a socket to serve that is listening already, instead of a port")
    given = parser.parse_args()
    app = make_app(given.folder, key=given.key, review_seconds=given.review_seconds)
    uvicorn.run(app, host="127.0.0.1", port=given.port, fd=given.fd, log_level="warning")


if __name__ == "__main__":
    main()
