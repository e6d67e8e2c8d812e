"""What the journal knows of channels and listings, and that listings belong to products."""

from graupel.core.declarations.listings import CHANNEL, LISTING
from graupel.features.history import records
from graupel.features.history.records import RecordKind, Shown
from graupel.features.listings import store
from graupel.features.products import belonging
from graupel.features.products.belonging import Belonging


def register_kinds() -> None:
    """Tell the journal of them. What was sent can't be unsaid: of a listing, category and title alone go back."""
    records.register(
        RecordKind(
            CHANNEL,
            lambda tx, ids: {
                row["id"]: Shown(row["name"], f"/channels/{row['id']}")
                for row in store.channels(tx)
                if row["id"] in ids
            },
            reversible=False,
        )
    )
    records.register(
        RecordKind(
            LISTING,
            lambda tx, ids: {
                row["id"]: Shown(f"Listing on {row['name']}", f"/products/{row['product_id']}")
                for row in store.listing_names(tx, list(ids))
            },
            removable="(li.state IS NULL)",
            alone=False,
            at_once=True,
        )
    )
    belonging.register(
        Belonging(
            "listing",
            "listing li ON li.product_id = {product}",
            "x.product_id",
            "JSON_VALUE({side}, '$.product_id')",
            touches=False,
        )
    )
