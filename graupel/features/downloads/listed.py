"""The downloads that are given with a product, as a column of files."""

from collections.abc import Iterator

from graupel.core.downloads import MOST_FILES
from graupel.core.file_columns import ListColumn
from graupel.db import Tx
from graupel.features.downloads import store
from graupel.features.products.batch import lists as batch_lists
from graupel.features.products.batch.lists import DOWNLOADS, Listed, Read


def lists(tx: Tx, read: Read) -> Iterator[Listed]:
    """The list, as a transaction sees it; what is given with single variants alone is no part of it."""
    column = ListColumn(
        DOWNLOADS,
        "Downloads",
        ("downloads", "download files", "dateien"),
        "names of downloads that are there, in their order, parted by |",
        batch_lists.by_name(lambda: [(row["id"], row["name"]) for row in read(store.every)]),
        most=MOST_FILES,
        in_order=True,
    )
    yield Listed(
        column,
        "download_use",
        "download_use_once",
        "download_id",
        batch_lists.names_of(store.names),
        fixed={"variant_id": None},
    )


def register() -> None:
    """Let it come and go with files."""
    batch_lists.register(lists)
