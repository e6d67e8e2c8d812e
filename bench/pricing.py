"""What all variants cost, by sets and one by one; a sale for everything that begins; the pages that ask for prices.

Floor, in the same run: the typed prices of all variants read row by row, without a lens.
"""

import random
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

from starlette.testclient import TestClient

from bench.figures import Figure, against, percentile, timed, times
from graupel import main, processes
from graupel.context import Context
from graupel.core.resolve import Lens
from graupel.core.roles import SYSTEM, Role
from graupel.core.sales import Reach
from graupel.db import Tx
from graupel.features.destinations import service as destinations
from graupel.features.destinations import shops, terms
from graupel.features.pricing import selling
from graupel.features.pricing.selling import Goods
from graupel.features.products import asking, resolving
from graupel.features.products import service as products
from graupel.features.users import service as users
from graupel.features.users.access import Visitor
from graupel.jobs.worker import Worker
from graupel.web.security import SESSION_COOKIE

TIMES = 5
SALES = 1000
COMPARED = 200
BUYERS = 8
PAGES = 200
PASSWORD = "bench-password"
WHAT = "reading the typed prices"


def measure(ctx: Context, count: int, folder: Path, seed: int) -> Iterator[Figure]:
    """Measures on the catalogue that is there: sales for single products, one for half of them, one for all."""
    floor = percentile(times(TIMES, lambda: ctx.db.run(_plain)), 0.5)
    yield Figure(f"{WHAT} of all variants, the floor", count, ratio=1.0, p50_ms=floor)
    yield _by_sets("asked, no sale anywhere", ctx, count, Lens(), floor)
    ids = ctx.db.run(lambda tx: [row["id"] for row in tx.all("SELECT id FROM product ORDER BY id")])
    dice = random.Random(seed)
    for product_id in dice.sample(ids, min(SALES, len(ids))):
        _plan(ctx, Goods(Reach.PRODUCT, [product_id]), "10 %")
    yield _by_sets(f"asked, with {SALES:,} sales for single products", ctx, count, Lens(), floor)
    yield Figure("a sale for half of all products planned", count, seconds=timed(lambda: _half(ctx, ids))[0])
    yield from _begins(ctx, count)
    yield _by_sets("asked, with these, one for half and one for all", ctx, count, Lens(), floor)
    shop = shops.make_shop(ctx, SYSTEM, {"name": "Bench rule", "languages": "en", "currency": ""})
    terms.save(ctx, SYSTEM, f"s{shop}", {"percent": "-15", "ending": ".x4", "ending_way": "down"})
    lens = destinations.read_all(ctx).lens(f"s{shop}")
    yield _by_sets("the same for a shop with a price rule and an ending", ctx, count, lens, floor)
    yield against("price ranges of all products", count, _ranges(ctx, lens), floor, WHAT)
    yield _one_by_one(ctx, count, dice.sample(ids, min(COMPARED, len(ids))), lens)
    yield from _pages(ctx, count, ids, floor)


def _plain(tx: Tx) -> int:
    rows = tx.stream(
        """SELECT v.id, v.product_id, COALESCE(v.price, p.price) AS price FROM product p
           STRAIGHT_JOIN variant v ON v.product_id = p.id WHERE NOT v.archived ORDER BY p.id, v.id"""
    )
    return sum(1 for _ in rows)


def _by_sets(said: str, ctx: Context, count: int, lens: Lens, floor: float) -> Figure:
    def read(tx: Tx) -> int:
        return sum(1 for _ in resolving.variants(tx, lens, (resolving.ASKED,), ctx.settings.language).rows)

    return against(said, count, times(TIMES, lambda: ctx.db.run(read)), floor, WHAT)


def _plan(ctx: Context, goods: Goods, amount: str) -> None:
    begins = datetime.now(UTC) - timedelta(hours=2)
    raw = {"amount": amount, "begins": f"{begins.astimezone(selling.zone_of(ctx)):%Y-%m-%dT%H:%M}"}
    selling.plan(ctx, SYSTEM, raw, goods)


