"""The table of where files come from by themselves."""

from collections.abc import Sequence
from datetime import datetime

from graupel.db import Tx
from graupel.features.files.rows import SourceRow

_ROWS = """SELECT s.*, p.name AS profile, f.state <=> 'applied' AS is_in, COALESCE(u.name, s.person) AS who
           FROM file_source s LEFT JOIN user u ON u.email = s.person
           LEFT JOIN import_profile p ON p.id = s.profile_id LEFT JOIN import_file f ON f.id = s.file_id"""


def every(tx: Tx) -> list[SourceRow]:
    """All of them, by name."""
    return tx.rows(SourceRow, f"{_ROWS} ORDER BY s.name, s.id")


def read(tx: Tx, source_id: int, *, lock: bool = False) -> SourceRow | None:
    if lock:
        tx.value("SELECT 1 FROM file_source WHERE id = %s FOR UPDATE", [source_id])
    return tx.row(SourceRow, f"{_ROWS} WHERE s.id = %s", [source_id])


def of_file(tx: Tx, file_id: int) -> list[SourceRow]:
    """Those of which a file came last."""
    return tx.rows(SourceRow, f"{_ROWS} WHERE s.file_id = %s", [file_id])


def begin_anew(tx: Tx, source_id: int) -> None:
    """It is looked for otherwise: from now on, and also for what came last."""
    tx.run("UPDATE file_source SET reached = UTC_TIMESTAMP(3), sha256 = NULL WHERE id = %s", [source_id])


def busy(tx: Tx, kinds: Sequence[str]) -> set[int]:
    """Those for which something runs just now."""
    found = tx.all(
        """SELECT DISTINCT JSON_VALUE(payload, '$.source_id') AS source_id FROM job
           WHERE state IN ('waiting', 'running') AND kind IN %s""",
        [list(kinds)],
    )
    return {int(row["source_id"]) for row in found if row["source_id"] is not None}


def reach(tx: Tx, source_id: int, moment: datetime) -> None:
    """It is looked for at a set time."""
    tx.run("UPDATE file_source SET reached = %s WHERE id = %s", [moment, source_id])


def note(
    tx: Tx, source_id: int, said: str, *, asks: bool = False, sha256: str | None = None, file_id: int | None = None
) -> None:
    """What came of looking; without a file the last one stays known."""
    tx.run(
        """UPDATE file_source SET looked_at = UTC_TIMESTAMP(3), said = %s, is_asking = %s,
             sha256 = COALESCE(%s, sha256), file_id = COALESCE(%s, file_id) WHERE id = %s""",
        [said[:500], asks, sha256, file_id, source_id],
    )
