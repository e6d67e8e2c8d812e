"""What the journal knows of taxes, and of stock."""

from collections.abc import Mapping
from typing import Any

from graupel.core.countries import name as country_name
from graupel.core.declarations import stock as of_stock
from graupel.core.declarations import terms as declared
from graupel.features.history import records
from graupel.features.history.records import RecordKind, Shown
from graupel.features.terms import booking, stock_store, store
from graupel.features.vocabulary import references


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
    _register_stock()


def _register_stock() -> None:
    records.register(
        RecordKind(
            of_stock.LOCATION,
            lambda tx, ids: {
                row["id"]: Shown(row["name"], "/stock/rules") for row in stock_store.locations(tx) if row["id"] in ids
            },
            removable="NOT EXISTS (SELECT 1 FROM stock_at lh WHERE lh.location_id = lo.id AND lh.on_hand <> 0)",
        )
    )
    records.register(
        RecordKind(
            of_stock.SELLING_RULES,
            lambda tx, ids: {
                row["id"]: Shown(row["name"], "/stock/rules") for row in stock_store.rules_names(tx, list(ids))
            },
        )
    )
    records.register(
        RecordKind(
            of_stock.SHOP_DAY,
            lambda tx, ids: {row["id"]: Shown(f"{row['day']}") for row in stock_store.days(tx, list(ids))},
            reversible=False,
        )
    )
    # Of two types that become one, the rules of the one that stays count.
    double = "EXISTS (SELECT 1 FROM selling_rules d WHERE d.type_id = %(into)s)"
    references.refine("selling_rules", "type_id", double=double)


def register_booked() -> None:
    """The same of what is there of variants, which belongs to products and so is told after them."""
    records.register(
        RecordKind(
            of_stock.STOCK,
            lambda tx, ids: {row["id"]: _of_variant(row) for row in stock_store.variant_names(tx, list(ids))},
            removable="sk.on_hand = 0 AND sk.reserved = 0",
            flows=True,
        )
    )
    records.register(
        RecordKind(
            of_stock.STOCK_ENTRY,
            lambda tx, ids: {row["id"]: _of_variant(row) for row in stock_store.entry_names(tx, list(ids))},
            books=booking.put_back,
            flows=True,
            telling=("amount", "reason"),
        )
    )


def _of_variant(row: Mapping[str, Any]) -> Shown:
    return Shown(row["sku"], f"/products/{row['product_id']}#stock")
