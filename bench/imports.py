"""Bringing in N new products, and then the same file with one price in ten changed, beside a bare LOAD DATA."""

import csv
import multiprocessing
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

from bench import catalogue
from bench.figures import Figure, PeakMemory, timed
from graupel.context import Context
from graupel.core.attributes import AttributeKind
from graupel.core.handling import Handling
from graupel.core.roles import SYSTEM
from graupel.db import Database, Tx
from graupel.db.loading import load_rows
from graupel.features.files import exporting
from graupel.features.files import service as files
from graupel.features.history import rolling_back
from graupel.features.products import out
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary.attributes import Definition
from graupel.jobs.worker import Worker
from graupel.tables.writing import Out

FLOOR = "bare LOAD DATA of the same rows"


def measure(ctx: Context, count: int, folder: Path, seed: int) -> Iterator[Figure]:
    """Fills an empty installation with the catalogue."""
    path = catalogue.write(folder / f"goods-{count}.csv", count, seed)
    floor = _floor(ctx, path)
    yield Figure("LOAD DATA, the floor", count, floor, 1.0)
    yield _pandas(ctx, path, count, floor)
    yield from _import(ctx, path, count, floor, "import, all new")
    yield from _tables(ctx, count, floor)
    changed = catalogue.write(folder / f"dearer-{count}.csv", count, seed, dearer=True)
    yield from _import(ctx, changed, count, floor, "import, one in ten changed")
    yield from _export(ctx, count, folder)
    _words(ctx)
    for dearer, what in ((False, "all new"), (True, "one in ten changed")):
        variants = as_variants(path, folder / f"variants-{count}-{dearer}.csv", dearer=dearer)
        yield from _import(ctx, variants, count, floor, f"variants by product code, {what}")
    yield from _rolled_back(ctx, path, folder, count)


def _rolled_back(ctx: Context, path: Path, folder: Path, count: int) -> Iterator[Figure]:
    """A file of new goods rolled back, beside the time that it took to write them."""
    plain = as_variants(path, folder / f"back-{count}.csv", prefix="R", each=1)
    figures = list(_import(ctx, plain, count, 1.0, "to be rolled back"))
    applied = figures[-1].seconds or 0.0
    change_set_id = ctx.db.run(lambda tx: tx.value("SELECT MAX(change_set_id) FROM import_file"))
    with PeakMemory() as memory:
        seconds, _ = timed(lambda: ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, change_set_id)))
        yield Figure(
            "such an import rolled back", count, seconds, seconds / applied, "bringing it in", peak_mb=memory.peak
        )


#: What new goods stand in.
_TABLES = ("product", "product_text", "variant", "product_summary", "product_stock", "change_pack")


def _tables(ctx: Context, count: int, floor: float) -> Iterator[Figure]:
    """What the tables of goods cost by themselves: their rows copied into empty ones like them, with their keys and
    without foreign ones. No import into them can take less, and each column or key that is added shows here."""
    total = 0.0
    for table in _TABLES:
        seconds = ctx.db.run(lambda tx, table=table: _copied(tx, table))  # type: ignore[misc]
        total += seconds
        yield Figure(f"rows of {table} copied", count, seconds, seconds / floor, FLOOR)
    yield Figure("all of them copied", count, total, total / floor, FLOOR)


def _copied(tx: Tx, table: str) -> float:
    fields = tx.all(f"SHOW COLUMNS FROM {table}")
    names = ", ".join(f"`{one['Field']}`" for one in fields if "GENERATED" not in one["Extra"])
    tx.run(f"CREATE TABLE bench_copy LIKE {table}")
    seconds, _ = timed(lambda: tx.run(f"INSERT INTO bench_copy ({names}) SELECT {names} FROM {table}"))
    tx.run("DROP TABLE bench_copy")
    return seconds


COLOURS, SIZES = ("Heather", "Oat", "Peat", "Rowan", "Sky"), ("S", "M")


def _words(ctx: Context) -> None:
    """Attributes that the variants differ by, and one that they share."""
    for name, kind, choices in (
        ("Colour", AttributeKind.COLOUR, COLOURS),
        ("Size", AttributeKind.ONE_CHOICE, SIZES),
        ("Care", AttributeKind.SHORT_TEXT, ()),
    ):
        attributes.make(ctx, SYSTEM, Definition(name, kind, choices=choices))


