"""Many rows into one table at once, by LOAD DATA."""

import re
import tempfile
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any

from graupel.db.connection import Tx

_ESCAPES = str.maketrans({"\\": "\\\\", "\t": "\\t", "\n": "\\n", "\r": "\\r", "\0": "\\0"})


#: Whether a text has a sign that is written in another way; most have none.
_special = re.compile("[\\\\\t\n\r\0]").search


def load_rows(tx: Tx, table: str, columns: Sequence[str], rows: Iterable[Sequence[Any]]) -> int:
    """Load ``rows`` (None is NULL) into ``columns`` of ``table``; returns how many.

    Strict: a value that does not fit raises instead of being cut, because LOCAL alone would only warn.
    """
    with tempfile.NamedTemporaryFile("w", encoding="utf-8", newline="", prefix="graupel-", delete=False) as file:
        path = Path(file.name)
        count = 0
        for row in rows:
            file.write(as_line(row))
            count += 1
    try:
        return load_file(tx, table, ", ".join(columns), path, count)
    finally:
        path.unlink(missing_ok=True)


def load_file(tx: Tx, table: str, columns: str, path: Path, count: int) -> int:
    """Load a file of ``count`` lines as as_line makes them; ``columns``: SQL of what they are, with SET where needed.

    The table's and columns' names come from the code, never from a user. Raises RuntimeError where not every row came
    in as it is.
    """
    names, _, sets = columns.partition(" SET ")
    loaded = tx.run(
        f"LOAD DATA LOCAL INFILE %s INTO TABLE {table} CHARACTER SET utf8mb4 FIELDS TERMINATED BY '\\t' "
        f"ESCAPED BY '\\\\' LINES TERMINATED BY '\\n' ({names}) {f'SET {sets}' if sets else ''}",
        [str(path)],
    )
    if loaded != count or tx.value("SELECT @@warning_count"):
        reasons = "; ".join(row["Message"] for row in tx.all("SHOW WARNINGS LIMIT 3"))
        raise RuntimeError(f"{loaded} of {count} rows were loaded into {table} as they are: {reasons}")
    return count


def as_line(row: Iterable[Any]) -> str:
    """A row as LOAD DATA reads it; None is NULL."""
    return "\t".join([one if one.__class__ is str and not _special(one) else _cell(one) for one in row]) + "\n"


def _cell(value: Any) -> str:
    return "\\N" if value is None else str(value).translate(_ESCAPES)