def _half(ctx: Context, ids: list[int]) -> None:
    begins = datetime.now(UTC) + timedelta(hours=1)
    raw = {"amount": "20 %", "begins": f"{begins.astimezone(selling.zone_of(ctx)):%Y-%m-%dT%H:%M}"}
    taken = ctx.db.run(lambda tx: {row["product_id"] for row in tx.all("SELECT product_id FROM sale_goods")})
    free = [one for one in ids[::2] if one not in taken]
    selling.plan(ctx, SYSTEM, raw, Goods(Reach.PRODUCT, free[: selling.MOST_GOODS]))
    selling.plan(ctx, SYSTEM, raw, Goods(Reach.ALL))


def _begins(ctx: Context, count: int) -> Iterator[Figure]:
    """The moment comes at which the sale for half and the one for all begin: summaries and whoever follows them."""
    worker = Worker(ctx)
    while worker.work_one():
        pass
    later = Worker(replace(ctx, ahead=timedelta(hours=2)))

    def work() -> None:
        while later.work_one():
            pass

    yield Figure("two sales begin, for half of all and for all", count, seconds=timed(work)[0])


def _ranges(ctx: Context, lens: Lens) -> list[float]:
    def read(tx: Tx) -> int:
        found = resolving.select(tx, lens, (resolving.ASKED,), ctx.settings.language)
        sql = f"SELECT product_id, MIN(asked), MAX(asked) FROM ({found.sql}) x GROUP BY product_id"
        return sum(1 for _ in tx.stream(sql, found.params))

    return times(TIMES, lambda: ctx.db.run(read))


def _one_by_one(ctx: Context, count: int, ids: list[int], lens: Lens) -> Figure:
    """Single calls, held against the sets to the last cent."""
    moment = ctx.db.run(ctx.now) + timedelta(hours=2)
    naive = moment.replace(tzinfo=None)

    def by_sets(tx: Tx) -> dict[int, object]:
        rows = resolving.variants(tx, lens, (resolving.ASKED,), ctx.settings.language, ids, naive).rows
        return {row["variant_id"]: row["asked"] for row in rows}

    def one() -> dict[int, object]:
        found: dict[int, object] = {}
        for product_id in ids:
            product = products.read(ctx, SYSTEM, product_id)
            ask = asking.read(ctx, product, lens)
            for variant in product.for_sale:
                quote = ask.quote(variant, at=moment)
                found[variant.id] = quote.asked if quote else None
        return found

    took, single = timed(one)
    if single != ctx.db.run(by_sets):
        raise AssertionError("single calls and sets do not agree")
    return Figure("one product read and asked by itself", count, p50_ms=took * 1000 / len(ids))


def _pages(ctx: Context, count: int, ids: list[int], floor: float) -> Iterator[Figure]:
    users.add_user(ctx, SYSTEM, "prices@example.com", "Bench", Role.EDITOR, PASSWORD)
    secret = users.sign_in(ctx, "prices@example.com", PASSWORD, Visitor("127.0.0.1", "bench"))
    app = main.make_app(ctx)
    signed = TestClient(app, base_url="http://127.0.0.1", cookies={SESSION_COOKIE: secret})
    processes.settle()  # as in a serving process
    signed.get("/prices").raise_for_status()
    yield against("the page of prices", count, times(TIMES, lambda: signed.get("/prices")), floor, WHAT)
    ctx.db.run(lambda tx: tx.run("UPDATE product SET status = 'live'"))
    buyers = [TestClient(app, base_url="http://127.0.0.1") for _ in range(BUYERS)]
    # A number alone leads to the article's address, which is the one that buyers have.
    paths = [buyers[0].get(f"/shop/p/{ids[number * 7 % len(ids)]}").url.path for number in range(PAGES)]
    wanted = [(buyers[number % BUYERS], path) for number, path in enumerate(paths)]
    with ThreadPoolExecutor(BUYERS) as pool:
        took = list(pool.map(lambda one: times(1, lambda: one[0].get(one[1]))[0], wanted))
    yield against(f"an article's page under {BUYERS} buyers", count, took, floor, WHAT)
