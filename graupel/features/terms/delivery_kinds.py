"""What the journal knows of delivery."""

from graupel.core.countries import name as country_name
from graupel.core.declarations import delivery as declared
from graupel.features.history import records
from graupel.features.history.records import RecordKind, Shown
from graupel.features.terms import delivery_store as store
from graupel.features.vocabulary import references

_PAGE = "/delivery"


def register_kinds() -> None:
    """Tell the journal of promises, for what they stand, and of days of work."""
    records.register(
        RecordKind(
            declared.PROMISE,
            lambda tx, ids: {r["id"]: Shown(r["name"], _PAGE) for r in store.promises(tx) if r["id"] in ids},
            removable="""NOT EXISTS (SELECT 1 FROM product dpp WHERE dpp.promise_id = dp.id)
                         AND NOT EXISTS (SELECT 1 FROM promise_for dpf WHERE dpf.promise_id = dp.id)""",
        )
    )
    records.register(
        RecordKind(
            declared.PROMISE_ZONE,
            lambda tx, ids: {r["id"]: Shown(r["name"], _PAGE) for r in store.zone_names(tx, ids)},
        )
    )
    records.register(
        RecordKind(
            declared.PROMISE_FOR,
            lambda tx, ids: {r["id"]: Shown(r["name"], _PAGE) for r in store.stand_names(tx, ids)},
        )
    )
    records.register(RecordKind(declared.WORKING, lambda tx, ids: {key: Shown("Days of work", _PAGE) for key in ids}))
    # Of two types or categories that become one, the promise of the one that stays counts.
    for field in ("type_id", "category_id"):
        double = f"EXISTS (SELECT 1 FROM promise_for d WHERE d.{field} = %(into)s)"
        references.refine("promise_for", field, double=double)


def register_of_products() -> None:
    """The same of what belongs to products, which is told after them."""
    records.register(
        RecordKind(
            declared.OWN_CARRIAGE,
            lambda tx, ids: {
                r["id"]: Shown(country_name(r["country"]), f"/products/{r['product_id']}#delivery")
                for r in store.carriage_names(tx, ids)
            },
        )
    )
