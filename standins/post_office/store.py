"""The mail that was taken, in a SQLite file."""

import sqlite3
from contextlib import closing
from pathlib import Path

from pydantic import BaseModel


class Letter(BaseModel):
    """A mail as it was taken."""

    id: int
    message_id: str | None
    taken_at: str
    sender: str
    recipients: str
    subject: str
    text: str


class Store:
    """Keeps mail; one connection for each call, so that threads do not meet."""

    def __init__(self, folder: Path) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self._path = folder / "post_office.sqlite"
        with closing(self._connect()) as connection, connection:
            connection.execute(
                """CREATE TABLE IF NOT EXISTS kept_letter (id INTEGER PRIMARY KEY, message_id TEXT UNIQUE,
                     taken_at TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%SZ', 'now')),
                     sender TEXT NOT NULL, recipients TEXT NOT NULL, subject TEXT NOT NULL, text TEXT NOT NULL)"""
            )

    def _connect(self) -> sqlite3.Connection:
        connection = sqlite3.connect(self._path, timeout=10)
        connection.row_factory = sqlite3.Row
        return connection

    def put(self, message_id: str | None, sender: str, recipients: str, subject: str, text: str) -> None:
        """Keep a mail, once: what comes again under the same id is there already."""
        with closing(self._connect()) as connection, connection:
            connection.execute(
                """INSERT OR IGNORE INTO kept_letter (message_id, sender, recipients, subject, text)
                   VALUES (?, ?, ?, ?, ?)""",
                (message_id, sender, recipients, subject, text),
            )

    def newest(self, limit: int = 100) -> list[Letter]:
        """The newest first."""
        with closing(self._connect()) as connection:
            rows = connection.execute("SELECT * FROM kept_letter ORDER BY id DESC LIMIT ?", (limit,)).fetchall()
        return [Letter(**dict(row)) for row in rows]

    def clear(self) -> None:
        """Throw everything away."""
        with closing(self._connect()) as connection, connection:
            connection.execute("DELETE FROM kept_letter")
