"""What delivery of single goods costs by country, and where they may not go."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from decimal import Decimal
from typing import Any

from graupel.context import Context
from graupel.core import delivery, quantities
from graupel.core.declarations.delivery import OWN_CARRIAGE
from graupel.core.errors import Refused
from graupel.core.problems import Problem
from graupel.core.roles import Actor, Role
from graupel.db import Tx, declared
from graupel.features.delivery import service
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks
from graupel.features.products import service as products
from graupel.features.terms import delivery_store as store
from graupel.features.terms.deliveries import Carriage
from graupel.features.variants.copying import Copied

MOST_CARRIAGE = 60


def save(ctx: Context, actor: Actor, product_id: int, rows: Sequence[Mapping[str, str]], marks: Marks = None) -> None:
    """Write what delivery of a product costs by country; an amount "not sent" keeps it from going there.

    Raises Refused, naming "country-2", Outdated, NotFound.
    """
    actor.require(Role.EDITOR)
    wanted = read(rows, ctx.settings.currency)

    def work(tx: Tx) -> None:
        product = products.load(ctx, tx, product_id, lock=True)
        rows = store.carriage(tx, product_id)
        there = [dict(row) for row in rows]
        mine = {country: _shown(amount) for country, amount in wanted.items()}
        theirs = {row["country"]: _shown(row["amount"]) for row in rows}
        for one in {*mine, *theirs}:
            mine.setdefault(one, None)
            theirs.setdefault(one, None)
        both = meeting.bring_together(tx, {"product": [product_id]}, marks, mine, theirs, lambda name: name)
        values = [
            {"product_id": product_id, "country": country, "amount": None if text == NOT_SENT else Decimal(text)}
            for country, text in sorted(both.items())
            if text
        ]
        with history.change_set(tx, actor, "product.carriage", f"Delivery changed: {product.values.name}") as recorder:
            service.write_rows(tx, recorder, OWN_CARRIAGE, there, values)

    ctx.db.run(work)


NOT_SENT = "not sent"


def _shown(amount: Decimal | None) -> str | None:
    return NOT_SENT if amount is None else quantities.format_money(amount)


def flat(found: Carriage) -> dict[str, Any]:
    """What a page shows of the costs of single goods, as plain data."""
    return {country: _shown(amount) for country, amount in found.own.items()} | dict.fromkeys(found.not_to, NOT_SENT)


def read(rows: Sequence[Mapping[str, str]], currency: str) -> dict[str, Decimal | None]:
    """Rows as typed: country and amount, or "not sent"; empty ones are left out. Raises Refused."""
    found: dict[str, Decimal | None] = {}
    problems: list[Problem] = []
    for place, row in enumerate(rows):
        country, text = row.get("country", ""), row.get("amount", "").strip()
        if not country and not text:
            continue
        try:
            code = delivery.parse_countries(country)
            if len(code) != 1:
                raise Refused.because("carriage.country", "Choose a country.", "country")
            amount = None if text.lower() == NOT_SENT else quantities.parse_money(text, currency)
        except Refused as refusal:
            named = "country" if refusal.problems[0].code.startswith(("country", "carriage")) else "amount"
            problems += [replace(one, field=f"{named}-{place}") for one in refusal.problems]
            continue
        (one_country,) = code
        if one_country in found:
            problems.append(Problem("carriage.twice", "This country stands there twice.", f"country-{place}"))
        found[one_country] = amount
    if len(found) > MOST_CARRIAGE:
        problems.append(Problem("carriage.many", f"At most {MOST_CARRIAGE} countries are kept.", "country-0"))
    if problems:
        raise Refused(problems)
    return found


def copy(copied: Copied) -> None:
    """A copy's delivery costs what its original's does."""
    for row in store.carriage(copied.tx, copied.original):
        values = {"product_id": copied.copy, "country": row["country"], "amount": row["amount"]}
        copied.recorder.made("own_carriage", declared.insert(copied.tx, OWN_CARRIAGE, values), values)
