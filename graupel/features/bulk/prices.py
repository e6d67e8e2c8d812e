"""A change of prices as a bulk edit keeps it, and what it makes of some products, in words."""

from decimal import Decimal

from graupel.context import Context
from graupel.core import price_changes
from graupel.core.endings import Ending
from graupel.core.price_changes import PriceChange
from graupel.core.quantities import format_money
from graupel.db import Tx
from graupel.features.bulk import price_store
from graupel.features.bulk.rows import BulkEditRow
from graupel.features.destinations import terms


def change(ctx: Context, tx: Tx, value: str) -> tuple[PriceChange, Ending | None]:
    """A change of prices as it is kept, and the price ending."""
    return price_changes.parse(value, ctx.settings.currency), terms.of_catalogue(tx).price_ending


def samples(ctx: Context, tx: Tx, bulk: BulkEditRow, ids: list[int]) -> dict[int, tuple[str, str]]:
    """Prices of products before and after, in words; none of another field."""
    if bulk["field"] != "price":
        return {}
    found = price_store.samples(tx, ids, *change(ctx, tx, bulk["value"]))

    def words(low: Decimal | None, high: Decimal | None) -> str:
        both = [format_money(low) or "none", format_money(high) or "none"]
        return both[0] if low == high else " to ".join(both)

    return {
        key: (words(row["low"], row["high"]), words(row["then_low"], row["then_high"])) for key, row in found.items()
    }
