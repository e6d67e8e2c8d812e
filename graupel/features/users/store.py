"""The tables of people, sessions, failed tries and tokens."""

from typing import Any

from graupel.db import Tx
from graupel.db.rows import Named
from graupel.features.users.rows import (
    SessionRow,
    SignedInRow,
    TokenListedRow,
    TokenRow,
    TokenUsedRow,
    TriesRow,
    UserRow,
)


def user_by_email(tx: Tx, email: str) -> UserRow | None:
    return tx.row(UserRow, "SELECT * FROM user WHERE email = %s", [email])


def insert_user(tx: Tx, email: str, name: str, role: str, password_hash: str) -> int:
    return tx.insert(
        "INSERT INTO user (email, name, role, password_hash) VALUES (%s, %s, %s, %s)",
        [email, name, role, password_hash],
    )


def user_names(tx: Tx, ids: list[int]) -> list[Named]:
    return tx.rows(Named, "SELECT id, name FROM user WHERE id IN %s", [ids]) if ids else []


def insert_session(tx: Tx, values: dict[str, Any]) -> None:
    tx.run(
        """INSERT INTO session (token_hash, public_id, user_id, csrf, agent, created_at, seen_at, ends_at)
           VALUES (%(token_hash)s, %(public_id)s, %(user_id)s, %(csrf)s, %(agent)s, UTC_TIMESTAMP(3), UTC_TIMESTAMP(3),
                   UTC_TIMESTAMP(3) + INTERVAL %(hours)s HOUR)""",
        values,
    )


def session(tx: Tx, token_hash: str) -> SignedInRow | None:
    """A session that has not ended, with its user; ``is_old`` where it was last seen over a minute ago."""
    return tx.row(
        SignedInRow,
        """SELECT s.public_id, s.csrf, s.user_id, u.name, u.email, u.role,
                  s.seen_at < UTC_TIMESTAMP(3) - INTERVAL 1 MINUTE AS is_old
           FROM session s JOIN user u ON u.id = s.user_id
           WHERE s.token_hash = %s AND s.ends_at > UTC_TIMESTAMP(3)""",
        [token_hash],
    )


def touch_session(tx: Tx, token_hash: str, hours: int) -> None:
    tx.run(
        """UPDATE session SET seen_at = UTC_TIMESTAMP(3), ends_at = UTC_TIMESTAMP(3) + INTERVAL %s HOUR
              WHERE token_hash = %s""",
        [hours, token_hash],
    )


def sessions_of(tx: Tx, user_id: int) -> list[SessionRow]:
    return tx.rows(
        SessionRow,
        """SELECT public_id, agent, created_at, seen_at FROM session
                     WHERE user_id = %s AND ends_at > UTC_TIMESTAMP(3) ORDER BY seen_at DESC""",
        [user_id],
    )


def delete_session(tx: Tx, user_id: int, public_id: str) -> int:
    return tx.run("DELETE FROM session WHERE user_id = %s AND public_id = %s", [user_id, public_id])


def delete_ended(tx: Tx) -> None:
    tx.run("DELETE FROM session WHERE ends_at < UTC_TIMESTAMP(3)")
    tx.run("DELETE FROM failed_try WHERE at < UTC_TIMESTAMP(3) - INTERVAL 1 DAY")


def insert_failed_try(tx: Tx, who: str, origin: str) -> None:
    tx.run("INSERT INTO failed_try (who, origin, at) VALUES (%s, %s, UTC_TIMESTAMP(3))", [who, origin])


def forget_failed_tries(tx: Tx, who: str) -> None:
    tx.run("DELETE FROM failed_try WHERE who = %s", [who])


def failed_tries(tx: Tx, who: str, origin: str, minutes: int) -> TriesRow:
    """How often lately, by this name and from this origin, and when the oldest of them was, in seconds ago."""
    row = tx.row(
        TriesRow,
        """SELECT COALESCE(SUM(who = %(who)s), 0) AS by_name, COALESCE(SUM(origin = %(origin)s), 0) AS from_origin,
                  COALESCE(TIMESTAMPDIFF(SECOND, MIN(at), UTC_TIMESTAMP(3)), 0) AS oldest FROM failed_try
           WHERE (who = %(who)s OR origin = %(origin)s) AND at > UTC_TIMESTAMP(3) - INTERVAL %(minutes)s MINUTE""",
        {"who": who, "origin": origin, "minutes": minutes},
    )
    assert row is not None
    return row


def insert_token(tx: Tx, name: str, token_hash: str, role: str, user_id: int) -> int:
    return tx.insert(
        "INSERT INTO api_token (name, token_hash, role, user_id) VALUES (%s, %s, %s, %s)",
        [name, token_hash, role, user_id],
    )


def token(tx: Tx, token_hash: str) -> TokenUsedRow | None:
    return tx.row(
        TokenUsedRow,
        """SELECT id, name, role, user_id, used_at IS NULL OR used_at < UTC_TIMESTAMP(3) - INTERVAL 1 MINUTE AS is_old
           FROM api_token WHERE token_hash = %s AND revoked_at IS NULL""",
        [token_hash],
    )


def touch_token(tx: Tx, token_id: int) -> None:
    tx.run("UPDATE api_token SET used_at = UTC_TIMESTAMP(3) WHERE id = %s", [token_id])


def tokens(tx: Tx) -> list[TokenListedRow]:
    return tx.rows(
        TokenListedRow,
        """SELECT t.id, t.name, t.role, t.created_at, t.used_at, t.revoked_at, t.user_id, u.name AS made_by
                     FROM api_token t JOIN user u ON u.id = t.user_id
                     ORDER BY t.revoked_at IS NOT NULL, t.id DESC LIMIT 200""",
    )


def token_by_id(tx: Tx, token_id: int) -> TokenRow | None:
    return tx.row(TokenRow, "SELECT * FROM api_token WHERE id = %s FOR UPDATE", [token_id])


def revoke_token(tx: Tx, token_id: int) -> None:
    tx.run("UPDATE api_token SET revoked_at = UTC_TIMESTAMP(3) WHERE id = %s AND revoked_at IS NULL", [token_id])


def token_names(tx: Tx, ids: list[int]) -> list[Named]:
    return tx.rows(Named, "SELECT id, name FROM api_token WHERE id IN %s", [ids]) if ids else []
