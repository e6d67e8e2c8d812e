"""What sells of all variants, by sets and one by one; stock that changes, alone and while a file is brought in.

Floor, in the same run: what is there of all variants read row by row, as the table holds it.
"""

import io
import random
import threading
from collections.abc import Iterator
from decimal import Decimal
from pathlib import Path

from starlette.testclient import TestClient

from bench import catalogue
from bench.figures import Figure, against, percentile, timed, times
from graupel import main, processes
from graupel.context import Context
from graupel.core.handling import Handling
from graupel.core.orders import Report, Told
from graupel.core.roles import SYSTEM, Role
from graupel.core.stock import Reason
from graupel.db import Tx
from graupel.features.files import service as files
from graupel.features.orders import service as orders
from graupel.features.orders.service import Reported
from graupel.features.products import selling
from graupel.features.products import service as products
from graupel.features.stock import places, service
from graupel.features.terms import sells_sql
from graupel.features.users import service as users
from graupel.features.users.access import Visitor
from graupel.jobs.worker import Worker
from graupel.web.security import SESSION_COOKIE

TIMES = 5
ACTS = 100
COMPARED = 200
MEANWHILE = 60
PASSWORD = "bench-password"
WHAT = "reading the rows"


def measure(ctx: Context, count: int, folder: Path, seed: int) -> Iterator[Figure]:
    """Measures on the catalogue that is there, nine variants in ten counted, some with rules of their own."""
    ctx.db.run(_count_all)
    places.save(ctx, SYSTEM, None, {"low_stock": "6", "at_zero": "stop", "held_back": "1"})
    floor = percentile(times(TIMES, lambda: ctx.db.run(_plain)), 0.5)
    yield Figure("what is there of all variants read, the floor", count, ratio=1.0, p50_ms=floor)
    yield against("what sells of all variants", count, times(TIMES, lambda: ctx.db.run(_sells)), floor, WHAT)
    yield against("which products can be had", count, times(TIMES, lambda: ctx.db.run(_had)), floor, WHAT)
    dice = random.Random(seed)
    ids = ctx.db.run(lambda tx: [row["id"] for row in tx.all("SELECT id FROM product ORDER BY id")])
    yield _one_by_one(ctx, count, dice.sample(ids, min(COMPARED, len(ids))))
    some = ctx.db.run(lambda tx: tx.all("SELECT id, sku FROM variant ORDER BY RAND(7) LIMIT %s", [ACTS]))
    yield against("stock of a variant typed", count, [_typed(ctx, row["id"]) for row in some], floor, WHAT)
    sold = [_sold(ctx, row["sku"], f"b{row['id']}") for row in some]
    yield against("an order of one variant, reported and paid", count, sold, floor, WHAT)
    yield from _pages(ctx, count, floor)
    yield from _while_importing(ctx, count, folder, seed, floor)


def _count_all(tx: Tx) -> None:
    """Stock as it would be after a first count, put there by sets: how it came there is not what is measured."""
    tx.run(
        """INSERT IGNORE INTO stock (id, product_id, counted, on_hand)
           SELECT id, product_id, TRUE, id %% 40 FROM variant WHERE id %% 10 <> 3""",
        [],
    )
    tx.run("INSERT IGNORE INTO stock_at (variant_id, location_id, on_hand) SELECT id, 1, on_hand FROM stock")
    tx.run(
        """INSERT INTO stock_entry (product_id, variant_id, location_id, amount, reason, change_set_id, at)
           SELECT product_id, id, 1, on_hand, 'counted', 0, UTC_TIMESTAMP(3) FROM stock WHERE on_hand <> 0"""
    )
    tx.run("UPDATE variant SET at_zero = 'go_on' WHERE id %% 7 = 0", [])


def _plain(tx: Tx) -> int:
    rows = tx.stream(
        """SELECT v.id, v.product_id, k.on_hand FROM product p STRAIGHT_JOIN variant v ON v.product_id = p.id
           LEFT JOIN stock k ON k.id = v.id WHERE NOT v.archived ORDER BY p.id, v.id"""
    )
    return sum(1 for _ in rows)