def as_variants(
    source: Path, path: Path, *, dearer: bool = False, prefix: str = "V", each: int = len(COLOURS) * len(SIZES)
) -> Path:
    """The same rows as products of so many variants ``each``, by product code, with three attributes; their codes begin
    with ``prefix``."""
    with source.open(encoding="utf-8", newline="") as file, path.open("w", encoding="utf-8", newline="") as to:
        rows, writer = csv.DictReader(file), csv.writer(to)
        writer.writerow(["product code", "sku", "name", "price", "weight", "category", "colour", "size", "care"])
        for number, row in enumerate(rows):
            product, place = divmod(number, each)
            price = f"{float(row['price']) + 1:.2f}" if dearer and number % 10 == 0 else row["price"]
            said = [f"{prefix}{product}", f"{prefix}-{row['sku']}", f"Product {product}", price, row["weight"]]
            writer.writerow([*said, "Yarn > Varied", COLOURS[place % 5], SIZES[place // 5], "by hand"])
    return path


def _floor(ctx: Context, path: Path) -> float:
    """In a process of its own: the rows are held while they are loaded, and that memory is not ours."""
    _make_bare(ctx)
    with multiprocessing.get_context("spawn").Pool(1) as apart:
        seconds = apart.apply(_load_bare, (ctx.settings.database_url, path))
    ctx.db.run(lambda tx: tx.run("DROP TABLE bench_floor"))
    return seconds


def _load_bare(url: str, path: Path) -> float:
    with path.open(encoding="utf-8", newline="") as file:
        rows = list(csv.reader(file))[1:]
    columns = ["sku", "name", "price", "weight_g", "category", "description"]
    db = Database(url)
    seconds, _ = timed(lambda: db.run(lambda tx: load_rows(tx, "bench_floor", columns, rows)))
    db.close()
    return seconds


def _make_bare(ctx: Context) -> None:
    """One table of the same rows, with its keys."""

    def make(tx: Tx) -> None:
        tx.run("DROP TABLE IF EXISTS bench_floor")
        tx.run("""CREATE TABLE bench_floor (
                  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY, sku VARCHAR(64), name VARCHAR(255),
                  price DECIMAL(12,2), weight_g INT, category VARCHAR(1000), description MEDIUMTEXT,
                  UNIQUE KEY (sku), KEY (name), KEY (price)) ENGINE=InnoDB""")

    ctx.db.run(make)


def _pandas(ctx: Context, path: Path, count: int, floor: float) -> Figure:
    """The same file through pandas into the same table: what somebody with a script would do. In a process of its own,
    so that what it holds in memory is not counted as ours."""
    _make_bare(ctx)
    url = ctx.settings.database_url.replace("mysql://", "mysql+pymysql://", 1)
    seconds, _ = timed(lambda: subprocess.run([sys.executable, "-c", _WITH_PANDAS, str(path), url], check=True))
    ctx.db.run(lambda tx: tx.run("DROP TABLE bench_floor"))
    started, _ = timed(lambda: subprocess.run([sys.executable, "-c", _IMPORTS], check=True))
    return Figure("pandas: read_csv, to_sql", count, seconds - started, (seconds - started) / floor, FLOOR)


_IMPORTS = "import pandas, sys; from sqlalchemy import create_engine"
_WITH_PANDAS = f"""{_IMPORTS}
read = pandas.read_csv(sys.argv[1], dtype=str, keep_default_na=False).rename(columns={{"weight": "weight_g"}})
read["weight_g"] = read["weight_g"].str.extract(r"(\\d+)", expand=False)
read.to_sql("bench_floor", create_engine(sys.argv[2]), if_exists="append", index=False, chunksize=10_000)
"""


def _export(ctx: Context, count: int, folder: Path) -> Iterator[Figure]:
    """Taking everything out, beside the rows streamed out of the database and let go."""
    lang = ctx.settings.language
    floor, _ = timed(lambda: ctx.db.run(lambda tx: sum(1 for _ in out.export_rows(tx, lang))))
    yield Figure("rows streamed out, the floor", count, floor, 1.0)
    for form in (Out.CSV, Out.LINES, Out.XML, Out.ODS, Out.XLSX):
        with PeakMemory() as memory:
            seconds, done = timed(lambda form=form: exporting.export(ctx, SYSTEM, folder / f"out.{form}", form))  # type: ignore[misc]
        assert done.rows >= count
        yield Figure(f"all taken out as {form}", count, seconds, seconds / floor, "streaming", peak_mb=memory.peak)


def _import(ctx: Context, path: Path, count: int, floor: float, name: str) -> Iterator[Figure]:
    with path.open("rb") as content:
        file_id = files.take(ctx, SYSTEM, path.name, content)
    rules = files.read(ctx, SYSTEM, file_id).rules
    files.request_plan(ctx, SYSTEM, file_id, rules, Handling(go_live=True))
    with PeakMemory() as memory:
        seconds, _ = timed(lambda: _work_off(ctx))
        yield Figure(f"{name}: dry run", count, seconds, seconds / floor, FLOOR, peak_mb=memory.peak)
    files.request_apply(ctx, SYSTEM, file_id, leave_out=False)
    with PeakMemory() as memory:
        seconds, _ = timed(lambda: _work_off(ctx))
        yield Figure(f"{name}: apply", count, seconds, seconds / floor, FLOOR, peak_mb=memory.peak)
    trouble = files.read(ctx, SYSTEM, file_id).trouble
    if trouble:
        raise RuntimeError(trouble)


def _work_off(ctx: Context) -> None:
    worker = Worker(ctx)
    while worker.work_one():
        pass
