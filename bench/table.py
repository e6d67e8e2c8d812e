"""The products table over HTTP, with 8 people clicking at once: search, facets, sorting, pages.

The floor is the same 8 people asking the same server for /healthz, which reads nothing: what the server and
this measuring cost by themselves. Two ways: clicking as fast as answers come, and with a person's pause.
"""

import http.client
import random
import re
import threading
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from urllib.parse import quote

from bench import serving
from bench.figures import Figure, PeakMemory, against, percentile, timed, times
from graupel.caching import Keepers, KeptCounts
from graupel.context import Context
from graupel.core.facets import FacetIndex
from graupel.core.roles import SYSTEM, Role
from graupel.core.tables import TableState
from graupel.db import Tx
from graupel.features.finding import service as finding
from graupel.features.products import facet_index
from graupel.features.products import table as products_table
from graupel.features.users import service as users
from graupel.features.users.access import Visitor
from graupel.web import navigation
from graupel.web.security import SESSION_COOKIE

PEOPLE = 8
TIMES = 20
CLICKS = 60
PAUSE = 0.5
WORDS = (
    "fells",
    "heather",
    "quarry tweed",
    "lan-000",
    "moss",
    "rib",
    "12",
    "low tide lace",
    "zebra",
    "winterberry boucle, rust",
)
PASSWORD = "bench-password"


def measure(ctx: Context, count: int, folder: Path, seed: int) -> Iterator[Figure]:
    """Measures a catalogue that is already there."""
    users.add_user(ctx, SYSTEM, "bench@example.com", "Bench", Role.EDITOR, PASSWORD)
    ids = [row["id"] for row in ctx.db.run(lambda tx: tx.all("SELECT id FROM category ORDER BY RAND(1) LIMIT 40"))]
    ctx.db.run(_describe)
    yield from _begin(ctx, count)
    yield from _alone(ctx, count, ids)
    address, process = serving.serve(ctx, folder)
    try:
        floor = _crowd(ctx, address, seed, ids, floor=True, pause=0)
        yield Figure(
            "an empty answer, the floor",
            count,
            ratio=1.0,
            p50_ms=percentile(floor, 0.5),
            p95_ms=percentile(floor, 0.95),
        )
        for name, pause in (
            ("table, 8 people without a pause", 0.0),
            (f"table, 8 people with a pause of {PAUSE} s", PAUSE),
        ):
            took = _crowd(ctx, address, seed, ids, floor=False, pause=pause)
            yield against(name, count, took, percentile(floor, 0.5), "an empty answer")
    finally:
        process.terminate()
        process.wait(20)


def _begin(ctx: Context, count: int) -> Iterator[Figure]:
    """What a new process does before it can count: read everything, the floor, or begin with a snapshot."""

    def begin() -> int:
        another = replace(ctx, keepers=Keepers())
        ctx.db.run(lambda tx: len(_held(another, tx)))
        return another.keepers.get(facet_index.FacetKeeper).readings

    with PeakMemory() as memory:
        floor, readings = timed(begin)
        yield Figure("facets of all products read, the floor", count, floor, 1.0, peak_mb=memory.peak)
    seconds, readings_then = timed(begin)
    if (readings, readings_then) != (1, 0):
        raise RuntimeError("the second was to begin with the first one's snapshot")
    yield Figure("facets of all products from their snapshot", count, seconds, seconds / floor, "reading all")


def _alone(ctx: Context, count: int, ids: list[int]) -> Iterator[Figure]:
    """One page after the other in this process, without a network, nothing of it kept from the time before."""
    rows = [row["id"] for row in products_table.read(ctx, SYSTEM, TableState()).rows]
    floor = percentile(times(TIMES, lambda: products_table.rows_of(ctx, SYSTEM, rows)), 0.5)
    yield Figure("rows of a page read by id, the floor", count, p50_ms=floor, ratio=1.0)
    for name, query in (
        ("all goods, the newest first", {}),
        ("all goods by name", {"sort": ["name"]}),
        ("all goods by price, the highest first", {"sort": ["-price"]}),
        ("all goods by SKU", {"sort": ["sku"]}),
        ("all goods by category", {"sort": ["category"]}),
        ("all goods by tags, the last first", {"sort": ["-tags"]}),
        ("all goods by cost", {"sort": ["cost"]}),
        ("search of one letter", {"q": ["m"]}),
        ("search of two letters", {"q": ["mo"]}),
        ("search of a short word and a long one", {"q": ["12 heather"]}),
        ("search of a word that one name has", {"q": ["4711"]}),
        ("search with a slip in it", {"q": ["heahter"]}),
        ("search of what no name is like", {"q": ["zzyzx qwertz"]}),
        ("a category by name", {"category": [str(ids[0])], "sort": ["name"]}),
        ("three facets", {"brand": ["900003"], "fact": ["900006"], "price": ["10"]}),
    ):
        state = TableState.read(query)
        took = times(TIMES, lambda state=state: products_table.read(replace(ctx, counts=KeptCounts()), SYSTEM, state))
        yield against(f"table: {name}", count, took, floor, "the page's rows")
    yield from _found(ctx, count, floor)