def _sells(tx: Tx) -> int:
    sql = sells_sql.now(tx)
    rows = tx.stream(
        f"""SELECT v.id, {sql.standing} AS standing, {sql.ready} AS ready, {sql.most} AS most FROM product p
            STRAIGHT_JOIN variant v ON v.product_id = p.id {sells_sql.JOINS} WHERE NOT v.archived ORDER BY p.id, v.id"""
    )
    return sum(1 for _ in rows)


def _had(tx: Tx) -> int:
    sql = sells_sql.now(tx)
    rows = tx.stream(
        f"""SELECT v.product_id, MAX({sql.can_be_had}) AS had FROM product p
            STRAIGHT_JOIN variant v ON v.product_id = p.id {sells_sql.JOINS} WHERE NOT v.archived
            GROUP BY v.product_id"""
    )
    return sum(1 for _ in rows)


def _one_by_one(ctx: Context, count: int, ids: list[int]) -> Figure:
    """Single calls, held against the sets."""

    def one() -> dict[int, object]:
        found: dict[int, object] = {}
        for product_id in ids:
            sells = selling.read(ctx, products.read(ctx, SYSTEM, product_id)).sells
            found |= {key: (each.standing, each.ready, each.most) for key, each in sells.items()}
        return found

    took, single = timed(one)
    by_sets = {key: (each.standing, each.ready, each.most) for key, each in selling.now_of(ctx, ids).items()}
    if single != {key: by_sets[key] for key in single}:
        raise AssertionError("single calls and sets do not agree")
    return Figure("what sells of one product, read by itself", count, p50_ms=took * 1000 / len(ids))


def _typed(ctx: Context, variant_id: int) -> float:
    return times(1, lambda: service.book(ctx, SYSTEM, variant_id, None, "+3", "", Reason.RECEIVED))[0]


def _sold(ctx: Context, sku: str, code: str) -> float:
    def sell() -> None:
        orders.take(ctx, SYSTEM, Reported("", f"{code}-o", code, Report(Told.ORDERED, {sku: Decimal(1)})))
        orders.take(ctx, SYSTEM, Reported("", f"{code}-p", code, Report(Told.PAID)))

    return times(1, sell)[0]


def _pages(ctx: Context, count: int, floor: float) -> Iterator[Figure]:
    users.add_user(ctx, SYSTEM, "stock@example.com", "Bench", Role.EDITOR, PASSWORD)
    secret = users.sign_in(ctx, "stock@example.com", PASSWORD, Visitor("127.0.0.1", "bench"))
    signed = TestClient(main.make_app(ctx), base_url="http://127.0.0.1", cookies={SESSION_COOKIE: secret})
    processes.settle()  # as in a serving process
    for name, address in (("the page of stock", "/stock"), ("below the threshold", "/stock?show=low")):
        signed.get(address).raise_for_status()
        yield against(name, count, times(TIMES, lambda at=address: signed.get(at)), floor, WHAT)  # type: ignore[misc]


def _while_importing(ctx: Context, count: int, folder: Path, seed: int, floor: float) -> Iterator[Figure]:
    """Orders of variants that a file is changing at that very moment."""
    path = catalogue.write(folder / f"meanwhile-{count}.csv", count, seed + 1, dearer=True)
    file_id = files.take(ctx, SYSTEM, path.name, io.BytesIO(path.read_bytes()))
    files.request_plan(ctx, SYSTEM, file_id, files.read(ctx, SYSTEM, file_id).rules, Handling(go_live=True))
    worker = Worker(ctx)
    while worker.work_one():
        pass
    files.request_apply(ctx, SYSTEM, file_id, leave_out=False)
    skus = ctx.db.run(
        lambda tx: [row["sku"] for row in tx.all("SELECT sku FROM variant ORDER BY RAND(9) LIMIT %s", [MEANWHILE])]
    )
    writing = threading.Thread(target=worker.work_one)
    writing.start()
    took = []
    for place, sku in enumerate(skus):
        if not writing.is_alive():
            break
        took.append(_sold(ctx, sku, f"m{place}"))
    writing.join()
    if not took:
        raise AssertionError("the file was written before anything could be sold")
    yield against("an order reported and paid while the file is written", count, took, floor, WHAT)
