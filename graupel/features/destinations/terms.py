"""What destinations make of the catalogue's prices: read, typed, kept."""

from collections.abc import Mapping
from dataclasses import fields, replace
from typing import Any

from graupel.context import Context
from graupel.core import terms as rules
from graupel.core.changes import journal_values
from graupel.core.declarations.destinations import SELLING_TERMS
from graupel.core.errors import NotFound, Refused
from graupel.core.roles import Actor, Role
from graupel.core.terms import SellingTerms
from graupel.db import Tx
from graupel.features.destinations import service, store
from graupel.features.destinations.service import terms_of
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks

_RATE_PLACES = 8


def every(tx: Tx) -> dict[str, SellingTerms]:
    """The terms that are written, by destination; "" is always there."""
    found = {row["destination"]: terms_of(row) for row in store.all_terms(tx)}
    return {"": SellingTerms()} | found


def of_catalogue(tx: Tx) -> SellingTerms:
    """What is said once for all."""
    row = store.terms(tx, "")
    return terms_of(row) if row else SellingTerms()


def columns(found: SellingTerms) -> dict[str, Any]:
    """Terms as their table and the journal have them."""
    values = {one.name: getattr(found, one.name) for one in fields(found) if one.name in SELLING_TERMS.names}
    rate = None if found.rate is None else f"{found.rate:.{_RATE_PLACES}f}"
    return values | {
        "rate": rate,
        "rate_on": found.rate_on.isoformat() if found.rate_on else None,
        "tax_shown": str(found.tax_shown),
        "shows_lowest": int(found.shows_lowest),
        "typed_with_tax": int(found.typed_with_tax),
    }


def flat(found: SellingTerms) -> dict[str, Any]:
    """What a page shows of terms, as plain data."""
    return journal_values(columns(found))


def read(ctx: Context, actor: Actor, destination: str) -> SellingTerms:
    """The terms of a destination. Raises NotFound where it is not there."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> SellingTerms:
        if destination not in {one.code for one in service.current(ctx, tx).all}:
            raise NotFound(f"There is no destination {destination[:20]}.")
        return every(tx).get(destination, SellingTerms(destination))

    return ctx.db.run(work)


def save(ctx: Context, actor: Actor, destination: str, raw: Mapping[str, str], marks: Marks = None) -> bool:
    """Write what was typed of a destination's terms; returns whether anything differed. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    start = read(ctx, actor, destination)
    wanted, problems = rules.read(raw, start)
    if problems:
        raise Refused(problems)

    def work(tx: Tx) -> bool:
        name = service.current(ctx, tx).by_code(destination).name
        return write_within(tx, actor, f"Terms of sale changed: {name}", destination, wanted, marks)

    return ctx.db.run(work)


def write_within(tx: Tx, actor: Actor, title: str, destination: str, wanted: SellingTerms, marks: Marks = None) -> bool:
    """Write and record terms in a change set of their own; returns whether anything differed."""
    row = store.terms(tx, destination, lock=True)
    with history.change_set(tx, actor, "terms.save", title) as recorder:
        if row is None:
            values = columns(replace(wanted, destination=destination))
            if values == columns(SellingTerms(destination)):
                return False
            recorder.made("selling_terms", store.insert_terms(tx, values), values)
            return True
        there, mine = columns(terms_of(row)), columns(wanted)
        both = meeting.bring_together(
            tx,
            {"selling_terms": [row["id"]]},
            marks,
            journal_values(mine),
            journal_values(there),
            lambda name: SELLING_TERMS.field(name).label,
        )
        after = {name: mine[name] if both[name] == journal_values(mine)[name] else there[name] for name in there}
        if recorder.changed("selling_terms", row["id"], there, after, row["version"] + 1):
            store.update_terms(tx, row["id"], after)
            return True
    return False
