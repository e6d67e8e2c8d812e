"""The hall's own memory: one SQLite file."""

import json
import sqlite3
import threading
from pathlib import Path
from typing import Any

_TABLES = """
CREATE TABLE IF NOT EXISTS listing (
  seller TEXT NOT NULL, reference TEXT NOT NULL, article TEXT NOT NULL, state TEXT NOT NULL, due REAL NOT NULL,
  reasons TEXT NOT NULL DEFAULT '[]', page TEXT, revision INTEGER NOT NULL,
  on_sale INTEGER NOT NULL DEFAULT 0, PRIMARY KEY (seller, reference));
CREATE TABLE IF NOT EXISTS page (number INTEGER PRIMARY KEY AUTOINCREMENT, gtin TEXT UNIQUE, title TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS request (
  number INTEGER PRIMARY KEY AUTOINCREMENT, method TEXT NOT NULL, reference TEXT NOT NULL);
"""


class Store:
    """Listings by seller and the seller's reference; pages of articles, shared by sellers with the same GTIN."""

    def __init__(self, path: Path) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        self._db = sqlite3.connect(path, check_same_thread=False, isolation_level=None)
        self._db.row_factory = sqlite3.Row
        self._db.executescript(_TABLES)
        if "on_sale" not in {row["name"] for row in self._db.execute("PRAGMA table_info(listing)")}:
            self._db.execute("ALTER TABLE listing ADD COLUMN on_sale INTEGER NOT NULL DEFAULT 0")
        self._lock = threading.Lock()

    def put(self, seller: str, reference: str, article: dict[str, Any], due: float) -> dict[str, Any]:
        """Make or revise a listing; it goes under review."""
        with self._lock:
            self._db.execute("INSERT INTO request (method, reference) VALUES ('PUT', ?)", [reference])
            self._db.execute(
                """INSERT INTO listing (seller, reference, article, state, due, revision)
                   VALUES (?, ?, ?, 'under_review', ?, 1)
                   ON CONFLICT (seller, reference) DO UPDATE SET article = excluded.article, state = 'under_review',
                   due = excluded.due, reasons = '[]', revision = revision + 1""",
                [seller, reference, json.dumps(article), due],
            )
            return self._get(seller, reference) or {}

    def get(self, seller: str, reference: str) -> dict[str, Any] | None:
        """A listing, or None."""
        with self._lock:
            return self._get(seller, reference)

    def _get(self, seller: str, reference: str) -> dict[str, Any] | None:
        row = self._db.execute(
            "SELECT * FROM listing WHERE seller = ? AND reference = ?", [seller, reference]
        ).fetchone()
        if row is None:
            return None
        found = dict(row)
        return (
            found | {key: json.loads(found[key]) for key in ("article", "reasons")} | {"on_sale": bool(row["on_sale"])}
        )

    def decide(self, seller: str, reference: str, reasons: list[dict[str, str]]) -> None:
        """Take or refuse a listing that was under review; an earlier version stays for sale where one is refused."""
        with self._lock:
            listing = self._get(seller, reference)
            if listing is None or listing["state"] != "under_review":
                return
            page = None if reasons else self._page(listing)
            self._db.execute(
                """UPDATE listing SET state = ?, reasons = ?, page = COALESCE(?, page), on_sale = on_sale OR ?
                   WHERE seller = ? AND reference = ?""",
                ["refused" if reasons else "taken", json.dumps(reasons), page, not reasons, seller, reference],
            )

    def _page(self, listing: dict[str, Any]) -> str:
        if listing["page"]:
            return str(listing["page"])
        gtin = listing["article"].get("gtin")
        found = self._db.execute("SELECT number FROM page WHERE gtin = ?", [gtin]).fetchone() if gtin else None
        number = (
            found["number"]
            if found
            else self._db.execute(
                "INSERT INTO page (gtin, title) VALUES (?, ?)", [gtin, listing["article"]["title"]]
            ).lastrowid
        )
        return f"OST-{number:06d}"

    def end(self, seller: str, reference: str) -> dict[str, Any] | None:
        """End a listing; ending it again changes nothing."""
        with self._lock:
            self._db.execute(
                "UPDATE listing SET state = 'ended', on_sale = 0 WHERE seller = ? AND reference = ?",
                [seller, reference],
            )
            return self._get(seller, reference)

    def all(self, seller: str) -> list[dict[str, Any]]:
        """All listings of a seller."""
        with self._lock:
            rows = self._db.execute(
                "SELECT reference FROM listing WHERE seller = ? ORDER BY reference", [seller]
            ).fetchall()
            return [found for row in rows if (found := self._get(seller, row["reference"]))]

    def requests(self) -> int:
        """How many writes of listings ever came in."""
        with self._lock:
            return int(self._db.execute("SELECT COUNT(*) FROM request").fetchone()[0])
