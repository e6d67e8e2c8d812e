"""What the journal knows of conditions and of goods of shops, and what follows from a change of them."""

from graupel.core.declarations import assortments as declared
from graupel.features.assortments import gathering, store
from graupel.features.history import following, records
from graupel.features.history.records import RecordKind, Shown
from graupel.features.products import summary


def register_kinds() -> None:
    """Tell the journal of conditions and goods of shops."""
    records.register(
        RecordKind(
            declared.CONDITION,
            lambda tx, ids: {
                r["id"]: Shown(
                    f"{r['field']} {r['op']}",
                    f"/categories/{r['owner_id']}/goods" if r["owner"] == "category" else f"/shops/{r['owner_id']}",
                )
                for r in store.conditions_by_ids(tx, list(ids))
            },
        )
    )
    records.register(
        RecordKind(
            declared.SHOP_GOODS,
            lambda tx, ids: {
                r["id"]: Shown(f"{r['kind']} {r['record_id']}", f"/shops/{r['shop_id']}")
                for r in store.shop_goods_by_ids(tx, list(ids))
            },
        )
    )
    summary.on_touched(gathering.follow_products)
    following.on_recorded(gathering.refill_owners)
