"""SKUs as they are ordered with choices: that of the variant, and behind it the codes of what was chosen."""

from collections.abc import Iterable, Mapping
from decimal import Decimal

from graupel.core.choices import is_made_of
from graupel.db import Tx
from graupel.features.choices import reading as choices
from graupel.features.orders import store


def plain(tx: Tx, lines: Mapping[str, Decimal]) -> dict[str, Decimal]:
    """Quantities by SKU, in capitals, with those of SKUs that end in codes of choices under the variant's own.

    A SKU that something has is left as it is, and so is one that ends in anything else.
    """
    told: dict[str, Decimal] = {}
    for sku, number in lines.items():
        told[sku.upper()] = told.get(sku.upper(), Decimal(0)) + number
    own = _own(tx, [sku for sku in told if sku.isascii() and "-" in sku])
    found: dict[str, Decimal] = {}
    for sku, number in told.items():
        found[own.get(sku, sku)] = found.get(own.get(sku, sku), Decimal(0)) + number
    return found


def _own(tx: Tx, skus: list[str]) -> dict[str, str]:
    """The variants' SKUs of those that have codes behind them."""
    there = store.by_skus(tx, skus)
    unknown = [sku for sku in skus if sku not in there]
    known = store.by_skus(tx, sorted({start for sku in unknown for start in _starts(sku)}))
    codes = {
        key: {entry.sku_code.upper() for one in asked for entry in one.entries if entry.sku_code}
        for key, asked in choices.of_products(tx, sorted({row["product_id"] for row in known.values()})).items()
    }
    found = {}
    for sku in unknown:
        for start in _starts(sku):
            if start in known and is_made_of(sku[len(start) + 1 :], codes.get(known[start]["product_id"], ())):
                found[sku] = start
                break
    return found


def _starts(sku: str) -> Iterable[str]:
    """What stands before each hyphen, the longest first."""
    return [sku[:place] for place in range(len(sku) - 1, 0, -1) if sku[place] == "-"]
