"""Runs the post office: python -m standins.post_office --folder DIR --port N --smtp-port N."""

import argparse
from pathlib import Path

import uvicorn

from standins.post_office.app import make_app


def main() -> None:
    """Serve on loopback until stopped."""
    parser = argparse.ArgumentParser(description="A stand-in for a mail server.")
    parser.add_argument("--folder", type=Path, required=True, help="where it keeps its SQLite file")
    parser.add_argument("--port", type=int, default=8140, help="of its page")
    parser.add_argument("--smtp-port", type=int, default=8141, help="where it takes mail")
    parser.add_argument("--fd", type=int, help="a socket to serve the page on that is listening already")
    given = parser.parse_args()
    app = make_app(given.folder, given.smtp_port)
    uvicorn.run(app, host="127.0.0.1", port=given.port, fd=given.fd, log_level="warning")


if __name__ == "__main__":
    main()
