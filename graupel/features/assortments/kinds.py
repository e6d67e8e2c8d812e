"""What the journal knows of conditions and of goods of shops, and what follows from a change of them."""

from collections.abc import Callable

from graupel.db import Tx
from graupel.features.assortments import gathering, store
from graupel.features.history import records
from graupel.features.history.records import Column, RecordKind, Shown
from graupel.features.products import summary
from graupel.features.vocabulary import references
from graupel.features.vocabulary.references import Reference

_NUMBERS = ("owner_id", "position", "ref_id", "shop_id", "record_id", "left_out")


def register_kinds(language: str) -> None:
    """Tell the journal of conditions and goods of shops. ``language``: in which products are named."""
    records.register(
        RecordKind(
            "goods_condition",
            "Condition",
            lambda tx, ids: {
                r["id"]: Shown(
                    f"{r['field']} {r['op']}",
                    f"/categories/{r['owner_id']}/goods" if r["owner"] == "category" else f"/shops/{r['owner_id']}",
                )
                for r in store.conditions_by_ids(tx, list(ids))
            },
            plain="goods_condition",
            table="goods_condition gc",
            key="gc.id",
            version="gc.version",
            fields={name: Column(f"gc.{name}", name in _NUMBERS) for name in store.CONDITION_FIELDS},
        )
    )
    records.register(
        RecordKind(
            "shop_goods",
            "Goods of a shop",
            lambda tx, ids: {
                r["id"]: Shown(f"{r['kind']} {r['record_id']}", f"/shops/{r['shop_id']}")
                for r in store.shop_goods_by_ids(tx, list(ids))
            },
            plain="shop_goods",
            table="shop_goods sx",
            key="sx.id",
            version="sx.version",
            fields={name: Column(f"sx.{name}", name in _NUMBERS) for name in store.SHOP_FIELDS},
        )
    )
    for kind, field in (("brand", "brand"), ("tag", "tag"), ("type", "type"), ("attribute_choice", "choice")):
        references.register(
            Reference(kind, "goods_condition", "ref_id", "conditions", "NULL", where=f"gc.field = '{field}'")
        )

    def follow(tx: Tx) -> None:
        gathering.follow_products(tx, language)

    def refill(tx: Tx, change_set_id: int) -> None:
        gathering.refill_owners(tx, change_set_id, language)

    _FOLLOWERS.update(products=follow, conditions=refill)
    summary.on_touched(_follow_products)
    records.on_recorded(_follow_conditions)


#: As they were registered last; the listeners themselves are registered once.
_FOLLOWERS: dict[str, Callable[..., None]] = {}


def _follow_products(tx: Tx) -> None:
    _FOLLOWERS["products"](tx)


def _follow_conditions(tx: Tx, change_set_id: int) -> None:
    _FOLLOWERS["conditions"](tx, change_set_id)
