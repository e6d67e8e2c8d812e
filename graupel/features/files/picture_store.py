"""The table of the pictures that a file wants, and where pictures came from."""

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from graupel.db import Tx
from graupel.features.files.rows import FailedPictureRow

#: Rows of goods, or of categories, that are written: what was left out gets no pictures.
_WRITTEN = """batch_picture s LEFT JOIN batch_row b ON b.batch_id = s.batch_id AND b.line = s.line
              AND b.action IN ('new', 'changed')
              LEFT JOIN batch_record c ON c.batch_id = s.batch_id AND c.line = s.line
              AND c.action IN ('new', 'changed')"""
_IS_WRITTEN = "(b.line IS NOT NULL OR c.line IS NOT NULL)"


@dataclass(frozen=True)
class Counts:
    """Pictures of a file by address: those fetched, those that wait, and those that could not be."""

    fetched: int
    waiting: int
    failed: int

    @property
    def done(self) -> int:
        """Those of which it is known."""
        return self.fetched + self.failed

    @property
    def all(self) -> int:
        """All that were not in the library."""
        return self.done + self.waiting


def counts(tx: Tx, file_id: int) -> Counts:
    row = tx.one(
        f"""SELECT COUNT(DISTINCT IF(s.state = 'fetched', s.address_key, NULL)) AS fetched,
                  COUNT(DISTINCT IF(s.state = 'waiting', s.address_key, NULL)) AS waiting,
                  COUNT(DISTINCT IF(s.state = 'failed', s.address_key, NULL)) AS failed
           FROM {_WRITTEN} WHERE s.batch_id = %s AND {_IS_WRITTEN} AND s.address_key IS NOT NULL""",
        [file_id],
    )
    assert row is not None
    return Counts(row["fetched"], row["waiting"], row["failed"])


def next_addresses(tx: Tx, file_id: int, limit: int) -> dict[str, str]:
    """Addresses that are due, by their keys."""
    rows = tx.all(
        f"""SELECT s.address_key, MIN(s.address) AS address FROM {_WRITTEN}
            WHERE s.batch_id = %s AND {_IS_WRITTEN} AND s.state = 'waiting'
              AND (s.due_at IS NULL OR s.due_at <= UTC_TIMESTAMP(3))
            GROUP BY s.address_key ORDER BY MIN(s.line) LIMIT %s""",
        [file_id, limit],
    )
    return {row["address_key"]: row["address"] for row in rows}


def next_moment(tx: Tx, file_id: int) -> datetime | None:
    """When the next one is tried again, UTC; None where none waits."""
    found: datetime | None = tx.value(
        f"""SELECT MIN(COALESCE(s.due_at, UTC_TIMESTAMP(3))) FROM {_WRITTEN}
            WHERE s.batch_id = %s AND {_IS_WRITTEN} AND s.state = 'waiting'""",
        [file_id],
    )
    return found.replace(tzinfo=UTC) if found else None


def note_failed(tx: Tx, file_id: int, key: str, said: str, most_tries: int, pause: timedelta) -> None:
    """It could not be fetched: it is tried again in a while, or given up after so many tries."""
    tx.run(
        """UPDATE batch_picture SET said = %(said)s,
             state = IF(tries + 1 >= %(most)s, 'failed', 'waiting'),
             due_at = UTC_TIMESTAMP(3) + INTERVAL %(pause)s * POW(3, tries) SECOND, tries = tries + 1
           WHERE batch_id = %(file)s AND address_key = %(key)s""",
        {"said": said[:300], "most": most_tries, "pause": pause.total_seconds(), "file": file_id, "key": key},
    )


def give_up(tx: Tx, file_id: int, said: str) -> None:
    """Fetch nothing more for a file."""
    tx.run(
        "UPDATE batch_picture SET state = 'failed', said = %s WHERE batch_id = %s AND state = 'waiting'",
        [said, file_id],
    )


def wait_again(tx: Tx, file_id: int) -> int:
    """Let those that failed be tried anew; returns how many."""
    return tx.run(
        """UPDATE batch_picture SET state = 'waiting', tries = 0, due_at = NULL
           WHERE batch_id = %s AND state = 'failed'""",
        [file_id],
    )


def note_source(tx: Tx, key: str, media_id: int) -> None:
    """Which file of the library came from an address."""
    tx.run(
        """INSERT INTO media_source (address_key, media_id, fetched_at) VALUES (%s, %s, UTC_TIMESTAMP(3))
           ON DUPLICATE KEY UPDATE media_id = VALUES(media_id), fetched_at = VALUES(fetched_at)""",
        [key, media_id],
    )


def failed(tx: Tx, file_id: int, limit: int) -> list[FailedPictureRow]:
    """Those that could not be fetched, with why, and one of the goods that want them."""
    return tx.rows(
        FailedPictureRow,
        f"""SELECT MIN(s.address) AS address, MIN(s.said) AS said, MIN(s.line) AS line,
                   COALESCE(MIN(b.shown_sku), MIN(c.name)) AS sku
            FROM {_WRITTEN} WHERE s.batch_id = %s AND {_IS_WRITTEN} AND s.state = 'failed'
            GROUP BY s.address_key ORDER BY MIN(s.line) LIMIT %s""",
        [file_id, limit],
    )


def set_job(tx: Tx, file_id: int, job_id: int) -> None:
    tx.run("UPDATE import_file SET picture_job_id = %s WHERE id = %s", [job_id, file_id])


def job_of(tx: Tx, file_id: int) -> int | None:
    """The job that fetches a file's pictures."""
    found: int | None = tx.value("SELECT picture_job_id FROM import_file WHERE id = %s", [file_id])
    return found
