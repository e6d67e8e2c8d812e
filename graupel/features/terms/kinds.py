"""What the journal knows of taxes."""

from graupel.core.countries import name as country_name
from graupel.core.declarations import terms as declared
from graupel.features.history import records
from graupel.features.history.records import RecordKind, Shown
from graupel.features.terms import store


def register_kinds() -> None:
    """Tell the journal of tax classes and their rates."""
    records.register(
        RecordKind(
            declared.TAX_CLASS,
            lambda tx, ids: {r["id"]: Shown(r["name"], "/delivery") for r in store.tax_classes(tx) if r["id"] in ids},
            removable="NOT EXISTS (SELECT 1 FROM product tp WHERE tp.tax_class_id = tc.id)",
        )
    )
    records.register(
        RecordKind(
            declared.TAX_RATE,
            lambda tx, ids: {
                r["id"]: Shown(f"{country_name(r['country'])}, from {r['begins']}", "/delivery")
                for r in store.tax_rates(tx)
                if r["id"] in ids
            },
        )
    )
