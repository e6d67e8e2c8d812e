"""The tables of channels, their categories, and listings."""

import json
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import Any, cast

from graupel.core.declarations.listings import LISTING
from graupel.core.listings import ChannelPlace
from graupel.db import Tx
from graupel.features.listings.rows import ChangedWordRow, ChannelRow, DueLookRow, ListingRow, NamedListing
from graupel.features.vocabulary.references import Reference


def channels(tx: Tx) -> list[ChannelRow]:
    return tx.rows(ChannelRow, "SELECT * FROM channel ORDER BY name")


def channel(tx: Tx, channel_id: int, *, lock: bool = False) -> ChannelRow | None:
    return tx.row(ChannelRow, f"SELECT * FROM channel WHERE id = %s {'FOR UPDATE' if lock else ''}", [channel_id])


def insert_channel(tx: Tx, kind: str, name: str, address: str, secret: str) -> int:
    return tx.insert(
        "INSERT INTO channel (kind, name, address, secret) VALUES (%s, %s, %s, %s)", [kind, name, address, secret]
    )


def set_secret(tx: Tx, channel_id: int, secret: str) -> None:
    tx.run("UPDATE channel SET secret = %s WHERE id = %s", [secret, channel_id])


def update_channel(tx: Tx, channel_id: int, name: str, address: str, secret: str) -> None:
    tx.run(
        """UPDATE channel SET name = %s, address = %s, secret = %s, trouble = '', silent_since = NULL,
                  checked_at = NULL, version = version + 1 WHERE id = %s""",
        [name, address, secret, channel_id],
    )


def set_language(tx: Tx, channel_id: int, lang: str) -> None:
    tx.run("UPDATE channel SET lang = %s, version = version + 1 WHERE id = %s", [lang, channel_id])


def mark_all(tx: Tx, channel_id: int, states: Sequence[str]) -> None:
    """All listings of a channel may be behind."""
    tx.run(
        "UPDATE listing SET stale = TRUE, held_back = FALSE WHERE channel_id = %s AND state IN %s",
        [channel_id, list(states)],
    )


def set_checked(tx: Tx, channel_id: int, terms: Mapping[str, Any], now: datetime) -> None:
    tx.run("UPDATE channel SET terms = %s, checked_at = %s WHERE id = %s", [json.dumps(dict(terms)), now, channel_id])


def set_silent(tx: Tx, channel_id: int, trouble: str, now: datetime) -> None:
    """The channel does not answer: why, and since when."""
    tx.run(
        "UPDATE channel SET trouble = %s, silent_since = COALESCE(silent_since, %s) WHERE id = %s",
        [trouble[:600], now, channel_id],
    )


def set_answering(tx: Tx, channel_id: int) -> None:
    tx.run("UPDATE channel SET trouble = '', silent_since = NULL WHERE id = %s", [channel_id])


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


def _listing(row: dict[str, Any] | None) -> ListingRow | None:
    return cast(ListingRow, row | {"reasons": json.loads(row["reasons"]) if row["reasons"] else []}) if row else None


def listing_of(tx: Tx, channel_id: int, product_id: int, *, lock: bool = False) -> ListingRow | None:
    return _listing(
        tx.one(
            f"SELECT * FROM listing WHERE channel_id = %s AND product_id = %s {'FOR UPDATE' if lock else ''}",
            [channel_id, product_id],
        )
    )


def listing(tx: Tx, listing_id: int, *, lock: bool = False) -> ListingRow | None:
    return _listing(tx.one(f"SELECT * FROM listing WHERE id = %s {'FOR UPDATE' if lock else ''}", [listing_id]))


def insert_listing(tx: Tx, values: Mapping[str, Any]) -> int:
    names = LISTING.columns()
    return tx.insert(
        f"INSERT INTO listing ({', '.join(names)}) VALUES ({', '.join(f'%({name})s' for name in names)})", values
    )


def set_details(tx: Tx, listing_id: int, category_code: str | None, title: str) -> None:
    tx.run(
        "UPDATE listing SET category_code = %s, title = %s, version = version + 1 WHERE id = %s",
        [category_code, title, listing_id],
    )


def ask(tx: Tx, listing_id: int, state: str) -> int:
    """Somebody asks for something: the listing is on its way to that. Returns the number of what was asked."""
    tx.run("UPDATE listing SET state = %s, asked = asked + 1, version = version + 1 WHERE id = %s", [state, listing_id])
    return int(tx.value("SELECT asked FROM listing WHERE id = %s", [listing_id]))


def set_failed(tx: Tx, listing_id: int) -> None:
    tx.run("UPDATE listing SET state = 'failed', version = version + 1 WHERE id = %s", [listing_id])


