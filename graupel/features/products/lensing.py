"""A product's fields under a lens, and what it lacks there."""

from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import Any

from graupel.context import Context
from graupel.core import products as rules
from graupel.core import readiness
from graupel.core.declarations.products import AMOUNTS
from graupel.core.products import ProductValues
from graupel.core.quantities import format_money
from graupel.core.readiness import Finding
from graupel.core.resolve import (
    OF_PRODUCT,
    Level,
    ValuePlace,
    by_rule,
    key_of,
    money_places,
    origin,
    places,
    places_of,
    resolve,
)
from graupel.db import Tx
from graupel.features.destinations.service import Seen
from graupel.features.products import asking
from graupel.features.products.asking import AskedNow
from graupel.features.products.service import Product
from graupel.features.wording import lensing
from graupel.features.wording import service as wording
from graupel.features.wording.lensing import FieldSeen, Held


def fields(
    values: ProductValues, typed: Mapping[str, Any], product: Product | None, seen: Seen
) -> dict[str, FieldSeen]:
    """The fields of the editor that may be written for the lens, by name."""
    written = rules.written_words(values) | {name: format_money(getattr(values, name)) for name in AMOUNTS}
    sources = product.sources if product else {}
    return lensing.fields(Held(Level.PRODUCT, written, values.own, sources), typed, seen)


def rows(ctx: Context, tx: Tx, found: Sequence[dict[str, Any]], seen: Seen) -> list[dict[str, Any]]:
    """Rows of the table with names and prices as the lens shows them.

    ``own``: what is written there alone, by field; ``origins``: where the others come from, in words.
    """
    lens, ids = seen.lens, [row["id"] for row in found]
    own = {key: {k: v.value for k, v in held.items()} for key, held in wording.of_records(tx, "product", ids).items()}
    asked = asking.of_many(ctx, tx, ids, lens)
    return [_row(row, own.get(row["id"], {}), asked.get(row["id"], {}), seen) for row in found]


def reduced(ctx: Context, tx: Tx, found: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    """Rows of the table under the default lens, with "was": the lowest price without sales, where one reduces any."""
    on_sale = asking.any_sale(tx)
    asked = asking.of_many(ctx, tx, [row["id"] for row in found]) if on_sale else {}
    return [row | {"was": _was(asked.get(row["id"], {}))} for row in found]


def _was(asked: Mapping[int, AskedNow]) -> Decimal | None:
    low = min((one.regular for one in asked.values()), default=None)
    return low if any(one.is_reduced for one in asked.values()) else None


def _row(row: dict[str, Any], own: Mapping[str, str], asked: Mapping[int, AskedNow], seen: Seen) -> dict[str, Any]:
    prices = [one.asked for one in asked.values()]
    base = ValuePlace(Level.PRODUCT)
    name = resolve(
        {base: row["name"]} | places_of(own, "name", Level.PRODUCT), places(seen.lens, OF_PRODUCT, worded=True)
    )
    list_price = resolve(
        {base: format_money(row["list_price"])} | places_of(own, "list_price", Level.PRODUCT),
        money_places(seen.lens, OF_PRODUCT),
    )
    keys = {field: key_of(seen.lens, field) for field in ("name", *AMOUNTS)}
    return row | {
        "name": name.value or row["name"],
        "price_low": min(prices, default=None),
        "price_high": max(prices, default=None),
        "was": _was(asked),
        "list_price": by_rule(Decimal(list_price.value), list_price.place, seen.lens) if list_price.value else None,
        "own": {field: own.get(key, "") for field, key in keys.items()},
        "origin": origin(name.place, seen.lens, Level.PRODUCT, seen.all.names, worded=True),
        "shown_in": seen.all.names[name.place.lang] if name.place else "",
        "is_missing": bool(name.place and name.place.lang != seen.lens.lang),
    }


def findings(values: ProductValues, seen: Seen) -> list[Finding]:
    """What would help in the lens' language."""
    if not seen.lens.lang:
        return []
    found = rules.words_seen(values.own, rules.written_words(values), seen.lens)
    missing = [name for name, held in found.items() if held.value and held.place and held.place.lang != seen.lens.lang]
    return readiness.untranslated(missing, seen.language_name, rules.LABELS)
