"""What the journal knows of shops."""

from graupel.features.destinations import store
from graupel.features.history import records
from graupel.features.history.records import Column, RecordKind, Shown


def register_kinds() -> None:
    """Tell the journal of shops."""
    records.register(
        RecordKind(
            "shop",
            "Shop",
            lambda tx, ids: {r["id"]: Shown(r["name"], f"/shops/{r['id']}") for r in store.names(tx, list(ids))},
            plain="shop",
            table="shop so",
            key="so.id",
            version="so.version",
            fields={name: Column(f"so.{name}") for name in store.FIELDS},
            removable="""(NOT EXISTS (SELECT 1 FROM tree st WHERE st.shop_id = so.id)
                      AND NOT EXISTS (SELECT 1 FROM shop_goods sg WHERE sg.shop_id = so.id))""",
        )
    )
