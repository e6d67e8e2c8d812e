"""The tables of baskets and of the files that buyers hand in."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from graupel.db import Tx, plain
from graupel.features.orders.rows import BasketLineRow, BasketRow, BuyerFileRow


def basket(tx: Tx, secret_hash: bytes, destination: str, *, lock: bool = False) -> BasketRow | None:
    return tx.row(
        BasketRow,
        f"""SELECT id, destination, typed, order_id FROM basket WHERE secret_hash = %s AND destination = %s
            {"FOR UPDATE" if lock else ""}""",
        [secret_hash, destination],
    )


def insert_basket(tx: Tx, secret_hash: bytes, destination: str, at: datetime) -> int:
    """Make a basket; where another request made it at the same moment, that one."""
    tx.run(
        """INSERT INTO basket (secret_hash, destination, typed, changed_at) VALUES (%s, %s, '{}', %s)
           ON DUPLICATE KEY UPDATE changed_at = VALUES(changed_at)""",
        [secret_hash, destination, at],
    )
    return int(
        tx.value(
            "SELECT id FROM basket WHERE secret_hash = %s AND destination = %s FOR UPDATE", [secret_hash, destination]
        )
    )


def update_basket(tx: Tx, basket_id: int, values: Mapping[str, Any]) -> None:
    plain.update(tx, "basket", basket_id, values)


def lines(tx: Tx, basket_id: int) -> list[BasketLineRow]:
    return tx.rows(
        BasketLineRow,
        "SELECT id, variant_id, name, quantity, answers, pays, seen FROM basket_line WHERE basket_id = %s ORDER BY id",
        [basket_id],
    )


def insert_line(tx: Tx, values: Mapping[str, Any]) -> int:
    return plain.insert(tx, "basket_line", values)


def update_line(tx: Tx, line_id: int, values: Mapping[str, Any]) -> None:
    plain.update(tx, "basket_line", line_id, values)


def delete_lines(tx: Tx, line_ids: Sequence[int]) -> None:
    tx.run("DELETE FROM basket_line WHERE id IN %s", [list(line_ids) or [0]])


def count(tx: Tx, secret_hash: bytes, destination: str) -> int:
    """How many lines a basket has."""
    return int(
        tx.value(
            """SELECT COUNT(*) FROM basket b JOIN basket_line l ON l.basket_id = b.id
               WHERE b.secret_hash = %s AND b.destination = %s""",
            [secret_hash, destination],
        )
    )


def forget(tx: Tx, before: datetime, limit: int) -> int:
    """Take away baskets that nobody touched since; returns how many."""
    return tx.run("DELETE FROM basket WHERE changed_at < %s ORDER BY changed_at LIMIT %s", [before, limit])


# --- files ---------------------------------------------------------------------------------------------------


def insert_file(tx: Tx, values: Mapping[str, Any]) -> int:
    return plain.insert(tx, "buyer_file", values)


def files(tx: Tx, kept_as: Sequence[str]) -> dict[str, BuyerFileRow]:
    rows = tx.rows(
        BuyerFileRow,
        "SELECT id, kept_as, sha256, name, bytes, order_id FROM buyer_file WHERE kept_as IN %s",
        [list(kept_as) or [""]],
    )
    return {row["kept_as"]: row for row in rows}


def files_belong(tx: Tx, kept_as: Sequence[str], order_id: int) -> None:
    """Note of which order files are; those of another stay that one's."""
    tx.run(
        "UPDATE buyer_file SET order_id = %s WHERE kept_as IN %s AND order_id IS NULL",
        [order_id, list(kept_as) or [""]],
    )


def abandoned_files(tx: Tx, before: datetime, limit: int) -> list[BuyerFileRow]:
    """Files of no order that are older; none that a basket still names is."""
    return tx.rows(
        BuyerFileRow,
        """SELECT id, kept_as, sha256, name, bytes, order_id FROM buyer_file
           WHERE order_id IS NULL AND made_at < %s ORDER BY made_at LIMIT %s""",
        [before, limit],
    )


def delete_file(tx: Tx, file_id: int) -> None:
    tx.run("DELETE FROM buyer_file WHERE id = %s", [file_id])


def names_bytes(tx: Tx, sha256: str) -> bool:
    """Whether a file is kept that has these bytes."""
    return bool(tx.value("SELECT 1 FROM buyer_file WHERE sha256 = %s LIMIT 1", [sha256]))
