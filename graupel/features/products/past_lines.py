"""What products and variants cost, and how many there were, over time: typed prices from the journal, stock from its
entries."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import UTC, datetime
from decimal import Decimal
from typing import Any

from graupel.context import Context
from graupel.core.price_history import Change, Typed, states
from graupel.core.step_lines import Points, Series, thinned
from graupel.db import Tx
from graupel.features.history import lines
from graupel.features.history import store as journal_store
from graupel.features.history.lines import Values
from graupel.features.products import store
from graupel.features.products.rows import VariantRow
from graupel.features.terms import stock_store

#: The amounts that are drawn, and what they are called.
_AMOUNTS = {"price": "Price", "list_price": "List price"}


def of_product(ctx: Context, tx: Tx, product_id: int, since: datetime, until: datetime) -> list[Values]:
    """Typed prices, of several variants the lowest and the highest, and what there was in all."""
    stock = _stock(*stock_store.hourly(tx, product_id, None, since), since)
    return [*_prices(tx, product_id, store.variants(tx, [product_id]), since, until), *stock]


def of_variant(ctx: Context, tx: Tx, variant_id: int, since: datetime, until: datetime) -> list[Values]:
    """The same of one variant."""
    product_id = store.product_of_variant(tx, variant_id)
    if product_id is None:
        return []
    stock = _stock(*stock_store.hourly(tx, product_id, variant_id, since), since)
    variants = [row for row in store.variants(tx, [product_id]) if row["id"] == variant_id]
    return [*_prices(tx, product_id, variants, since, until), *stock]


def _prices(tx: Tx, product_id: int, variants: Sequence[VariantRow], since: datetime, until: datetime) -> list[Values]:
    ids = [row["id"] for row in variants]
    kinds = {"product": [product_id], "variant": ids}
    rows = journal_store.steps(tx, kinds, since=since.astimezone(UTC).replace(tzinfo=None))
    product = store.amounts(tx, product_id)
    series: list[Series] = []
    for name, label in _AMOUNTS.items():
        typed: dict[str, Decimal | None] = {f"variant {row['id']}": row[name] for row in variants}  # type: ignore[literal-required]
        typed[f"product {product_id}"] = product.get(name)
        held = states(typed, _changes(rows, name), since, until)
        low, high = (_points(held, product_id, ids, pick) for pick in (min, max))
        if low == high:
            series.append(Series(label, low))
        else:
            series += [Series(f"{label}, lowest", low), Series(f"{label}, highest", high)]
    told = [one for one in series if any(value is not None for _, value in one.points)]
    return [Values("Typed prices", "money", told)]


def _changes(rows: Iterable[Mapping[str, Any]], name: str) -> list[Change]:
    """What the journal has of one amount."""
    return [
        Change(
            row["made_at"].replace(tzinfo=UTC),
            f"{row['record_kind']} {row['record_id']}",
            _amount((row["was"] or {}).get(name)),
        )
        for row in rows
        if name in (row["became"] or row["was"] or {})
    ]


def _amount(value: str | None) -> Decimal | None:
    return None if value is None else Decimal(value)


def _points(
    held: Sequence[tuple[datetime, Typed]],
    product_id: int,
    variants: Sequence[int],
    pick: Callable[[Iterable[Decimal]], Decimal],
) -> Points:
    """One of the variants' amounts from when on; what a variant takes from its product counts as its own."""
    found: list[tuple[datetime, Decimal | None]] = []
    for at, typed in held:
        inherited = typed.get(f"product {product_id}")
        own = [typed.get(f"variant {key}") for key in variants]
        amounts = [one for one in (inherited if one is None else one for one in own) if one is not None]
        value = pick(amounts) if amounts else None
        if not found or found[-1][1] != value:
            found.append((at, value))
    return found


def _stock(now: Decimal | None, changes: Sequence[tuple[datetime, Decimal]], since: datetime) -> list[Values]:
    """What there was, worked out backwards from what is there by how much it changed when."""
    if now is None:
        return []
    points: list[tuple[datetime, Decimal | None]] = []
    for at, amount in sorted(changes, reverse=True):
        points.append((at.replace(tzinfo=UTC), now))
        now -= amount
    points.append((since, now))
    return [Values("On hand", "quantity", [Series("On hand", thinned(points[::-1]))])]


def register() -> None:
    """Let history draw them."""
    lines.register("product", of_product)
    lines.register("variant", of_variant)
