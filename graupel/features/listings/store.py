"""The tables of channels, their categories, and listings."""

import json
from collections.abc import Sequence
from typing import Any

from graupel.core.readiness import ChannelPlace, ChannelTerms
from graupel.db import Tx


def channels(tx: Tx) -> list[dict[str, Any]]:
    return tx.all("SELECT * FROM channel ORDER BY name")


def channel(tx: Tx, channel_id: int, *, lock: bool = False) -> dict[str, Any] | None:
    return tx.one(f"SELECT * FROM channel WHERE id = %s {'FOR UPDATE' if lock else ''}", [channel_id])


def insert_channel(tx: Tx, kind: str, name: str, address: str, secret: str) -> int:
    return tx.insert(
        "INSERT INTO channel (kind, name, address, secret) VALUES (%s, %s, %s, %s)", [kind, name, address, secret]
    )


def update_channel(tx: Tx, channel_id: int, address: str, secret: str) -> None:
    tx.run(
        """UPDATE channel SET address = %s, secret = %s, trouble = '', checked_at = NULL, version = version + 1
           WHERE id = %s""",
        [address, secret, channel_id],
    )


def set_language(tx: Tx, channel_id: int, lang: str) -> None:
    tx.run("UPDATE channel SET lang = %s, version = version + 1 WHERE id = %s", [lang, channel_id])


def mark_all(tx: Tx, channel_id: int, states: Sequence[str]) -> None:
    """All listings of a channel may be behind."""
    tx.run("UPDATE listing SET stale = TRUE WHERE channel_id = %s AND state IN %s", [channel_id, list(states)])


def set_checked(tx: Tx, channel_id: int, terms: ChannelTerms) -> None:
    tx.run(
        "UPDATE channel SET terms = %s, checked_at = UTC_TIMESTAMP(3), trouble = '' WHERE id = %s",
        [json.dumps(vars(terms)), channel_id],
    )


def set_trouble(tx: Tx, channel_id: int, trouble: str) -> None:
    tx.run("UPDATE channel SET trouble = %s WHERE id = %s", [trouble[:600], channel_id])


def replace_places(tx: Tx, channel_id: int, places: list[ChannelPlace]) -> None:
    tx.run("DELETE FROM channel_category WHERE channel_id = %s", [channel_id])
    tx.many(
        "INSERT INTO channel_category (channel_id, code, path, is_end) VALUES (%s, %s, %s, %s)",
        [(channel_id, place.code, place.path, place.is_end) for place in places],
    )


def places(tx: Tx, channel_id: int) -> list[ChannelPlace]:
    rows = tx.all("SELECT code, path, is_end FROM channel_category WHERE channel_id = %s ORDER BY path", [channel_id])
    return [ChannelPlace(row["code"], row["path"], bool(row["is_end"])) for row in rows]


def place(tx: Tx, channel_id: int, code: str | None) -> ChannelPlace | None:
    row = tx.one(
        "SELECT code, path, is_end FROM channel_category WHERE channel_id = %s AND code = %s", [channel_id, code]
    )
    return ChannelPlace(row["code"], row["path"], bool(row["is_end"])) if row else None


def _listing(row: dict[str, Any] | None) -> dict[str, Any] | None:
    return row | {"reasons": json.loads(row["reasons"]) if row["reasons"] else []} if row else None


def listing_of(tx: Tx, channel_id: int, product_id: int, *, lock: bool = False) -> dict[str, Any] | None:
    return _listing(
        tx.one(
            f"SELECT * FROM listing WHERE channel_id = %s AND product_id = %s {'FOR UPDATE' if lock else ''}",
            [channel_id, product_id],
        )
    )


def listing(tx: Tx, listing_id: int, *, lock: bool = False) -> dict[str, Any] | None:
    return _listing(tx.one(f"SELECT * FROM listing WHERE id = %s {'FOR UPDATE' if lock else ''}", [listing_id]))


def insert_listing(tx: Tx, channel_id: int, product_id: int, reference: str) -> int:
    return tx.insert(
        "INSERT INTO listing (channel_id, product_id, reference) VALUES (%s, %s, %s)",
        [channel_id, product_id, reference],
    )


