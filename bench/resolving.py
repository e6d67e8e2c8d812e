"""Names and prices of all variants through lenses, resolved by sets; and the worklist of a translator.

Floor, in the same run: the same names and prices read as they are written, without a lens, one row a variant.
"""

from collections.abc import Iterator
from pathlib import Path

from bench.figures import Figure, percentile, times
from graupel.context import Context
from graupel.core.resolve import Lens
from graupel.core.roles import SYSTEM
from graupel.core.wording import State
from graupel.db import Tx
from graupel.features.destinations import shops
from graupel.features.products import resolving
from graupel.features.translating import service as translating
from graupel.features.translating.store import Asked
from graupel.features.wording import originals

TIMES = 5


def measure(ctx: Context, count: int, folder: Path, seed: int) -> Iterator[Figure]:
    """Measures on the catalogue that is there: a third of the products has a German name, a fifth another price."""
    shops.add_language(ctx, SYSTEM, "de")
    shop = shops.make_shop(ctx, SYSTEM, {"name": "Bench outlet", "languages": "de", "currency": ""})
    ctx.db.run(lambda tx: _write(tx, shop))
    floor = percentile(times(TIMES, lambda: ctx.db.run(_plain)), 0.5)
    yield _figure("names and prices of all variants as written, the floor", count, floor, floor)
    lenses = {
        "through the default lens": Lens(),
        "in German": Lens("", ("de", "")),
        "for another shop, in German": Lens(f"s{shop}", ("de", "")),
    }
    for said, lens in lenses.items():
        took = percentile(times(TIMES, lambda lens=lens: ctx.db.run(lambda tx: _resolve(ctx, tx, lens))), 0.5)
        yield _figure(f"names and prices of all variants {said}", count, took, floor)
    for said, work in (
        ("a page of the worklist, missing", lambda: _worklist(ctx, State.MISSING)),
        ("a page of the worklist, out of date", lambda: _worklist(ctx, State.OUTDATED)),
        ("progress of a language counted anew", lambda: _progress(ctx)),
    ):
        took = percentile(times(TIMES, work), 0.5)
        yield _figure(said, count, took, floor)


def _figure(what: str, count: int, p50: float, floor: float) -> Figure:
    name = f"{what} ({p50 * 1000 / count:.1f} µs a variant)"
    return Figure(name, count, ratio=p50 / floor, floor="reading them as written", p50_ms=p50)


def _write(tx: Tx, shop: int) -> None:
    tx.run(
        """INSERT IGNORE INTO own_value (kind, record_id, lang, field, value, source)
           SELECT 'product', t.product_id, 'de', 'name', CONCAT('Garn ', t.name), t.name FROM product_text t
           WHERE t.product_id % 3 = 0"""
    )
    tx.run(
        """INSERT IGNORE INTO own_value (kind, record_id, destination, field, value)
           SELECT 'product', p.id, %s, 'price', '7.00' FROM product p WHERE p.id %% 5 = 0""",
        [f"s{shop}"],
    )
    tx.run("ANALYZE TABLE own_value")


def _plain(tx: Tx) -> int:
    rows = tx.stream(
        """SELECT v.id, v.product_id, COALESCE(NULLIF(vt.name, ''), t.name) AS name, COALESCE(v.price, p.price) AS price
           FROM product p STRAIGHT_JOIN variant v ON v.product_id = p.id
           JOIN product_text t ON t.product_id = p.id AND t.lang = 'en'
           LEFT JOIN variant_text vt ON vt.variant_id = v.id AND vt.lang = 'en'
           WHERE NOT v.archived ORDER BY p.id, v.id"""
    )
    return sum(1 for _ in rows)


def _resolve(ctx: Context, tx: Tx, lens: Lens) -> int:
    return sum(1 for _ in resolving.variants(tx, lens, ("name", "price"), ctx.settings.language).rows)


def _worklist(ctx: Context, state: State) -> None:
    translating.worklist(ctx, SYSTEM, "de", "product", Asked(state))


def _progress(ctx: Context) -> None:
    product = originals.of_kind("product")
    ctx.db.run(lambda tx: translating.store.progress(tx, product, "de", ctx.settings.language))
