"""Many rows into one table at once, by LOAD DATA."""

import secrets
import tempfile
from collections.abc import Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from itertools import chain
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
    return load_lines(tx, table, columns, map(as_line, rows))


def load_lines(tx: Tx, table: str, columns: Sequence[str], lines: Iterable[str]) -> int:
    """Load lines as as_line makes them into ``columns`` of ``table``; returns how many."""
    path, count = _written([line] for line in lines)
    try:
        return load_file(tx, table, ", ".join(columns), path, count)
    finally:
        path.unlink(missing_ok=True)


def load_blocks(tx: Tx, table: str, columns: Sequence[str], lines: Iterable[list[str]], size: int) -> Iterator[int]:
    """Load lines as as_line or as_lines makes them, in blocks of at least ``size``; after each one it says how many
    that were.

    While the database takes one in, the next is made ready in another thread: ``lines`` may ask nothing of ``tx``.
    """
    left = iter(lines)
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


def _block(lines: Iterator[list[str]], size: int) -> tuple[Path, int] | None:
    first = next(lines, None)
    return None if first is None else _written(_up_to(chain((first,), lines), size))


def _up_to(lines: Iterable[list[str]], size: int) -> Iterator[list[str]]:
    """The next pieces that together have so many lines."""
    count = 0
    for piece in lines:
        yield piece
        count += len(piece)
        if count >= size:
            return


def _written(lines: Iterable[list[str]]) -> tuple[Path, int]:
    """A file of lines as LOAD DATA reads them, and how many."""
    count = 0
    with tempfile.NamedTemporaryFile("w", encoding="utf-8", newline="", prefix="graupel-", delete=False) as file:
        path = Path(file.name)
        try:
            for piece in lines:
                file.writelines(piece)
                count += len(piece)
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


def as_lines(columns: Sequence[Sequence[Any]]) -> list[str]:
    """Rows that are given by their columns, as as_line makes each; there is at least one of either."""
    texts = [[one if one.__class__ is str else _NULL if one is None else str(one) for one in some] for some in columns]
    lines = list(map("\t".join, zip(*texts, strict=True)))
    whole = "\n".join(lines)
    if (
        whole.count("\t") == len(lines) * (len(columns) - 1)
        and whole.count("\n") == len(lines) - 1
        and not ("\\" in whole or "\r" in whole or "\0" in whole)
    ):
        return [f"{line}\n" for line in whole.replace(_NULL, "\\N").split("\n")]
    return list(map(as_line, zip(*columns, strict=True)))


def as_line(row: Sequence[Any]) -> str:
    """A row as LOAD DATA reads it; None is NULL."""
    line = "\t".join([one if one.__class__ is str else _NULL if one is None else str(one) for one in row])
    # Most rows have no sign that is written in another way: to see that of the whole line costs least.
    if line.count("\t") == len(row) - 1 and not ("\\" in line or "\n" in line or "\r" in line or "\0" in line):
        return line.replace(_NULL, "\\N") + "\n"
    return "\t".join(["\\N" if one is None else str(one).translate(_ESCAPES) for one in row]) + "\n"