def set_details(tx: Tx, listing_id: int, category_code: str | None, title: str) -> None:
    tx.run(
        "UPDATE listing SET category_code = %s, title = %s, version = version + 1 WHERE id = %s",
        [category_code, title, listing_id],
    )


def set_state(tx: Tx, listing_id: int, state: str | None) -> None:
    tx.run("UPDATE listing SET state = %s, version = version + 1 WHERE id = %s", [state, listing_id])


def set_sent(tx: Tx, listing_id: int, fingerprint: str, *, stale: bool) -> None:
    tx.run(
        """UPDATE listing SET sent_fingerprint = %s, stale = %s, sent_at = UTC_TIMESTAMP(3), version = version + 1
           WHERE id = %s""",
        [fingerprint, stale, listing_id],
    )


def set_answer(tx: Tx, listing_id: int, state: str, page: str, reasons: list[dict[str, Any]]) -> None:
    tx.run(
        """UPDATE listing SET state = %s, page_number = IF(%s = '', page_number, %s), reasons = %s,
                     answered_at = UTC_TIMESTAMP(3), version = version + 1 WHERE id = %s""",
        [state, page, page, json.dumps(reasons), listing_id],
    )


def set_stale(tx: Tx, listing_id: int, stale: bool) -> None:
    tx.run("UPDATE listing SET stale = %s WHERE id = %s", [stale, listing_id])


def mark_touched(tx: Tx, touched: str, states: tuple[str, ...]) -> list[int]:
    """Mark the listings of the products whose ids a table has; returns the ids of the channels they are on."""
    params = {"states": states}
    on = f"{touched} touched JOIN listing l ON l.product_id = touched.product_id"
    found = tx.all(f"SELECT DISTINCT l.channel_id FROM {on} WHERE l.state IN %(states)s", params)
    if found:
        tx.run(f"UPDATE {on} SET l.stale = TRUE WHERE l.state IN %(states)s", params)
    return [row["channel_id"] for row in found]


def held_variants(tx: Tx, product_id: int) -> set[int]:
    """The variants of a product that any channel has, or had, an offer of."""
    rows = tx.all(
        """SELECT v.id FROM variant v WHERE v.product_id = %(id)s
           AND EXISTS (SELECT 1 FROM listing l WHERE l.product_id = %(id)s AND l.state IS NOT NULL)""",
        {"id": product_id},
    )
    return {row["id"] for row in rows}


def stale_ids(tx: Tx, channel_id: int, states: tuple[str, ...], limit: int) -> list[int]:
    return [
        row["id"]
        for row in tx.all(
            "SELECT id FROM listing WHERE channel_id = %s AND stale AND state IN %s ORDER BY id LIMIT %s",
            [channel_id, states, limit],
        )
    ]


def states(tx: Tx, channel_id: int) -> dict[str, int]:
    rows = tx.all(
        "SELECT state, COUNT(*) AS count FROM listing WHERE channel_id = %s AND state IS NOT NULL GROUP BY state",
        [channel_id],
    )
    return {row["state"]: row["count"] for row in rows}


def listings(tx: Tx, channel_id: int, lang: str, state: str | None, after: int, limit: int) -> list[dict[str, Any]]:
    return [
        found
        for row in tx.all(
            """SELECT l.*, t.name, s.sku, s.price_low AS price FROM listing l
           JOIN product_text t ON t.product_id = l.product_id AND t.lang = %(lang)s
           JOIN product_summary s ON s.product_id = l.product_id
           WHERE l.channel_id = %(channel)s AND l.state IS NOT NULL AND (%(state)s IS NULL OR l.state = %(state)s)
             AND (%(after)s = 0 OR l.id < %(after)s) ORDER BY l.id DESC LIMIT %(limit)s""",
            {"lang": lang, "channel": channel_id, "state": state, "after": after, "limit": limit},
        )
        if (found := _listing(row))
    ]


def listing_names(tx: Tx, ids: list[int]) -> list[dict[str, Any]]:
    return (
        tx.all(
            """SELECT l.id, l.product_id, c.name FROM listing l JOIN channel c ON c.id = l.channel_id
                     WHERE l.id IN %s""",
            [ids],
        )
        if ids
        else []
    )
