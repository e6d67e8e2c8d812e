"""Related products, a column of files for each kind of relation."""

from collections.abc import Iterator

from graupel.core.file_columns import ListColumn
from graupel.db import Tx
from graupel.features.products.batch import lists as batch_lists
from graupel.features.products.batch.lists import RELATED, Listed, Read
from graupel.features.relations import store


def lists(tx: Tx, read: Read) -> Iterator[Listed]:
    """The lists, as a transaction sees them."""
    for kind in store.kinds(tx):
        both = "; the others list it too" if kind["mutual"] else ""
        column = ListColumn(
            RELATED + kind["id"],
            kind["name"],
            (kind["name"].lower(), f"related: {kind['name'].lower()}"),
            f"product codes or SKUs of goods in this file or there already, parted by |{both}",
            lambda _: None,
            by_code=True,
            in_order=True,
        )
        yield Listed(
            column,
            "relation",
            "relation_once",
            "other_id",
            batch_lists.codes_of,
            fixed={"relation_kind_id": kind["id"]},
            mutual=bool(kind["mutual"]),
            back_index="relation_other",
        )


def register() -> None:
    """Let them come and go with files."""
    batch_lists.register(lists)