def hold(tx: Tx, listing_id: int, job_id: int, now: datetime, until: datetime) -> bool:
    """Let one job alone speak of a listing for a while; False where another does."""
    return bool(
        tx.run(
            """UPDATE listing SET held_by = %(job)s, held_until = %(until)s WHERE id = %(id)s
               AND (held_by IS NULL OR held_by = %(job)s OR held_until < %(now)s)""",
            {"job": job_id, "until": until, "now": now, "id": listing_id},
        )
    )


def let_go(tx: Tx, listing_id: int) -> None:
    tx.run("UPDATE listing SET held_by = NULL, held_until = NULL WHERE id = %s", [listing_id])


def set_sent(tx: Tx, listing_id: int, fingerprint: str, now: datetime, *, stale: bool) -> None:
    tx.run(
        """UPDATE listing SET sent_fingerprint = %s, stale = %s, held_back = FALSE, sent_at = %s, version = version + 1
           WHERE id = %s""",
        [fingerprint, stale, now, listing_id],
    )


def set_answer(tx: Tx, listing_id: int, state: str, answer: Mapping[str, Any], now: datetime) -> None:
    """What the channel said: ``page``, ``reasons``, ``on_sale``, ``look_at`` where it is to be asked again."""
    tx.run(
        """UPDATE listing SET
                     on_sale_as_of = IF(%(on_sale)s, IF(%(state)s = 'on_sale', sent_at, on_sale_as_of), NULL),
                     state = %(state)s, page_number = IF(%(page)s = '', page_number, %(page)s), reasons = %(reasons)s,
                     answered_at = %(now)s, looks = 0, look_at = %(look_at)s, version = version + 1
           WHERE id = %(id)s""",
        {**answer, "reasons": json.dumps(answer["reasons"]), "state": state, "now": now, "id": listing_id},
    )


def set_ended(tx: Tx, listing_id: int, now: datetime) -> None:
    tx.run(
        """UPDATE listing SET state = 'ended', reasons = NULL, stale = FALSE, held_back = FALSE, on_sale_as_of = NULL,
                  answered_at = %s, looks = 0, look_at = NULL, version = version + 1 WHERE id = %s""",
        [now, listing_id],
    )


def set_as_it_was(tx: Tx, listing_id: int) -> None:
    tx.run("UPDATE listing SET stale = FALSE, held_back = FALSE WHERE id = %s", [listing_id])


def set_held_back(tx: Tx, listing_id: int) -> None:
    """It stays behind until something of it changes again."""
    tx.run("UPDATE listing SET held_back = TRUE WHERE id = %s", [listing_id])


# --- asking for answers --------------------------------------------------------------------------------------


def next_look(tx: Tx, after: datetime) -> datetime | None:
    """When the next answer is to be asked for, beyond a moment."""
    found: datetime | None = tx.value("SELECT MIN(look_at) FROM listing WHERE look_at > %s", [after])
    return found


def to_look_at(tx: Tx, now: datetime) -> list[int]:
    """The channels that are to be asked for answers now."""
    rows = tx.all("SELECT DISTINCT channel_id FROM listing WHERE look_at <= %s", [now])
    return [row["channel_id"] for row in rows]


def due_looks(tx: Tx, channel_id: int, now: datetime, limit: int) -> list[DueLookRow]:
    """The listings of a channel whose answers are to be asked for now, those that wait longest first."""
    return tx.rows(
        DueLookRow,
        """SELECT id, reference, version, looks FROM listing WHERE channel_id = %s AND look_at <= %s
           ORDER BY look_at LIMIT %s""",
        [channel_id, now, limit],
    )


def look_again(tx: Tx, listing_id: int, looks: int, at: datetime | None) -> None:
    tx.run("UPDATE listing SET looks = %s, look_at = %s WHERE id = %s", [looks, at, listing_id])


# --- what is behind ------------------------------------------------------------------------------------------


def stands_on(tx: Tx, products: str, kind: str, states: tuple[str, ...]) -> bool:
    """Whether any of the products whose ids a table has stands on a marketplace of a kind."""
    found = tx.value(
        f"""SELECT 1 FROM {products} touched JOIN listing l ON l.product_id = touched.product_id
            JOIN channel c ON c.id = l.channel_id AND c.kind = %(kind)s WHERE l.state IN %(states)s LIMIT 1""",
        {"kind": kind, "states": states},
    )
    return found is not None


def mark_touched(tx: Tx, touched: str, change_set_id: int, kind: str, states: tuple[str, ...]) -> list[int]:
    """Mark the listings on a kind of marketplace of products that a change set touched (SQL of their ``record_id``).

    Returns the ids of the channels they are on.
    """
    source = f"""{touched} touched JOIN listing l ON l.product_id = touched.record_id
                 JOIN channel c ON c.id = l.channel_id AND c.kind = %(kind)s"""
    return _mark(tx, source, {"set": change_set_id, "kind": kind, "states": states})


