"""A basket of many lines, an article with choices and related goods, PDFs stamped, and a large download.

Floors, in the same run: the same variants with their products read at once; an article's page without choices and
related goods; the same PDF read and written; the same file read.
"""

import asyncio
import io
import threading
from collections.abc import AsyncIterator, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from decimal import Decimal
from pathlib import Path

import httpx
import uvicorn
from pypdf import PdfReader, PdfWriter
from reportlab.pdfgen.canvas import Canvas
from starlette.testclient import TestClient

from bench.figures import Figure, PeakMemory, against, percentile, timed, times
from graupel import main, pieces
from graupel.context import Context
from graupel.core.kits import PricedBy
from graupel.core.orders import Told
from graupel.core.roles import SYSTEM
from graupel.features.choices import service as choices
from graupel.features.choices import uses
from graupel.features.downloads import pdfs
from graupel.features.downloads import service as downloads
from graupel.features.kits import service as kits
from graupel.features.orders import baskets, handling, placing, reading, rules
from graupel.features.orders.wares import Place
from graupel.features.products import many
from graupel.features.relations import service as relations
from graupel.features.relations.cheaper import Wish
from graupel.features.shop import windows

LINES, KITS, BUYERS, PAGES, TIMES = 50, 10, 8, 80, 10
PDF_PAGES = 100
DOWNLOAD_BYTES = 1_000_000_000
#: What one product may have: so many files, of so many bytes each.
FILES, FILE_BYTES = 50, 200_000_000
ENTRIES = [{"label": "No", "state": "default"}, {"label": "Paper", "adds": "+2.50", "once": "yes"}]


def measure(ctx: Context, count: int, folder: Path, seed: int) -> Iterator[Figure]:
    """Measures on the catalogue that is there."""
    rules.save(ctx, SYSTEM, {"transfer": "yes", "transfer_to": "An account"})
    ctx.db.run(lambda tx: tx.run("UPDATE product SET status = 'live'"))  # the import leaves drafts
    rows = ctx.db.run(
        lambda tx: tx.all(
            """SELECT MIN(v.id) AS id, v.product_id FROM variant v JOIN product p ON p.id = v.product_id
               LEFT JOIN stock k ON k.id = v.id AND k.counted
               WHERE p.status = 'live' AND NOT v.archived AND COALESCE(k.on_hand, 100) >= 50
               GROUP BY v.product_id ORDER BY v.product_id LIMIT 400"""
        )
    )
    goods = [(row["id"], row["product_id"]) for row in rows]
    yield from _basket(ctx, count, goods)
    yield from _articles(ctx, count, [product_id for _, product_id in goods[100 : 100 + PAGES]])
    yield from _stamping(folder, count)
    yield from _download(ctx, count, goods[-1])
    yield from _many_files(ctx, folder, count, goods[-2])


def _place(ctx: Context) -> Place:
    window = windows.window(ctx)
    return Place(window.seen, window.shop)


