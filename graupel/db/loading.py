"""Many rows into one table at once, by LOAD DATA."""

import secrets
import tempfile
from collections.abc import Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from itertools import chain, islice
from pathlib import Path
from typing import Any

from graupel.db.connection import Tx

_ESCAPES = str.maketrans({"\\": "\\\\", "\t": "\\t", "\n": "\\n", "\r": "\\r", "\0": "\\0"})
#: Stands for NULL until it is known that no cell of the row needs to be written in another way: no cell holds it.
_NULL = secrets.token_hex(8)


def load_rows(tx: Tx, table: str, columns: Sequence[str], rows: Iterable[Sequence[Any]]) -> int:
    """Load ``rows`` (None is NULL) into ``columns`` of ``table``; returns how many.

    Strict: a value that does not fit raises instead of being cut, because LOCAL alone would only warn.
    """
    path, count = _written(rows)
    try:
        return load_file(tx, table, ", ".join(columns), path, count)
    finally:
        path.unlink(missing_ok=True)


def load_blocks(tx: Tx, table: str, columns: Sequence[str], rows: Iterable[Sequence[Any]], size: int) -> Iterator[int]:
    """The same in blocks of ``size`` rows; after each one it says how many that were.

    While the database takes one in, the next is made ready in another thread: ``rows`` may ask nothing of ``tx``.
    """
    left = iter(rows)
    with ThreadPoolExecutor(1) as ahead:
        block = ahead.submit(_block, left, size).result()
        while block:
            path, count = block
            following = ahead.submit(_block, left, size)
            try:
                load_file(tx, table, ", ".join(columns), path, count)
                yield count
            except BaseException:
                if not following.exception() and (made := following.result()):
                    made[0].unlink(missing_ok=True)
                raise
            finally:
                path.unlink(missing_ok=True)
            block = following.result()


def _block(rows: Iterator[Sequence[Any]], size: int) -> tuple[Path, int] | None:
    first = next(rows, None)
    return None if first is None else _written(chain((first,), islice(rows, size - 1)))


def _written(rows: Iterable[Sequence[Any]]) -> tuple[Path, int]:
    """A file of rows as LOAD DATA reads them, and how many."""
    count = 0
    with tempfile.NamedTemporaryFile("w", encoding="utf-8", newline="", prefix="graupel-", delete=False) as file:
        path = Path(file.name)
        try:
            for row in rows:
                file.write(as_line(row))
                count += 1
        except BaseException:
            path.unlink(missing_ok=True)
            raise
    return path, count


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


def as_line(row: Sequence[Any]) -> str:
    """A row as LOAD DATA reads it; None is NULL."""
    line = "\t".join([one if one.__class__ is str else _NULL if one is None else str(one) for one in row])
    # Most rows have no sign that is written in another way: to see that of the whole line costs least.
    if line.count("\t") == len(row) - 1 and not ("\\" in line or "\n" in line or "\r" in line or "\0" in line):
        return line.replace(_NULL, "\\N") + "\n"
    return "\t".join(["\\N" if one is None else str(one).translate(_ESCAPES) for one in row]) + "\n"
