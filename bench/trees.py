"""A tree of 10,000 categories over the catalogue that is there: opened, searched, counted, a branch of 1,000 moved.

Floor, in the same run: the rows of all categories read, with nothing around it.
"""

from collections.abc import Iterator
from pathlib import Path

from starlette.testclient import TestClient

from bench.figures import Figure, against, percentile, times
from graupel import main
from graupel.context import Context
from graupel.core.roles import SYSTEM, Role
from graupel.features.categories import counts, service, store
from graupel.features.users import service as users
from graupel.features.users.access import Visitor
from graupel.web.security import SESSION_COOKIE

TIMES = 20
PASSWORD = "bench-password"
SIZE = 10_000


def measure(ctx: Context, count: int, folder: Path, seed: int) -> Iterator[Figure]:
    """Measures beside whatever catalogue is there; ``count``: its variants."""
    branch = _grow(ctx)
    floor = percentile(times(TIMES, lambda: ctx.db.run(store.all_rows)), 0.5)
    yield Figure("rows of 10,000 categories read, the floor", count, p50_ms=floor, ratio=1.0)
    users.add_user(ctx, SYSTEM, "trees@example.com", "Bench", Role.EDITOR, PASSWORD)
    browser = TestClient(main.make_app(ctx), base_url="http://127.0.0.1")
    secret = users.sign_in(ctx, "trees@example.com", PASSWORD, Visitor("127.0.0.1", "bench"))
    browser.cookies.set(SESSION_COOKIE, secret)
    tops = ".".join(str(one.id) for one in service.read_tree(ctx).tops(1)[:5])
    flip = [0]

    def move() -> None:
        flip[0] = 1 - flip[0]
        service.move(ctx, SYSTEM, [branch], -2 if flip[0] else -1)

    for what, work in (
        ("tree opened, five unfolded", lambda: _get(browser, f"/categories?open={tops}")),
        ("tree searched", lambda: _get(browser, "/categories?q=shelf+77")),
        ("a branch of 1,000 moved", move),
        ("a category changed and the tree opened anew", lambda: (_touch(ctx, branch), _get(browser, "/categories"))),
        ("a category changed and products counted anew", lambda: (_touch(ctx, branch), counts.of(ctx))),
    ):
        took = times(TIMES, work)
        yield against(what, count, took, floor, "reading 10,000 rows")


def _grow(ctx: Context) -> int:
    """Up to SIZE categories; returns the root of a branch of 1,000."""
    there = len(list(service.read_tree(ctx)))
    branch = [
        "Bench branch",
        *(f"  Part {n}\n" + "\n".join(f"    Shelf {n} {m}" for m in range(99)) for n in range(10)),
    ]
    made = service.add(ctx, SYSTEM, "\n".join(branch), -1)[0]
    left = SIZE - there - 1001
    for number in range(0, left, 1000):
        names = [f"Wing {number}", *(f"  Row {number} {n}" for n in range(min(999, left - number - 1)))]
        service.add(ctx, SYSTEM, "\n".join(names), -1)
    return made


def _touch(ctx: Context, category_id: int) -> None:
    hidden = service.read_tree(ctx).by_id[category_id].hidden
    service.switch(ctx, SYSTEM, category_id, hidden=not hidden)


def _get(browser: TestClient, path: str) -> None:
    answer = browser.get(path)
    if answer.status_code != 200:
        raise RuntimeError(f"{path}: {answer.status_code}")
