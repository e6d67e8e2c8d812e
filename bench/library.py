"""The library of media with a picture for each product: opened, searched, looked through for what is unused.

Floor, in the same run: the pictures of one page read by their ids.
"""

from collections.abc import Iterator
from pathlib import Path

from bench.figures import Figure, against, percentile, times
from graupel.context import Context
from graupel.core.roles import SYSTEM
from graupel.db import Tx
from graupel.features.media import library, service
from graupel.features.media.library import Wanted

TIMES = 20


def measure(ctx: Context, count: int, folder: Path, seed: int) -> Iterator[Figure]:
    """Measures beside whatever catalogue is there; ``count``: its variants."""
    ctx.db.run(_fill)
    ids = [one.id for one in library.shelf(ctx, SYSTEM, Wanted()).media]
    floor = times(TIMES, lambda: service.read_many(ctx, ids))
    yield Figure("a page's pictures read by id, the floor", count, p50_ms=percentile(floor, 0.5), ratio=1.0)
    for what, wanted in (
        ("library opened", Wanted()),
        ("library searched by a product's name", Wanted(search="lanternfish")),
        ("what nothing uses", Wanted(unused=True)),
    ):
        took = times(TIMES, lambda wanted=wanted: library.shelf(ctx, SYSTEM, wanted))  # type: ignore[misc]
        yield against(what, count, took, percentile(floor, 0.5), "a page read by id")


def _fill(tx: Tx) -> None:
    """A picture for every product, and one in a hundred that nothing uses."""
    tx.run(
        """INSERT INTO media (sha256, file_name, format, bytes, width, height, border_white, sizes, made_at)
           SELECT SHA2(CONCAT('bench ', id), 256), CONCAT('bench-', id, '.jpg'), 'jpg', 40000, 800, 800, 97, 'made',
                  UTC_TIMESTAMP(3) FROM product"""
    )
    tx.run(
        """INSERT INTO picture (product_id, media_id, position, alt)
           SELECT p.id, m.id, 0, 'A skein' FROM product p
           JOIN media m ON m.sha256 = CONVERT(SHA2(CONCAT('bench ', p.id), 256) USING ascii)
           WHERE p.id % 100 <> 0"""
    )
