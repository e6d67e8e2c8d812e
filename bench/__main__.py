"""scripts/bench [NAME ...] [--rows N] [--json]: fills a private server with a made-up catalogue and measures."""

import argparse
import shutil
import tempfile
from functools import partial
from pathlib import Path

from bench import (
    backing,
    buying,
    facets,
    imports,
    library,
    meanwhile,
    pricing,
    resolving,
    saves,
    stocking,
    table,
    trees,
    variants,
)
from bench.figures import Figure
from bench.figures import table as as_table
from graupel import logs, main
from graupel.db import migrate
from graupel.db.server import PrivateServer
from graupel.settings import Settings

SIZES = (10_000, 100_000)
#: In the order in which they need each other: the import fills what the others look at.
MEASURES = {
    "facets": facets.measure,
    "import": imports.measure,
    "table": table.measure,
    "variants": variants.measure,
    "saves": saves.measure,
    "library": library.measure,
    "resolving": resolving.measure,
    "trees": trees.measure,
    "pricing": pricing.measure,
    "stocking": stocking.measure,
    "buying": buying.measure,
    "backing": backing.measure,
    "meanwhile": meanwhile.measure,
}


def run() -> None:
    """Measure what was asked for."""
    parser = argparse.ArgumentParser(prog="scripts/bench", description="Measure Graupel on a made-up catalogue.")
    parser.add_argument(
        "names", nargs="*", metavar="NAME", help=f"what to measure: {', '.join(MEASURES)} (default: all)"
    )
    parser.add_argument("--rows", type=int, action="append", help="number of variants (default: 10,000 and 100,000)")
    parser.add_argument("--coming", type=int, default=0, help="rows of the file that comes in meanwhile")
    parser.add_argument("--seed", type=int, default=7, help="the catalogue's seed number")
    parser.add_argument("--json", action="store_true", help="one JSON object a line instead of a table")
    given = parser.parse_args()
    unknown = set(given.names) - set(MEASURES)
    if unknown:
        parser.error(f"there is no measure {', '.join(unknown)}; there are {', '.join(MEASURES)}")
    logs.configure("ERROR")
    MEASURES["meanwhile"] = partial(meanwhile.measure, coming=given.coming)
    figures: list[Figure] = []
    for count in given.rows or SIZES:
        for figure in _measure(count, given.names or list(MEASURES), given.seed):
            figures.append(figure)
            if given.json:
                print(figure.as_json(), flush=True)
    if not given.json:
        print(as_table(figures))


def _measure(count: int, names: list[str], seed: int):  # type: ignore[no-untyped-def]
    folder = Path(tempfile.mkdtemp(prefix="graupel-bench-"))
    try:
        with PrivateServer(folder / "mariadb") as server:
            url = server.make_database("graupel_bench")
            migrate(url)
            ctx = main.make_context(Settings(database_url=url, data_folder=folder, _env_file=None))  # type: ignore[call-arg]
            for name, measure in MEASURES.items():
                if name not in names and (name != "import" or names == ["facets"]):
                    continue
                for figure in measure(ctx, count, folder, seed):
                    if name in names:
                        yield figure
                if name == names[-1]:
                    break
            ctx.db.close()
    finally:
        shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    run()