def _found(ctx: Context, count: int, floor: float) -> Iterator[Figure]:
    """The search over everything, as its first letters are typed and a whole word."""
    places = [place for section in navigation.ALL for place in section.places]
    for text in ("m", "he", "heather", "zzyzx"):
        took = times(TIMES, lambda text=text: finding.find(replace(ctx, counts=KeptCounts()), SYSTEM, text, places))
        yield against(f"anything found by “{text}”", count, took, floor, "the page's rows")


def _held(ctx: Context, tx: Tx) -> FacetIndex:
    with facet_index.held(ctx, tx) as index:
        return index


def _describe(tx: Tx) -> None:
    """Brands, types, tags, stock and facts for the imported goods, so that every facet has something to count."""
    attribute = tx.insert("INSERT INTO attribute (name, kind) VALUES ('Shade', 'colour')")
    for number in range(1, 25):
        for table in ("brand", "tag", "product_type"):
            tx.run(f"INSERT INTO {table} (id, name) VALUES (%s, %s)", [900_000 + number, f"{table} {number}"])
        tx.run(
            "INSERT INTO attribute_choice (id, attribute_id, label, code, position) VALUES (%s, %s, %s, %s, %s)",
            [900_000 + number, attribute, f"Shade {number}", f"S{number}", number],
        )
    tx.run("UPDATE product SET brand_id = 900001 + id %% 24, type_id = 900001 + id %% 7", [])
    tx.run("UPDATE product_stock SET on_hand = product_id %% 60", [])
    tx.run("INSERT INTO tagging (tag_id, kind, record_id) SELECT 900001 + id %% 19, 'product', id FROM product", [])
    tx.run(
        "INSERT INTO fact (product_id, attribute_id, choice_id) SELECT id, %s, 900001 + (id * 7) %% 24 FROM product",
        [attribute],
    )


def _crowd(ctx: Context, address: str, seed: int, ids: list[int], *, floor: bool, pause: float) -> list[float]:
    """Milliseconds of every click of everybody."""
    took: list[float] = []
    troubles: list[str] = []
    start = threading.Barrier(PEOPLE)

    def click(number: int) -> None:
        dice = random.Random(seed * 100 + number)
        secret = users.sign_in(ctx, "bench@example.com", PASSWORD, Visitor(f"127.0.0.{number}", "bench"))
        browser = http.client.HTTPConnection(address.removeprefix("http://"), timeout=60)
        at = "/products"
        start.wait()
        for _ in range(CLICKS):
            began = time.perf_counter()
            answer, text = _get(browser, "/healthz" if floor else at, secret)
            if answer.status == 302:  # to the address with the person's columns, which a browser follows
                answer, text = _get(browser, answer.headers["Location"], secret)
            took.append((time.perf_counter() - began) * 1000)
            if answer.status != 200:
                troubles.append(f"{at}: {answer.status}")
                return
            at = _next(dice, at, text, ids)
            if pause:
                time.sleep(dice.expovariate(1 / pause))

    threads = [threading.Thread(target=click, args=[number]) for number in range(PEOPLE)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    if troubles:
        raise RuntimeError(troubles[0])
    return took


def _get(browser: http.client.HTTPConnection, at: str, secret: str) -> tuple[http.client.HTTPResponse, str]:
    browser.request("GET", at, headers={"Cookie": f"{SESSION_COOKIE}={secret}"})
    answer = browser.getresponse()
    return answer, answer.read().decode()


def _next(dice: random.Random, at: str, text: str, ids: list[int]) -> str:
    """Where a person clicks next: another page, another order, a facet, a search."""
    shade, brand, kind = (900_001 + dice.randrange(n) for n in (24, 24, 7))
    match dice.randrange(9):
        case 0:
            later = re.search(r'rel="next" href="([^"]+)"', text)
            return later[1].replace("&amp;", "&") if later else "/products"
        case 1:
            return f"/products?q={quote(dice.choice(WORDS))}"
        case 2:
            return f"/products?category={dice.choice(ids)}"
        case 3:
            return f"/products?sort={dice.choice(['', '-'])}{dice.choice(['name', 'sku', 'price', 'changed'])}"
        case 5:
            return f"/products?brand={brand}&fact={shade}&price={dice.choice(['5', '10', '20', '50'])}"
        case 6:
            return f"/products?type={kind}&stock=in&status=live&sort={dice.choice(['', '-'])}price"
        case 7:
            return f"/products?q={quote(dice.choice(WORDS))}&brand={brand}&brand={900_001}&type={kind}"
        case 4:
            return f"/products?status=live&category={dice.choice(ids)}&sort=name"
        case _:
            return f"/products?q={quote(dice.choice(WORDS))}&status=live&sort=-price"
