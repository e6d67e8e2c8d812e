"""The choices that are asked with a product, as a column of files."""

from collections.abc import Iterator

from graupel.core.file_columns import ListColumn
from graupel.db import Tx
from graupel.features.choices import store
from graupel.features.products.batch import lists as batch_lists
from graupel.features.products.batch.lists import ASKED, Listed, Read

#: Those that are one product's alone are no part of the list.
_SHARED = "{row}.buyer_choice_id IN (SELECT bc.id FROM buyer_choice bc WHERE bc.product_id IS NULL)"


def lists(tx: Tx, read: Read) -> Iterator[Listed]:
    """The list, as a transaction sees it."""
    column = ListColumn(
        ASKED,
        "Choices asked",
        ("choices asked", "buyer choices", "options asked"),
        "names of choices that buyers make, in their order, parted by |",
        batch_lists.by_name(lambda: [(row["id"], row["name"]) for row in read(store.shared)]),
        in_order=True,
    )
    yield Listed(
        column,
        "choice_use",
        "choice_use_once",
        "buyer_choice_id",
        batch_lists.names_of(store.names),
        among=_SHARED,
    )


def register() -> None:
    """Let it come and go with files."""
    batch_lists.register(lists)
