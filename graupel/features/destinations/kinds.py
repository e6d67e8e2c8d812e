"""What the journal knows of shops."""

from graupel.core.declarations.destinations import SHOP
from graupel.features.destinations import store
from graupel.features.history import records
from graupel.features.history.records import RecordKind, Shown


def register_kinds() -> None:
    """Tell the journal of shops."""
    records.register(
        RecordKind(
            SHOP,
            lambda tx, ids: {r["id"]: Shown(r["name"], f"/shops/{r['id']}") for r in store.names(tx, list(ids))},
            removable="""(NOT EXISTS (SELECT 1 FROM tree st WHERE st.shop_id = so.id)
                      AND NOT EXISTS (SELECT 1 FROM shop_goods sg WHERE sg.shop_id = so.id))""",
        )
    )
