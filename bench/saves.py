"""What one save costs beside a whole catalogue: a product's page opened, saved and refused, one cell, one category.

The floor, in the same run: one row of the product changed and committed, with nothing around it.
"""

from collections.abc import Iterator
from dataclasses import replace
from decimal import Decimal
from itertools import count as counter
from pathlib import Path

from starlette.testclient import TestClient

from bench.figures import Figure, against, percentile, times
from graupel import main, processes
from graupel.context import Context
from graupel.core.products import ProductValues
from graupel.core.roles import SYSTEM, Role
from graupel.features.categories import service as categories
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.users import service as users
from graupel.features.users.access import Visitor
from graupel.features.variants import cells
from graupel.features.variants.cells import Cell
from graupel.web.security import SESSION_COOKIE

TIMES = 40
PASSWORD = "bench-password"
WHAT = "one row changed"


def measure(ctx: Context, count: int, folder: Path, seed: int) -> Iterator[Figure]:
    """Measures beside whatever catalogue is there; ``count``: its variants."""
    values = ProductValues(name="Bench yarn", sku="BENCH-SAVE", price=Decimal("9.80"), weight_g=100)
    product_id = saving.create(ctx, SYSTEM, values)
    numbers = counter(1)

    def bare() -> None:
        ctx.db.run(lambda tx: tx.run("UPDATE product SET mpn = %s WHERE id = %s", [f"F{next(numbers)}", product_id]))

    def save() -> None:
        now = products.read(ctx, SYSTEM, product_id).values
        saving.save(ctx, SYSTEM, product_id, replace(now, price=Decimal(next(numbers))), None)

    def cell() -> None:
        was = products.read(ctx, SYSTEM, product_id).values.price
        cells.save(ctx, SYSTEM, [Cell("p", product_id, "price", str(next(numbers)), f"{was:.2f}")])

    def category() -> None:
        categories.rename(ctx, SYSTEM, category_id, f"Bench category {next(numbers)}")

    category_id = categories.make(ctx, SYSTEM, "Bench category").id
    floor = percentile(times(TIMES, bare), 0.5)
    yield Figure(f"{WHAT}, the floor", count, ratio=1.0, p50_ms=floor)
    yield against("a product saved", count, times(TIMES, save), floor, WHAT)
    yield against("a cell saved", count, times(TIMES, cell), floor, WHAT)
    yield against("a category renamed", count, times(TIMES, category), floor, WHAT)
    yield from _pages(ctx, count, product_id, floor)


def _pages(ctx: Context, count: int, product_id: int, floor: float) -> Iterator[Figure]:
    users.add_user(ctx, SYSTEM, "saves@example.com", "Bench", Role.EDITOR, PASSWORD)
    secret = users.sign_in(ctx, "saves@example.com", PASSWORD, Visitor("127.0.0.1", "bench"))
    signed = users.identify(ctx, secret)
    assert signed is not None
    browser = TestClient(main.make_app(ctx), base_url="http://127.0.0.1", cookies={SESSION_COOKIE: secret})
    browser.headers.update({"X-CSRF-Token": signed.csrf, "HX-Request": "true"})
    processes.settle()  # as in a serving process
    here = f"/products/{product_id}"
    for name, ask in (
        ("a product's page opened", lambda: browser.get(here).raise_for_status()),
        ("its mirror while typing", lambda: browser.post(f"/products/mirror/{product_id}", data={"name": "Yarn"})),
        ("Today opened", lambda: browser.get("/today").raise_for_status()),
    ):
        yield against(name, count, times(TIMES, ask), floor, WHAT)
