"""A catalogue of N variants of the demo shop's kind, the same for the same seed."""

import csv
import random
from collections.abc import Iterator
from pathlib import Path

COLOURS = ("Heather", "Juniper", "Rust", "Oat", "Peat", "Gorse", "Slate", "Foxglove", "Tarn", "Bilberry")
LINES = (
    "Fellside",
    "Lanternfish",
    "Moss stitch",
    "Quarry",
    "Saltmarsh",
    "Winterberry",
    "Scar Top",
    "Low Tide",
    "Threshing",
)
KINDS = ("aran", "sock", "merino", "tweed", "linen", "lace", "boucle", "mohair", "ribbon", "needle", "button", "kit")
SHELVES = 200
TEXT = (
    "A springy yarn from hill flocks, spun for garments that are worn for years and mended once or twice. "
    "Wash by hand, dry flat, and keep away from the sun. "
)


def rows(count: int, seed: int) -> Iterator[list[str]]:
    """sku, name, price, weight, category, description."""
    dice = random.Random(seed)
    for number in range(count):
        name = f"{dice.choice(LINES)} {dice.choice(KINDS)}, {dice.choice(COLOURS)}, {number}"
        shelf = dice.randrange(SHELVES)
        yield [
            f"{name[:3].upper()}-{number:07d}",
            name,
            f"{dice.randrange(100, 9000) / 100:.2f}",
            str(dice.randrange(5, 900)),
            f"Hall {shelf % 10} > Shelf {shelf}",
            TEXT * dice.randrange(1, 3),
        ]


def write(path: Path, count: int, seed: int, *, dearer: bool = False) -> Path:
    """The catalogue as a CSV file; ``dearer``: the same goods, one in ten at another price."""
    with path.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file)
        writer.writerow(["sku", "name", "price", "weight", "category", "description"])
        for number, row in enumerate(rows(count, seed)):
            if dearer and number % 10 == 0:
                row[2] = f"{float(row[2]) + 1:.2f}"
            writer.writerow(row)
    return path
