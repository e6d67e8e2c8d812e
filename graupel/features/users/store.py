"""The tables of people, sessions, tries, tokens, and the record of access."""

from collections.abc import Sequence
from typing import Any

from graupel.db import Tx
from graupel.db.rows import Named
from graupel.features.users.rows import (
    AccessRow,
    PersonRow,
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


def there(tx: Tx) -> list[UserRow]:
    """All who were not taken out."""
    return tx.rows(UserRow, "SELECT * FROM user WHERE ended_at IS NULL ORDER BY id")


def insert_user(tx: Tx, email: str, name: str, role: str, password_hash: str) -> int:
    return tx.insert(
        "INSERT INTO user (email, name, role, password_hash) VALUES (%s, %s, %s, %s)",
        [email, name, role, password_hash],
    )


def user_by_id(tx: Tx, user_id: int, *, lock: bool = False) -> UserRow | None:
    return tx.row(UserRow, f"SELECT * FROM user WHERE id = %s {'FOR UPDATE' if lock else ''}", [user_id])


def people(tx: Tx) -> list[PersonRow]:
    """All people, those who were taken out last."""
    return tx.rows(
        PersonRow,
        """SELECT u.id, u.email, u.name, u.role, u.created_at, u.ended_at, u.password_hash <> '' AS has_password,
                  u.second_secret <> '' AS has_second,
                  (SELECT COUNT(*) FROM session s WHERE s.user_id = u.id AND s.ends_at > UTC_TIMESTAMP(3)) AS sessions,
                  (SELECT MAX(s.seen_at) FROM session s WHERE s.user_id = u.id) AS seen_at,
                  (SELECT MAX(l.ends_at) FROM password_link l WHERE l.user_id = u.id AND l.ends_at > UTC_TIMESTAMP(3))
                    AS link_ends_at
           FROM user u ORDER BY u.ended_at IS NOT NULL, u.name, u.id""",
    )


def lock_owners(tx: Tx) -> list[int]:
    """The ids of those who are owners now; locked, so that two of them can't both be the last but one."""
    rows = tx.all("SELECT id FROM user WHERE role = 'owner' AND ended_at IS NULL ORDER BY id FOR UPDATE")
    return [row["id"] for row in rows]


def update_user(tx: Tx, user_id: int, values: dict[str, Any]) -> None:
    sets = ", ".join(f"{name} = %({name})s" for name in values)
    tx.run(f"UPDATE user SET {sets}, version = version + 1 WHERE id = %(id)s", {**values, "id": user_id})


def end_user(tx: Tx, user_id: int) -> None:
    """Take somebody out: nothing of what let them in is left, their name stays."""
    tx.run(
        """UPDATE user SET ended_at = UTC_TIMESTAMP(3), password_hash = '', second_secret = '', version = version + 1
           WHERE id = %s""",
        [user_id],
    )
    for table in ("session", "recovery_code", "password_link", "known_device"):
        tx.run(f"DELETE FROM {table} WHERE user_id = %s", [user_id])
    tx.run("UPDATE api_token SET revoked_at = UTC_TIMESTAMP(3) WHERE user_id = %s AND revoked_at IS NULL", [user_id])


# --- second factors, links for a password, known browsers ------------------------------------------------------


def set_second(tx: Tx, user_id: int, sealed: str, step: int) -> None:
    tx.run("UPDATE user SET second_secret = %s, second_step = %s WHERE id = %s", [sealed, step, user_id])


def take_step(tx: Tx, user_id: int, step: int) -> bool:
    """Use up a time step's code; False where somebody did already."""
    return tx.run("UPDATE user SET second_step = %s WHERE id = %s AND second_step < %s", [step, user_id, step]) == 1


def replace_recovery_codes(tx: Tx, user_id: int, hashes: Sequence[str]) -> None:
    tx.run("DELETE FROM recovery_code WHERE user_id = %s", [user_id])
    if hashes:
        tx.many("INSERT INTO recovery_code (user_id, code_hash) VALUES (%s, %s)", [(user_id, one) for one in hashes])


def take_recovery_code(tx: Tx, user_id: int, code_hash: str) -> bool:
    return tx.run("DELETE FROM recovery_code WHERE user_id = %s AND code_hash = %s", [user_id, code_hash]) == 1


def recovery_codes_left(tx: Tx, user_id: int) -> int:
    return int(tx.value("SELECT COUNT(*) FROM recovery_code WHERE user_id = %s", [user_id]))


def insert_link(tx: Tx, token_hash: str, user_id: int, hours: int) -> None:
    """A link for a password, in the place of any other of this person."""
    tx.run("DELETE FROM password_link WHERE user_id = %s", [user_id])
    tx.run(
        """INSERT INTO password_link (token_hash, user_id, ends_at)
           VALUES (%s, %s, UTC_TIMESTAMP(3) + INTERVAL %s HOUR)""",
        [token_hash, user_id, hours],
    )


def link_owner(tx: Tx, token_hash: str, *, lock: bool = False) -> int | None:
    """Whose link it is; None where there is none, or it has ended."""
    sql = "SELECT user_id FROM password_link WHERE token_hash = %s AND ends_at > UTC_TIMESTAMP(3)"
    found = tx.value(f"{sql} {'FOR UPDATE' if lock else ''}", [token_hash])
    return None if found is None else int(found)


def delete_links(tx: Tx, user_id: int) -> None:
    tx.run("DELETE FROM password_link WHERE user_id = %s", [user_id])


def knows_device(tx: Tx, token_hash: str, user_id: int) -> bool:
    return bool(tx.value("SELECT 1 FROM known_device WHERE token_hash = %s AND user_id = %s", [token_hash, user_id]))


def know_device(tx: Tx, token_hash: str, user_id: int) -> None:
    tx.run(
        """INSERT INTO known_device (token_hash, user_id, seen_at) VALUES (%s, %s, UTC_TIMESTAMP(3))
           ON DUPLICATE KEY UPDATE seen_at = UTC_TIMESTAMP(3)""",
        [token_hash, user_id],
    )


# --- the record of access ---------------------------------------------------------------------------------------


def insert_access(tx: Tx, values: dict[str, Any]) -> None:
    tx.run(
        """INSERT INTO access_record (kind, actor_id, user_id, who, origin, agent, detail)
           VALUES (%(kind)s, %(actor_id)s, %(user_id)s, %(who)s, %(origin)s, %(agent)s, %(detail)s)""",
        values,
    )


def access(tx: Tx, user_id: int | None, most: int) -> list[AccessRow]:
    """The newest entries, or those about one person."""
    return tx.rows(
        AccessRow,
        f"""SELECT r.id, r.at, r.kind, r.who, r.origin, r.agent, r.detail, a.name AS actor, r.user_id, u.name AS person
            FROM access_record r LEFT JOIN user a ON a.id = r.actor_id LEFT JOIN user u ON u.id = r.user_id
            {"WHERE r.user_id = %(user_id)s" if user_id is not None else ""} ORDER BY r.id DESC LIMIT %(most)s""",
        {"user_id": user_id, "most": most},
    )


# --- sessions ---------------------------------------------------------------------------------------------------


def user_names(tx: Tx, ids: list[int]) -> list[Named]:
    return tx.rows(Named, "SELECT id, name FROM user WHERE id IN %s", [ids]) if ids else []


def insert_session(tx: Tx, values: dict[str, Any]) -> None:
    tx.run(
        """INSERT INTO session
             (token_hash, public_id, user_id, csrf, agent, origin, created_at, seen_at, ends_at, last_end)
           VALUES (%(token_hash)s, %(public_id)s, %(user_id)s, %(csrf)s, %(agent)s, %(origin)s, UTC_TIMESTAMP(3),
                   UTC_TIMESTAMP(3), UTC_TIMESTAMP(3) + INTERVAL %(hours)s HOUR,
                   UTC_TIMESTAMP(3) + INTERVAL %(days)s DAY)""",
        values,
    )


def session(tx: Tx, token_hash: str) -> SignedInRow | None:
    """A session that has not ended, with its user; ``is_old`` where it was last seen over a minute ago."""
    return tx.row(
        SignedInRow,
        """SELECT s.public_id, s.csrf, s.user_id, u.name, u.email, u.role,
                  s.seen_at < UTC_TIMESTAMP(3) - INTERVAL 1 MINUTE AS is_old
           FROM session s JOIN user u ON u.id = s.user_id
           WHERE s.token_hash = %s AND s.ends_at > UTC_TIMESTAMP(3) AND u.ended_at IS NULL""",
        [token_hash],
    )


def touch_session(tx: Tx, token_hash: str, hours: int) -> None:
    """A session that is used lasts longer, but never beyond its last end."""
    tx.run(
        """UPDATE session SET seen_at = UTC_TIMESTAMP(3),
                  ends_at = LEAST(UTC_TIMESTAMP(3) + INTERVAL %s HOUR, COALESCE(last_end, ends_at))
           WHERE token_hash = %s""",
        [hours, token_hash],
    )


def sessions_of(tx: Tx, user_id: int) -> list[SessionRow]:
    return tx.rows(
        SessionRow,
        """SELECT public_id, agent, origin, created_at, seen_at FROM session
                     WHERE user_id = %s AND ends_at > UTC_TIMESTAMP(3) ORDER BY seen_at DESC""",
        [user_id],
    )


def delete_session(tx: Tx, user_id: int, public_id: str) -> int:
    return tx.run("DELETE FROM session WHERE user_id = %s AND public_id = %s", [user_id, public_id])


def delete_sessions(tx: Tx, user_id: int, but: str = "") -> int:
    """End all sessions of somebody, but one."""
    return tx.run("DELETE FROM session WHERE user_id = %s AND public_id <> %s", [user_id, but])


def delete_ended(tx: Tx) -> None:
    """Forget sessions, links and browsers that are of no use any more, and tries that count no longer."""
    tx.run("DELETE FROM session WHERE ends_at < UTC_TIMESTAMP(3)")
    tx.run("DELETE FROM failed_try WHERE at < UTC_TIMESTAMP(3) - INTERVAL 1 DAY")
    tx.run("DELETE FROM password_link WHERE ends_at < UTC_TIMESTAMP(3)")
    tx.run("DELETE FROM known_device WHERE seen_at < UTC_TIMESTAMP(3) - INTERVAL 180 DAY")


def insert_try(tx: Tx, who: str, origin: str) -> None:
    tx.run("INSERT INTO failed_try (who, origin, at) VALUES (%s, %s, UTC_TIMESTAMP(3))", [who, origin])


def forget_tries(tx: Tx, who: str, origins: Sequence[str]) -> None:
    tx.run("DELETE FROM failed_try WHERE who = %s AND origin IN %s", [who, list(origins)])


def tries(tx: Tx, who: str, origin: str, minutes: int) -> TriesRow:
    """How often lately, and when the oldest of them was, in seconds ago."""
    row = tx.row(
        TriesRow,
        """SELECT COALESCE(SUM(who = %(who)s AND origin = %(origin)s), 0) AS by_name_here,
                  COALESCE(SUM(who = %(who)s), 0) AS by_name, COALESCE(SUM(origin = %(origin)s), 0) AS from_origin,
                  COALESCE(TIMESTAMPDIFF(SECOND, MIN(at), UTC_TIMESTAMP(3)), 0) AS oldest FROM failed_try
           WHERE (who = %(who)s OR origin = %(origin)s) AND at > UTC_TIMESTAMP(3) - INTERVAL %(minutes)s MINUTE""",
        {"who": who, "origin": origin, "minutes": minutes},
    )
    assert row is not None
    return row


# --- tokens -----------------------------------------------------------------------------------------------------


def insert_token(tx: Tx, name: str, token_hash: str, role: str, user_id: int, days: int) -> int:
    return tx.insert(
        """INSERT INTO api_token (name, token_hash, role, user_id, ends_at)
           VALUES (%s, %s, %s, %s, UTC_TIMESTAMP(3) + INTERVAL %s DAY)""",
        [name, token_hash, role, user_id, days],
    )


def token(tx: Tx, token_hash: str) -> TokenUsedRow | None:
    """A token in force. ``rank``: of its role, counted from 1, never above that of its person now."""
    return tx.row(
        TokenUsedRow,
        """SELECT t.id, t.name, LEAST(t.role + 0, u.role + 0) AS rank, t.user_id,
                  t.used_at IS NULL OR t.used_at < UTC_TIMESTAMP(3) - INTERVAL 1 MINUTE AS is_old
           FROM api_token t JOIN user u ON u.id = t.user_id
           WHERE t.token_hash = %s AND t.revoked_at IS NULL AND t.ends_at > UTC_TIMESTAMP(3) AND u.ended_at IS NULL""",
        [token_hash],
    )


def touch_token(tx: Tx, token_id: int) -> None:
    tx.run("UPDATE api_token SET used_at = UTC_TIMESTAMP(3) WHERE id = %s", [token_id])


def tokens(tx: Tx) -> list[TokenListedRow]:
    return tx.rows(
        TokenListedRow,
        """SELECT t.id, t.name, t.role, t.created_at, t.used_at, t.revoked_at, t.ends_at,
                  COALESCE(t.ends_at <= UTC_TIMESTAMP(3), 0) AS is_over, t.user_id, u.name AS made_by
                     FROM api_token t JOIN user u ON u.id = t.user_id
                     ORDER BY t.revoked_at IS NOT NULL, t.id DESC LIMIT 200""",
    )


def token_by_id(tx: Tx, token_id: int) -> TokenRow | None:
    return tx.row(TokenRow, "SELECT * FROM api_token WHERE id = %s FOR UPDATE", [token_id])


def revoke_token(tx: Tx, token_id: int) -> None:
    tx.run("UPDATE api_token SET revoked_at = UTC_TIMESTAMP(3) WHERE id = %s AND revoked_at IS NULL", [token_id])


def token_names(tx: Tx, ids: list[int]) -> list[Named]:
    return tx.rows(Named, "SELECT id, name FROM api_token WHERE id IN %s", [ids]) if ids else []
