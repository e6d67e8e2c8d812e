"""The payments that were asked for, in a SQLite file."""

import sqlite3
from contextlib import closing
from pathlib import Path
from typing import Any


class Store:
    """Keeps payments; one connection for each call, so that threads do not meet."""

    def __init__(self, folder: Path) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self._path = folder / "tollhatch.sqlite"
        with closing(self._connect()) as connection, connection:
            connection.execute(
                """CREATE TABLE IF NOT EXISTS payment (id TEXT PRIMARY KEY, reference TEXT UNIQUE NOT NULL,
                     amount TEXT NOT NULL, currency TEXT NOT NULL, title TEXT NOT NULL, back TEXT NOT NULL,
                     state TEXT NOT NULL DEFAULT 'open', due REAL)"""
            )

    def _connect(self) -> sqlite3.Connection:
        connection = sqlite3.connect(self._path, timeout=10)
        connection.row_factory = sqlite3.Row
        return connection

    def put(self, payment_id: str, asked: dict[str, str]) -> dict[str, Any]:
        """Keep what is asked for; the same reference again is the payment that is there."""
        with closing(self._connect()) as connection, connection:
            connection.execute(
                """INSERT OR IGNORE INTO payment (id, reference, amount, currency, title, back)
                   VALUES (:id, :reference, :amount, :currency, :title, :back)""",
                {"id": payment_id, **asked},
            )
            row = connection.execute("SELECT * FROM payment WHERE reference = ?", (asked["reference"],)).fetchone()
        return dict(row)

    def get(self, payment_id: str) -> dict[str, Any] | None:
        """One payment."""
        with closing(self._connect()) as connection:
            row = connection.execute("SELECT * FROM payment WHERE id = ?", (payment_id,)).fetchone()
        return dict(row) if row else None

    def decide(self, payment_id: str, state: str, due: float | None = None) -> None:
        """What became of a payment that nothing was decided of, or that was to come later."""
        with closing(self._connect()) as connection, connection:
            connection.execute(
                "UPDATE payment SET state = ?, due = ? WHERE id = ? AND state IN ('open', 'waiting')",
                (state, due, payment_id),
            )

    def all(self) -> list[dict[str, Any]]:
        """All of them, the newest first."""
        with closing(self._connect()) as connection:
            return [dict(row) for row in connection.execute("SELECT * FROM payment ORDER BY rowid DESC LIMIT 200")]
