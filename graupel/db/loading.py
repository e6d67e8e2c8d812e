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
            file.write("\t".join([one if one.__class__ is str and not _special(one) else _cell(one) for one in row]))
            file.write("\n")
            count += 1
    try:
        # The table's and columns' names come from the code, never from a user.
        loaded = tx.run(
            f"LOAD DATA LOCAL INFILE %s INTO TABLE {table} CHARACTER SET utf8mb4 "
            f"FIELDS TERMINATED BY '\\t' ESCAPED BY '\\\\' LINES TERMINATED BY '\\n' ({', '.join(columns)})",
            [str(path)],
        )
    finally:
        path.unlink(missing_ok=True)
    if loaded != count or tx.value("SELECT @@warning_count"):
        reasons = "; ".join(row["Message"] for row in tx.all("SHOW WARNINGS LIMIT 3"))
        raise RuntimeError(f"{loaded} of {count} rows were loaded into {table} as they are: {reasons}")
    return count


def _cell(value: Any) -> str:
    return "\\N" if value is None else str(value).translate(_ESCAPES)
