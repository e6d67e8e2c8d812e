"""The tables of reviews."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from graupel.db import Tx, plain
from graupel.features.reviews.rows import ListedRow, ReviewNameRow, ReviewRow, SwitchRow

_COLUMNS = tuple(ReviewRow.__annotations__)
_REVIEW = f"SELECT {', '.join(_COLUMNS)} FROM review"


def switch(tx: Tx, product_id: int, *, lock: bool = False) -> SwitchRow | None:
    return tx.row(
        SwitchRow,
        f"""SELECT id, product_id, allowed, version FROM review_switch WHERE product_id = %s
            {"FOR UPDATE" if lock else ""}""",
        [product_id],
    )


def shown(tx: Tx, product_id: int, limit: int) -> list[ReviewRow]:
    """What buyers see of a product, the newest first."""
    return tx.rows(
        ReviewRow,
        f"{_REVIEW} WHERE product_id = %s AND state = 'shown' ORDER BY id DESC LIMIT %s",
        [product_id, limit],
    )


def stars(tx: Tx, product_id: int) -> dict[int, int]:
    """How many of the reviews that are shown gave so many stars."""
    rows = tx.all(
        "SELECT stars, COUNT(*) AS n FROM review WHERE product_id = %s AND state = 'shown' GROUP BY stars", [product_id]
    )
    return {row["stars"]: row["n"] for row in rows}


def counts(tx: Tx, product_id: int | None = None) -> dict[str, int]:
    """How many there are in each state, of a product or of all."""
    rows = tx.all(
        """SELECT state, COUNT(*) AS n FROM review WHERE %(product)s IS NULL OR product_id = %(product)s
           GROUP BY state""",
        {"product": product_id},
    )
    return {row["state"]: row["n"] for row in rows}


def listed(tx: Tx, state: str, before: int, lang: str, limit: int) -> list[ListedRow]:
    """Reviews from the newest on, before an id; ``state`` "" for all."""
    return tx.rows(
        ListedRow,
        f"""SELECT {", ".join(f"r.{name}" for name in _COLUMNS)}, t.name AS product FROM review r
            JOIN product_text t ON t.product_id = r.product_id AND t.lang = %(lang)s
            WHERE (%(state)s = '' OR r.state = %(state)s)
            AND (%(before)s = 0 OR r.id < %(before)s) ORDER BY r.id DESC LIMIT %(limit)s""",
        {"lang": lang, "state": state, "before": before, "limit": limit},
    )


def review(tx: Tx, review_id: int, *, lock: bool = False) -> ReviewRow | None:
    return tx.row(ReviewRow, f"{_REVIEW} WHERE id = %s {'FOR UPDATE' if lock else ''}", [review_id])


def written_since(tx: Tx, who: bytes, since: datetime) -> int:
    return int(tx.value("SELECT COUNT(*) FROM review WHERE who = %s AND made_at > %s", [who, since]))


def insert(tx: Tx, values: Mapping[str, Any]) -> int:
    return plain.insert(tx, "review", values)


def names(tx: Tx, ids: Sequence[int]) -> list[ReviewNameRow]:
    return tx.rows(ReviewNameRow, "SELECT id, name, product_id FROM review WHERE id IN %s", [list(ids) or [0]])
