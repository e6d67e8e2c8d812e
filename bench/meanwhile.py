"""The products table and the shop window over HTTP while a file of as many goods again, or another number, comes in.

The same 8 people with a person's pause click before it and while it comes in, from its dry run to its end; the worker
is a process of its own, as it is in a shop. The floor is what they wait for when nothing comes in.
"""

import http.client
import random
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from urllib.parse import quote

from bench import catalogue, imports, serving
from bench.figures import Figure, against, percentile
from graupel.context import Context
from graupel.core.handling import Handling
from graupel.core.roles import SYSTEM, Role
from graupel.features.files import service as files
from graupel.features.users import service as users
from graupel.features.users.access import Visitor
from graupel.web.security import SESSION_COOKIE

PEOPLE, PAUSE = 8, 0.5
SECONDS_BEFORE = 20
PASSWORD = "bench-password"
WORDS = ("heather", "moss", "quarry tweed", "12", "low tide lace")
PLACES: dict[str, Callable[[random.Random], str]] = {
    "table": lambda dice: f"/products?q={quote(dice.choice(WORDS))}" if dice.random() < 0.5 else "/products?sort=name",
    "shop window": lambda dice: f"/shop/search?q={quote(dice.choice(WORDS))}" if dice.random() < 0.5 else "/shop",
}


def measure(ctx: Context, count: int, folder: Path, seed: int, coming: int = 0) -> Iterator[Figure]:
    """Measures a catalogue that is already there. ``coming``: of how many rows the file is; 0 for as many as variants
    are there."""
    coming = coming or count
    users.add_user(ctx, SYSTEM, "meanwhile@example.com", "Bench", Role.EDITOR, PASSWORD)
    source = catalogue.write(folder / f"meanwhile-{coming}.csv", coming, seed)
    path = imports.as_variants(source, folder / f"meanwhile-variants-{coming}.csv", prefix="W")
    # As before a new version serves: its processes begin with what was read once for all of them.
    subprocess.run([sys.executable, "-m", "graupel.cli", "migrate"], env=serving.env(ctx, folder), check=True)
    address, server = serving.serve(ctx, folder)
    try:
        _warm(address)
        before = _crowd(ctx, address, seed, _for_seconds(SECONDS_BEFORE))
        worker = subprocess.Popen([sys.executable, "-m", "graupel.cli", "worker"], env=serving.env(ctx, folder))
        try:
            while_it_comes = _crowd(ctx, address, seed, _file_comes_in(ctx, path))
        finally:
            worker.terminate()
            worker.wait(30)
    finally:
        server.terminate()
        server.wait(20)
    for place in PLACES:
        floor = percentile(before[place], 0.5)
        yield against(f"{place}, 8 people with a pause, nothing coming in, the floor", count, before[place], floor, "")
        what = f"{place}, the same while a file of {coming:,} rows comes in"
        yield against(what, count, while_it_comes[place], floor, "nothing coming in")


def _warm(address: str) -> None:
    """Both processes have read what they keep in memory, so that nobody waits for that."""
    browser = http.client.HTTPConnection(address.removeprefix("http://"), timeout=120)
    quick = 0
    while quick < 10:
        began = time.perf_counter()
        _get(browser, "/shop", "")
        quick = quick + 1 if time.perf_counter() - began < 1 else 0


def _for_seconds(seconds: float) -> Callable[[], bool]:
    until = time.monotonic() + seconds
    return lambda: time.monotonic() < until


def _file_comes_in(ctx: Context, path: Path) -> Callable[[], bool]:
    """Begins its dry run, then brings it in; whether it is still under way."""
    with path.open("rb") as content:
        file_id = files.take(ctx, SYSTEM, path.name, content)
    files.request_plan(ctx, SYSTEM, file_id, files.read(ctx, SYSTEM, file_id).rules, Handling(go_live=True))
    lock = threading.Lock()

    def goes_on() -> bool:
        with lock:
            file = files.read(ctx, SYSTEM, file_id)
            if file.step == "planned":
                files.request_apply(ctx, SYSTEM, file_id, leave_out=False)
            if file.trouble:
                raise RuntimeError(file.trouble)
            return file.step != "applied"

    return goes_on


def _crowd(ctx: Context, address: str, seed: int, goes_on: Callable[[], bool]) -> dict[str, list[float]]:
    """Milliseconds of every click of everybody, by place, as long as it goes on."""
    took: dict[str, list[float]] = {place: [] for place in PLACES}
    troubles: list[str] = []
    over = threading.Event()

    def click(number: int) -> None:
        dice = random.Random(seed * 100 + number)
        visitor = Visitor(f"127.0.0.{number}", "bench")
        cookie = f"{SESSION_COOKIE}={users.sign_in(ctx, 'meanwhile@example.com', PASSWORD, visitor)}"
        browser = http.client.HTTPConnection(address.removeprefix("http://"), timeout=60)
        while not over.is_set():
            place = dice.choice(list(PLACES))
            at = PLACES[place](dice)
            began = time.perf_counter()
            status = _get(browser, at, cookie)
            took[place].append((time.perf_counter() - began) * 1000)
            if status != 200:
                troubles.append(f"{at}: {status}")
                return
            time.sleep(dice.expovariate(1 / PAUSE))

    threads = [threading.Thread(target=click, args=[number]) for number in range(PEOPLE)]
    for thread in threads:
        thread.start()
    try:
        while goes_on() and not troubles:
            time.sleep(0.5)
    finally:
        over.set()
        for thread in threads:
            thread.join()
    if troubles:
        raise RuntimeError(troubles[0])
    return took


def _get(browser: http.client.HTTPConnection, at: str, cookie: str) -> int:
    """The status of a page, of the one to which it leads."""
    while True:
        browser.request("GET", at, headers={"Cookie": cookie})
        answer = browser.getresponse()
        answer.read()
        if answer.status not in (302, 303, 307):
            return answer.status
        at = answer.headers["Location"]
