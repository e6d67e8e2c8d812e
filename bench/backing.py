"""A backup of the whole catalogue, and bringing it back into the empty database of another server."""

from collections.abc import Iterator
from pathlib import Path

from bench.figures import Figure, PeakMemory, timed
from graupel import backups
from graupel.context import Context
from graupel.db import Database, Tx, dump
from graupel.db.server import PrivateServer

FLOOR = "all rows of all tables read"


def measure(ctx: Context, count: int, folder: Path, seed: int) -> Iterator[Figure]:
    """Measures a catalogue that is already there."""
    floor, rows = timed(lambda: ctx.db.run(_rows))
    yield Figure(f"{FLOOR}, the floor ({rows:,} rows)", count, floor, 1.0)
    path = folder / "backup.zip"
    with PeakMemory() as memory:
        seconds, made = timed(lambda: backups.make(ctx.db, ctx.settings, path, lambda _: None))
    name = f"backup made ({path.stat().st_size / 1e6:,.0f} MB)"
    yield Figure(name, count, seconds, seconds / floor, FLOOR, peak_mb=memory.peak)
    with PrivateServer(folder / "other") as other:
        given = {"database_url": other.make_database("graupel_back"), "data_folder": folder / "back"}
        there = ctx.settings.model_copy(update=given)
        empty = Database(there.database_url)
        with PeakMemory() as memory:
            seconds, back = timed(lambda: backups.restore(empty, there, path, lambda _: None))
        empty.close()
    yield Figure("backup brought back", count, seconds, seconds / floor, FLOOR, peak_mb=memory.peak)
    if back.rows != made.rows:
        raise RuntimeError(f"{made.rows:,} rows went out, {back.rows:,} came back")


def _rows(tx: Tx) -> int:
    return sum(1 for table in dump.tables(tx) if table.is_kept for _ in tx.stream(f"SELECT * FROM `{table.name}`"))
