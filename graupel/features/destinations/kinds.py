"""What the journal knows of shops and of terms of sale."""

from collections.abc import Sequence

from graupel.core.declarations.destinations import SELLING_TERMS, SHOP
from graupel.db import Tx
from graupel.features.destinations import store
from graupel.features.history import records
from graupel.features.history.records import RecordKind, Shown


def register_kinds() -> None:
    """Tell the journal of them."""
    records.register(
        RecordKind(
            SHOP,
            lambda tx, ids: {r["id"]: Shown(r["name"], f"/shops/{r['id']}") for r in store.names(tx, list(ids))},
            removable="""(NOT EXISTS (SELECT 1 FROM tree st WHERE st.shop_id = so.id)
                      AND NOT EXISTS (SELECT 1 FROM shop_goods sg WHERE sg.shop_id = so.id))""",
        )
    )
    records.register(RecordKind(SELLING_TERMS, _terms))


def _terms(tx: Tx, ids: Sequence[int]) -> dict[int, Shown]:
    """Terms are called after their shop, where they are a shop's."""
    places = store.terms_places(tx, ids)
    shops = {f"s{row['id']}": row["name"] for row in store.shops(tx)}
    return {
        key: Shown(f"Terms of sale{f' of {shops[place]}' if place in shops else ''}", "/prices/rules")
        for key, place in places.items()
    }
