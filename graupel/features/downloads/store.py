"""The tables of downloads."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from graupel.core.declarations.downloads import DOWNLOAD, DOWNLOAD_USE, DOWNLOAD_VERSION
from graupel.db import Tx, plain
from graupel.db.rows import Named
from graupel.features.downloads.rows import (
    CountsRow,
    DownloadRow,
    GivenRow,
    RunRow,
    TookRow,
    UseNameRow,
    UseRow,
    VersionNameRow,
    VersionRow,
)

_DOWNLOAD = f"SELECT id, {', '.join(DOWNLOAD.columns())}, version FROM download"
_VERSION = f"SELECT id, {', '.join(DOWNLOAD_VERSION.columns())}, made_at, version FROM download_version"
_USE = f"SELECT id, {', '.join(DOWNLOAD_USE.columns())}, version FROM download_use"
_GIVEN = f"SELECT {', '.join(GivenRow.__annotations__)} FROM given_download"


def every(tx: Tx) -> list[DownloadRow]:
    """All downloads, by name."""
    return tx.rows(DownloadRow, f"{_DOWNLOAD} ORDER BY name, id")


def some(tx: Tx, ids: Sequence[int], *, lock: bool = False) -> list[DownloadRow]:
    return tx.rows(DownloadRow, f"{_DOWNLOAD} WHERE id IN %s {'FOR UPDATE' if lock else ''}", [list(ids) or [0]])


def versions(tx: Tx, download_ids: Sequence[int]) -> list[VersionRow]:
    """Their versions, the newest of each first."""
    return tx.rows(
        VersionRow,
        f"{_VERSION} WHERE download_id IN %s ORDER BY download_id, number DESC",
        [list(download_ids) or [0]],
    )


def version(tx: Tx, version_id: int) -> VersionRow | None:
    return tx.row(VersionRow, f"{_VERSION} WHERE id = %s", [version_id])


def uses(tx: Tx, product_ids: Sequence[int], *, lock: bool = False) -> list[UseRow]:
    """With which products downloads are given, in their order."""
    return tx.rows(
        UseRow,
        f"{_USE} WHERE product_id IN %s ORDER BY product_id, position, id {'FOR UPDATE' if lock else ''}",
        [list(product_ids) or [0]],
    )


def uses_of(tx: Tx, download_id: int) -> list[UseRow]:
    return tx.rows(UseRow, f"{_USE} WHERE download_id = %s ORDER BY product_id, id", [download_id])


def counts(tx: Tx) -> dict[int, CountsRow]:
    rows = tx.rows(
        CountsRow,
        """SELECT d.id,
                  (SELECT COUNT(DISTINCT u.product_id) FROM download_use u WHERE u.download_id = d.id) AS products,
                  (SELECT COALESCE(SUM(g.taken), 0) FROM given_download g WHERE g.download_id = d.id) AS taken
           FROM download d""",
    )
    return {row["id"]: row for row in rows}


def products_with(tx: Tx, download_id: int, lang: str, limit: int) -> list[Named]:
    return tx.rows(
        Named,
        """SELECT DISTINCT p.id, t.name FROM download_use u JOIN product p ON p.id = u.product_id
           JOIN product_text t ON t.product_id = p.id AND t.lang = %s
           WHERE u.download_id = %s ORDER BY t.name, p.id LIMIT %s""",
        [lang, download_id, limit],
    )


def is_for_sale(tx: Tx, download_id: int) -> bool:
    """Whether a live product has it."""
    return bool(
        tx.value(
            """SELECT 1 FROM download_use u JOIN product p ON p.id = u.product_id AND p.status = 'live'
               WHERE u.download_id = %s LIMIT 1""",
            [download_id],
        )
    )


# --- what buyers were given ----------------------------------------------------------------------------------


def give(tx: Tx, values: Mapping[str, Any]) -> None:
    """Give a download with a line of an order, once."""
    plain.insert(tx, "given_download", values, once=True)


def given(tx: Tx, secret: str, *, lock: bool = False) -> GivenRow | None:
    if not secret.isascii():
        return None
    return tx.row(GivenRow, f"{_GIVEN} WHERE secret = %s {'FOR UPDATE' if lock else ''}", [secret])


def given_by_id(tx: Tx, given_id: int) -> GivenRow | None:
    return tx.row(GivenRow, f"{_GIVEN} WHERE id = %s FOR UPDATE", [given_id])


def given_with(tx: Tx, order_id: int) -> list[GivenRow]:
    return tx.rows(GivenRow, f"{_GIVEN} WHERE order_id = %s ORDER BY id", [order_id])


def update_given(tx: Tx, given_id: int, values: Mapping[str, Any]) -> None:
    plain.update(tx, "given_download", given_id, values)


def close_all(tx: Tx, order_id: int) -> None:
    tx.run("UPDATE given_download SET closed = TRUE WHERE order_id = %s", [order_id])


def took(tx: Tx, download_id: int, limit: int) -> list[TookRow]:
    """Who was given a download, the last first."""
    return tx.rows(
        TookRow,
        """SELECT g.id, g.order_id, o.code, p.name, o.trial, g.taken, g.most, g.until_at, g.closed, g.last_at
           FROM given_download g JOIN shop_order o ON o.id = g.order_id LEFT JOIN placed_order p ON p.id = o.id
           WHERE g.download_id = %s ORDER BY g.id DESC LIMIT %s""",
        [download_id, limit],
    )


# --- under way -----------------------------------------------------------------------------------------------


def others_under_way(tx: Tx, given_id: int, who: bytes, now: datetime) -> int:
    return int(
        tx.value(
            "SELECT COUNT(*) FROM download_run WHERE given_id = %s AND who <> %s AND until_at > %s",
            [given_id, who, now],
        )
    )


def begin_run(tx: Tx, given_id: int, who: bytes, version_id: int, until: datetime) -> None:
    tx.run(
        """INSERT INTO download_run (given_id, who, download_version_id, spans, until_at) VALUES (%s, %s, %s, '[]', %s)
           ON DUPLICATE KEY UPDATE until_at = GREATEST(until_at, VALUES(until_at))""",
        [given_id, who, version_id, until],
    )


def run(tx: Tx, given_id: int, who: bytes, version_id: int) -> RunRow | None:
    return tx.row(
        RunRow,
        """SELECT id, given_id, spans FROM download_run WHERE given_id = %s AND who = %s AND download_version_id = %s
           FOR UPDATE""",
        [given_id, who, version_id],
    )


def update_run(tx: Tx, run_id: int, spans: str, until: datetime) -> None:
    tx.run("UPDATE download_run SET spans = %s, until_at = %s WHERE id = %s", [spans, until, run_id])


def end_run(tx: Tx, run_id: int) -> None:
    tx.run("DELETE FROM download_run WHERE id = %s", [run_id])


def forget_runs(tx: Tx) -> None:
    """Forget downloads that nobody went on with for a week."""
    tx.run("DELETE FROM download_run WHERE until_at < UTC_TIMESTAMP(3) - INTERVAL 7 DAY")


# --- names for History ---------------------------------------------------------------------------------------


def names(tx: Tx, ids: Sequence[int]) -> list[Named]:
    return tx.rows(Named, "SELECT id, name FROM download WHERE id IN %s", [list(ids) or [0]])


def version_names(tx: Tx, ids: Sequence[int]) -> list[VersionNameRow]:
    return tx.rows(
        VersionNameRow, "SELECT id, file_name, download_id FROM download_version WHERE id IN %s", [list(ids) or [0]]
    )


def use_names(tx: Tx, ids: Sequence[int]) -> list[UseNameRow]:
    return tx.rows(
        UseNameRow,
        """SELECT u.id, d.name AS download, u.product_id FROM download_use u JOIN download d ON d.id = u.download_id
           WHERE u.id IN %s""",
        [list(ids) or [0]],
    )
