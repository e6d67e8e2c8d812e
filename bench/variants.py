"""Products with many variants: an axis added, a page opened and saved, the grid drawn.

Floors, in the same run: writing as many bare rows, and reading the variants' rows, with nothing around them.
"""

import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from decimal import Decimal
from pathlib import Path

from starlette.testclient import TestClient

from bench.figures import Figure, against, percentile
from graupel import main, processes
from graupel.context import Context
from graupel.core.attributes import AttributeKind
from graupel.core.products import ProductValues
from graupel.core.roles import SYSTEM, Role
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.products import store as product_store
from graupel.features.users import service as users
from graupel.features.users.access import Visitor
from graupel.features.variants import making
from graupel.features.variants.making import Wish
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.attributes import Definition
from graupel.web.security import SESSION_COOKIE

TIMES = 30
PASSWORD = "bench-password"


def measure(ctx: Context, count: int, folder: Path, seed: int) -> Iterator[Figure]:
    """Measures beside whatever catalogue is there; ``count``: its variants."""
    axes = [_attribute(ctx, f"Bench {number}", size) for number, size in enumerate((50, 40, 3))]
    yield from _add_axis(ctx, count, axes)
    large = _product(ctx, "BENCH-LARGE", axes[:2], (50, 40))
    yield from _open(ctx, count, large)
    yield from _save(ctx, count, _product(ctx, "BENCH-HALF", axes[:2], (25, 20)))


def _attribute(ctx: Context, name: str, size: int) -> int:
    labels = [f"{name} v{number}" for number in range(size)]
    return attributes.make(ctx, SYSTEM, Definition(name, AttributeKind.ONE_CHOICE, choices=labels)).id


def _wish(ctx: Context, axes: list[int], sizes: tuple[int, ...]) -> Wish:
    words = vocabulary.read(ctx).attributes
    ticked = [tuple(choice.id for choice in words[key].choices[:size]) for key, size in zip(axes, sizes, strict=True)]
    return Wish(tuple(zip(axes, ticked, strict=True)), {key: ids[0] for key, ids in zip(axes, ticked, strict=True)})


def _product(ctx: Context, sku: str, axes: list[int], sizes: tuple[int, ...]) -> int:
    values = ProductValues(name=f"Product {sku}", sku=sku, price=Decimal("9.80"), weight_g=100)
    product_id = saving.create(ctx, SYSTEM, values)
    making.make(ctx, SYSTEM, product_id, _wish(ctx, axes, sizes))
    return product_id


def _seconds(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def _add_axis(ctx: Context, count: int, axes: list[int]) -> Iterator[Figure]:
    """500 variants get a third axis of three values: they stay, and 1,000 are made beside them."""
    product_id = _product(ctx, "BENCH-AXIS", axes[:2], (25, 20))
    wish = _wish(ctx, axes, (25, 20, 3))
    floor = _seconds(
        lambda: ctx.db.run(
            lambda tx: tx.many(
                "INSERT INTO former_sku (sku, variant_id) VALUES (%s, %s)", [(f"FLOOR-{n}", 1) for n in range(1000)]
            )
        )
    )
    yield Figure("1,000 bare rows written, the floor", count, floor, ratio=1.0)
    took = _seconds(lambda: making.make(ctx, SYSTEM, product_id, wish))
    yield Figure("third axis for 500 variants", count, took, ratio=took / floor, floor="1,000 bare rows")


def _open(ctx: Context, count: int, product_id: int) -> Iterator[Figure]:
    users.add_user(ctx, SYSTEM, "variants@example.com", "Bench", Role.EDITOR, PASSWORD)
    secret = users.sign_in(ctx, "variants@example.com", PASSWORD, Visitor("127.0.0.1", "bench"))
    browser = TestClient(main.make_app(ctx), base_url="http://127.0.0.1", cookies={SESSION_COOKIE: secret})
    processes.settle()  # as in a serving process
    reading = [_seconds(lambda: ctx.db.run(lambda tx: product_store.variants(tx, [product_id]))) for _ in range(TIMES)]
    floor = percentile([one * 1000 for one in reading], 0.5)
    yield Figure("rows of 2,000 variants read, the floor", count, ratio=1.0, p50_ms=floor)
    for name, path in (
        ("editor of 2,000 variants opened", f"/products/{product_id}"),
        ("grid of 50 by 40 drawn", f"/products/{product_id}/variants?by=price"),
    ):
        times = [_seconds(lambda p=path: browser.get(p).raise_for_status()) * 1000 for _ in range(TIMES)]
        yield against(name, count, times, floor, "reading 2,000 rows")


def _save(ctx: Context, count: int, product_id: int) -> Iterator[Figure]:
    times = []
    for number in range(TIMES):
        values = replace(products.read(ctx, SYSTEM, product_id).values, name=f"Saved {number}")
        times.append(_seconds(lambda v=values: saving.save(ctx, SYSTEM, product_id, v, None)) * 1000)
    reading = [_seconds(lambda: ctx.db.run(lambda tx: product_store.variants(tx, [product_id]))) for _ in range(TIMES)]
    floor = percentile([one * 1000 for one in reading], 0.5)
    yield against("product of 500 variants saved", count, times, floor, "reading 500 rows")
