"""What pieces of a product cost from so many on: made and changed on the product's page."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from graupel.context import Context
from graupel.core import sale_plans
from graupel.core.declarations.terms import QUANTITY_PRICE
from graupel.core.errors import NotFound, Refused
from graupel.core.problems import Problem
from graupel.core.quoting import QuantityPrice
from graupel.core.roles import Actor, Role
from graupel.db import Tx, declared
from graupel.db.rows import picked
from graupel.features.destinations import service as destinations
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks
from graupel.features.products import service as products
from graupel.features.terms import service as terms
from graupel.features.terms import store
from graupel.features.variants.copying import Copied

MOST_ROWS = 60


def read(rows: Sequence[Mapping[str, str]], currencies: Mapping[str, str], currency: str) -> list[QuantityPrice]:
    """Rows as typed: "from", "amount", "destination" and "variant" each; empty ones are left out.

    Raises Refused with a problem for each that can't be read, named "amount-2".
    """
    found: list[QuantityPrice] = []
    problems: list[Problem] = []
    seen: dict[tuple[int | None, str, int], int] = {}
    for place, row in enumerate(rows):
        if not (row.get("from", "").strip() or row.get("amount", "").strip()):
            continue
        where, variant = row.get("destination", ""), row.get("variant", "")
        try:
            one = sale_plans.read_quantity_price(
                row.get("from", ""),
                row.get("amount", ""),
                currencies.get(where, currency),
                where,
                int(variant) if variant.isdecimal() else None,
            )
        except Refused as refusal:
            name = "from" if refusal.problems[0].code.startswith("quantity") else "amount"
            problems += [replace(problem, field=f"{name}-{place}") for problem in refusal.problems]
            continue
        key = (one.variant_id, one.destination, one.from_quantity)
        if key in seen:
            what = f"From {one.from_quantity} on stands there twice. Keep one of the two."
            problems.append(Problem("quantity.twice", what, f"from-{place}"))
        seen[key] = place
        found.append(one)
    if len(found) > MOST_ROWS:
        problems.append(Problem("quantity.too_many", f"At most {MOST_ROWS} quantity prices are kept for a product."))
    if problems:
        raise Refused(problems)
    return found


def _columns(product_id: int, one: QuantityPrice) -> dict[str, Any]:
    return {
        "product_id": product_id,
        "variant_id": one.variant_id,
        "destination": one.destination,
        "from_quantity": one.from_quantity,
        "takes_off": str(one.reduction.takes_off),
        "amount": one.reduction.amount,
    }


def flat(found: Sequence[QuantityPrice]) -> dict[str, Any]:
    """What a page shows of quantity prices, as plain data."""
    lines = (
        f"from {one.from_quantity}{' at ' + one.destination if one.destination else ''}"
        f"{f' for {one.variant_id}' if one.variant_id else ''}: {one.reduction.in_words}"
        for one in found
    )
    return {"prices": sorted(lines)}


def save(ctx: Context, actor: Actor, product_id: int, rows: Sequence[Mapping[str, str]], marks: Marks = None) -> None:
    """Make the quantity prices of a product these. Raises Refused, Outdated, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        product = products.load(ctx, tx, product_id, lock=True)
        found = destinations.current(ctx, tx)
        wanted = read(rows, found.currencies, ctx.settings.currency)
        known = {one.id for one in product.variants}
        codes = {one.code for one in found.all}
        if any(one.variant_id not in (None, *known) or one.destination not in codes for one in wanted):
            raise NotFound("A variant or a destination of these prices is not there any more. Load the page again.")
        there = terms.quantity_prices_of(tx, product_id)
        keys = {"quantity_price": [one.id for one in there], "product": [product_id]}
        both = meeting.bring_together(tx, keys, marks, flat(wanted), flat(there), lambda _: "Quantity prices")
        wanted = there if both == flat(there) else wanted  # only a colleague changed them
        title = f"Quantity prices changed: {product.values.name}"
        with history.change_set(tx, actor, "quantity.save", title) as recorder:
            _write(tx, recorder, product_id, wanted)

    ctx.db.run(work)


def _write(tx: Tx, recorder: history.Recorder, product_id: int, wanted: Sequence[QuantityPrice]) -> None:
    there = {
        (row["variant_id"], row["destination"], row["from_quantity"]): row
        for row in store.quantity_prices(tx, product_id)
    }
    by_key = {(one.variant_id, one.destination, one.from_quantity): _columns(product_id, one) for one in wanted}
    for key in there.keys() - by_key.keys():
        row = there[key]
        recorder.removed("quantity_price", row["id"], picked(row, QUANTITY_PRICE.columns()), row["version"] + 1)
        declared.delete(tx, QUANTITY_PRICE, row["id"])
    for key, values in by_key.items():
        known = there.get(key)
        if known is None:
            recorder.made("quantity_price", declared.insert(tx, QUANTITY_PRICE, values), values)
        elif recorder.changed("quantity_price", known["id"], picked(known, values), values, known["version"] + 1):
            declared.update(tx, QUANTITY_PRICE, known["id"], values)


def copy(copied: Copied) -> None:
    """A copy has the quantity prices of its original."""
    for row in store.quantity_prices(copied.tx, copied.original):
        if row["variant_id"] is None or row["variant_id"] in copied.variants:
            values = {name: row[name] for name in QUANTITY_PRICE.columns()}  # type: ignore[literal-required]
            values |= {"product_id": copied.copy, "variant_id": copied.variants.get(row["variant_id"] or 0)}
            copied.recorder.made("quantity_price", declared.insert(copied.tx, QUANTITY_PRICE, values), values)