def _basket(ctx: Context, count: int, goods: Sequence[tuple[int, int]]) -> Iterator[Figure]:
    """Lines of as many products, half of them with a choice."""
    wrap = choices.save(ctx, SYSTEM, None, {"name": "Wrap", "kind": "one"}, ENTRIES)
    for _, product_id in goods[: LINES // 2]:
        uses.ask(ctx, SYSTEM, product_id, [wrap], "A product")
    place, wanted = _place(ctx), [variant_id for variant_id, _ in goods[:LINES]]
    for variant_id in wanted:
        baskets.put(ctx, place, "bench", variant_id, "2", {}, {})
    floor = percentile(times(TIMES, lambda: ctx.db.run(lambda tx: many.load_wanted(ctx, tx, wanted))), 0.5)
    yield Figure(f"{LINES} variants with their products read, the floor", count, ratio=1.0, p50_ms=floor)
    took = times(TIMES, lambda: baskets.read(ctx, place, "bench"))
    yield against(f"a basket of {LINES} lines reckoned", count, took, floor, "reading the variants")
    found = baskets.read(ctx, place, "bench")
    assert len(found.basket.lines) == LINES
    assert found.basket.amount == sum((one.amount for one in found.basket.lines), Decimal(0))
    made = goods[LINES : LINES + KITS]
    for number, (_, product_id) in enumerate(made):
        _make_kit(ctx, product_id, [variant_id for variant_id, _ in goods[300 + number * 6 : 306 + number * 6]])
    for variant_id, _ in made:
        baskets.put(ctx, place, "kits", variant_id, "1", {}, {})
    wanted = [variant_id for variant_id, _ in goods[: LINES - KITS]]
    for variant_id in wanted:
        baskets.put(ctx, place, "kits", variant_id, "2", {}, {})
    took = times(TIMES, lambda: baskets.read(ctx, place, "kits"))
    assert len(baskets.read(ctx, place, "kits").basket.lines) == LINES
    yield against(f"the same with {KITS} kits of six parts among them", count, took, floor, "reading the variants")


def _make_kit(ctx: Context, product_id: int, parts: Sequence[int], picked: int = 0) -> None:
    """Of the first ``picked`` parts the buyer picks one."""
    wishes = [kits.Wish(part, "2", "Colour" if number < picked else "") for number, part in enumerate(parts)]
    kits.save(ctx, SYSTEM, product_id, wishes, PricedBy.OWN, "")


def _articles(ctx: Context, count: int, ids: Sequence[int]) -> Iterator[Figure]:
    """Pages as they were, and with two choices and six related goods each."""
    app = main.make_app(ctx)
    buyers = [TestClient(app, base_url="http://127.0.0.1") for _ in range(BUYERS)]
    paths = [buyers[0].get(f"/shop/p/{product_id}").url.path for product_id in ids]

    def all_pages() -> list[float]:
        with ThreadPoolExecutor(BUYERS) as threads:
            tasks = [threads.submit(timed, lambda n=n, p=p: buyers[n % BUYERS].get(p)) for n, p in enumerate(paths)]  # type: ignore[misc]
            return [one.result()[0] * 1000 for one in tasks]

    all_pages()
    floor = percentile(all_pages(), 0.5)
    yield Figure(f"an article’s page under {BUYERS} buyers, the floor", count, ratio=1.0, p50_ms=floor)
    both = [choices.save(ctx, SYSTEM, None, {"name": name, "kind": "one"}, ENTRIES) for name in ("One", "Two")]
    for number, product_id in enumerate(ids):
        uses.ask(ctx, SYSTEM, product_id, both, "A product")
        others = [ids[(number + step) % len(ids)] for step in range(1, 7)]
        relations.relate(ctx, SYSTEM, product_id, [Wish(3, other) for other in others], "A product")
    all_pages()
    name = f"the same with two choices and six related goods under {BUYERS} buyers"
    yield against(name, count, all_pages(), floor, "the page without")
    parts = ctx.db.run(
        lambda tx: tx.all("SELECT MAX(id) AS id FROM variant GROUP BY product_id ORDER BY 1 DESC LIMIT 6")
    )
    for product_id in ids:
        _make_kit(ctx, product_id, [row["id"] for row in parts], picked=3)
    all_pages()
    yield against("and each a kit of six parts", count, all_pages(), floor, "the page without")


def _stamping(folder: Path, count: int) -> Iterator[Figure]:
    source = folder / "pages.pdf"
    canvas = Canvas(str(source))
    for page in range(PDF_PAGES):
        for row in range(40):
            canvas.drawString(60, 780 - row * 18, f"Page {page + 1}, row {row + 1}: knit two, purl two, to the end.")
        canvas.showPage()
    canvas.save()

    def copied() -> None:
        writer = PdfWriter(clone_from=PdfReader(source))
        writer.write(io.BytesIO())

    floor = percentile(times(3, copied), 0.5)
    yield Figure(f"a PDF of {PDF_PAGES} pages read and written, the floor", count, ratio=1.0, p50_ms=floor)
    took = times(3, lambda: pdfs.stamp(source, folder / "stamped.pdf", "Ida Fell, ida@fell.example, W1001"))
    yield against(f"a PDF of {PDF_PAGES} pages stamped", count, took, floor, "reading and writing it")


def _coming(ctx: Context, key: str) -> Path:
    """Where a file comes together."""
    return pieces.path_of(ctx.settings.data_folder, str(SYSTEM.user_id), key)


def _download(ctx: Context, count: int, good: tuple[int, int]) -> Iterator[Figure]:
    """A file of 1 GB over a connection on loopback, with the memory of server and client together."""
    variant_id, product_id = good
    came = _coming(ctx, "bench")
    came.parent.mkdir(parents=True, exist_ok=True)
    with came.open("wb") as file:
        for _ in range(DOWNLOAD_BYTES // 1_000_000):
            file.write(bytes(1_000_000))
    downloads.make(ctx, SYSTEM, product_id, "film.bin", "bench")
    place = _place(ctx)
    baskets.put(ctx, place, "bench 2", variant_id, "1", {}, {})
    buyer = {"mail": "ida@fell.example", "name": "Ida", "country": "DE"}
    buyer |= {"street": "Mill 4", "postcode": "1", "town": "Fell"}
    baskets.change(ctx, place, "bench 2", {}, buyer)
    total = f"{baskets.read(ctx, place, 'bench 2').total:f}"
    page = placing.place(ctx, place, "bench 2", placing.Form(buyer, "transfer", total), None)
    order_id = reading.read_page(ctx, page).row["id"]
    handling.tell(ctx, SYSTEM, order_id, Told.PAID)
    (link,) = reading.read(ctx, SYSTEM, order_id).links
    path = ctx.settings.data_folder / "downloads"
    bytes_at = next(one for one in path.glob("*/*") if one.stat().st_size == DOWNLOAD_BYTES)

    def read() -> None:
        with bytes_at.open("rb") as file:
            while file.read(256 * 1024):
                pass

    read()
    floor, _ = timed(read)
    yield Figure("a file of 1 GB read, the floor", count, seconds=floor, ratio=1.0)
    server = uvicorn.Server(uvicorn.Config(main.make_app(ctx), host="127.0.0.1", port=0, log_level="error"))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        thread.join(0.02)
    port = server.servers[0].sockets[0].getsockname()[1]
    client = httpx.Client(base_url=f"http://127.0.0.1:{port}", trust_env=False, timeout=120)

    def fetch() -> int:
        with client.stream("GET", f"/shop/d/{link.row['secret']}") as answer:
            return sum(len(chunk) for chunk in answer.iter_raw(1_000_000))

    with PeakMemory() as memory:
        took, size = timed(fetch)
    assert size == DOWNLOAD_BYTES
    server.should_exit = True
    thread.join(20)  # what was sent is noted after the last of it went out
    assert reading.read(ctx, SYSTEM, order_id).links[0].row["taken"] == 1
    yield Figure("a download of 1 GB", count, took, took / floor, "reading it", peak_mb=memory.peak)


def _many_files(ctx: Context, folder: Path, count: int, good: tuple[int, int]) -> Iterator[Figure]:
    """Fifty files and 10 GB of one product: brought in by pieces, and looked at on its page."""
    _, product_id = good
    chunk = bytes(1_000_000)

    def write() -> None:
        with (folder / "floor.bin").open("wb") as file:
            for _ in range(FILE_BYTES // len(chunk)):
                file.write(chunk)

    floor = timed(write)[0] * FILES
    (folder / "floor.bin").unlink()
    yield Figure(f"{FILES} files of {FILE_BYTES:,} bytes written, the floor (one, {FILES} times)", count, floor, 1.0)

    async def sent(number: int, begins: int, size: int) -> AsyncIterator[bytes]:
        for at in range(0, size, len(chunk)):
            yield chunk if begins + at else number.to_bytes(4, "big") + chunk[4:]  # each file is another

    async def bring(number: int) -> None:
        path, there = _coming(ctx, f"f{number}"), 0
        while there < FILE_BYTES:
            size = min(pieces.PIECE_BYTES, FILE_BYTES - there)
            there = await pieces.take(path, there, FILE_BYTES, sent(number, there, size))

    def all_of_them() -> None:
        for number in range(FILES):
            asyncio.run(bring(number))
            downloads.make(ctx, SYSTEM, product_id, f"film {number}.bin", f"f{number}")

    with PeakMemory() as memory:
        took, _ = timed(all_of_them)
    yield Figure("the same brought in by pieces", count, took, took / floor, "writing them", peak_mb=memory.peak)
    found = ctx.db.run(lambda tx: downloads.of_product(tx, product_id))
    assert sum(one.download.newest["bytes"] for one in found) == FILES * FILE_BYTES
    p50 = percentile(times(TIMES, lambda: ctx.db.run(lambda tx: downloads.of_product(tx, product_id))), 0.5)
    yield Figure(f"the {FILES} downloads of a product read", count, p50_ms=p50)