def mark_changed(tx: Tx, change_set_id: int, states: tuple[str, ...]) -> list[int]:
    """Mark the listings whose category or title a change set wrote; returns the ids of their channels."""
    source = """change_row r JOIN listing l ON l.id = r.record_id AND r.change_set_id = %(set)s
                AND r.record_kind = 'listing'
                AND (JSON_EXISTS(r.became, '$.title') OR JSON_EXISTS(r.became, '$.category_code'))"""
    return _mark(tx, source, {"set": change_set_id, "states": states})


def with_changed_terms(tx: Tx, change_set_id: int) -> list[int]:
    """The channels whose terms of sale a change set wrote."""
    rows = tx.all(
        """SELECT c.id FROM change_row r LEFT JOIN selling_terms t ON t.id = r.record_id
           JOIN channel c ON COALESCE(t.destination, JSON_VALUE(r.was, '$.destination')) = CONCAT('c', c.id)
           WHERE r.change_set_id = %s AND r.record_kind = 'selling_terms'""",
        [change_set_id],
    )
    return [row["id"] for row in rows]


def changed_words(
    tx: Tx, change_set_id: int, made_of: Mapping[str, Iterable[str]], said_of: Mapping[str, str]
) -> list[ChangedWordRow]:
    """Words, as kind and id, of which a change set wrote one of these fields, or what is said in a language."""
    parts = []
    for kind, fields in made_of.items():
        wrote = " OR ".join(f"JSON_EXISTS(became, '$.{name}')" for name in sorted(fields))
        parts.append(
            f"""SELECT '{kind}' AS kind, record_id AS id FROM change_row WHERE change_set_id = %(set)s
                AND record_kind = '{kind}' AND was IS NOT NULL AND ({wrote})
                UNION SELECT '{kind}', CAST(COALESCE(x.record_id, JSON_VALUE(r.was, '$.record_id')) AS UNSIGNED)
                FROM change_row r
                LEFT JOIN own_value x ON x.id = r.record_id WHERE r.change_set_id = %(set)s
                AND r.record_kind = 'own_value'
                AND COALESCE(x.kind, JSON_VALUE(r.was, '$.kind')) = '{said_of.get(kind, kind)}'"""
        )
    return tx.rows(ChangedWordRow, " UNION ".join(parts), {"set": change_set_id}) if parts else []


def mark_using(tx: Tx, one: Reference, ids: Sequence[int], lang: str, states: tuple[str, ...]) -> list[int]:
    """Mark the listings of products that use these words in one way; returns the ids of their channels."""
    using = f"""(SELECT DISTINCT {one.products} AS product_id FROM {one.records_kind.table}
                 WHERE {one.column} IN %(ids)s AND {one.where}) used"""
    params = {"ids": list(ids), "lang": lang, "states": states}
    return _mark(tx, f"{using} JOIN listing l ON l.product_id = used.product_id", params)


def _mark(tx: Tx, source: str, params: Mapping[str, Any]) -> list[int]:
    found = tx.all(f"SELECT DISTINCT l.channel_id FROM {source} WHERE l.state IN %(states)s", params)
    if found:
        tx.run(f"UPDATE {source} SET l.stale = TRUE, l.held_back = FALSE WHERE l.state IN %(states)s", params)
    return [row["channel_id"] for row in found]


def claimed_variants(tx: Tx, product_id: int) -> set[int]:
    """The variants of a product that any channel has, or had, an offer of."""
    rows = tx.all(
        """SELECT v.id FROM variant v WHERE v.product_id = %(id)s
           AND EXISTS (SELECT 1 FROM listing l WHERE l.product_id = %(id)s AND l.state IS NOT NULL)""",
        {"id": product_id},
    )
    return {row["id"] for row in rows}


def behind_ids(tx: Tx, channel_id: int, states: tuple[str, ...], limit: int) -> list[int]:
    """Listings that are behind and not held back."""
    return [
        row["id"]
        for row in tx.all(
            """SELECT id FROM listing WHERE channel_id = %s AND stale AND NOT held_back AND state IN %s
               ORDER BY id LIMIT %s""",
            [channel_id, states, limit],
        )
    ]


def states(tx: Tx, channel_id: int) -> dict[str, int]:
    rows = tx.all(
        "SELECT state, COUNT(*) AS count FROM listing WHERE channel_id = %s AND state IS NOT NULL GROUP BY state",
        [channel_id],
    )
    return {row["state"]: row["count"] for row in rows}


def listings(tx: Tx, channel_id: int, lang: str, state: str | None, after: int, limit: int) -> list[ListingRow]:
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


def listing_names(tx: Tx, ids: list[int]) -> list[NamedListing]:
    return (
        tx.rows(
            NamedListing,
            """SELECT l.id, l.product_id, c.name FROM listing l JOIN channel c ON c.id = l.channel_id
                     WHERE l.id IN %s""",
            [ids],
        )
        if ids
        else []
    )
