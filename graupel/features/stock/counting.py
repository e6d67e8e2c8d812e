"""Stock of many variants at once, by codes that are typed or scanned: counted, and moved between locations."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from decimal import Decimal

from graupel.context import Context
from graupel.core import stock
from graupel.core.errors import NotFound, Refused
from graupel.core.problems import Problem
from graupel.core.roles import Actor, Role
from graupel.core.showing import plural
from graupel.core.stock import CodeLine, Reason, Typed
from graupel.db import Tx
from graupel.features.history import service as history
from graupel.features.stock import store
from graupel.features.stock.rows import CodeRow
from graupel.features.stock.service import refuse_unknown
from graupel.features.terms import booking
from graupel.features.terms import stock_store as terms_store
from graupel.features.terms.booking import Wish


@dataclass(frozen=True)
class Meant:
    """A variant that codes mean: how many were typed or scanned, and what is there at the location looked at."""

    variant: CodeRow
    amount: Decimal
    there: Decimal

    @property
    def change(self) -> Decimal:
        """By how much a count changes what is there."""
        return self.amount - self.there


@dataclass(frozen=True)
class ByCodes:
    """What a list of codes comes to, variants in the order in which they were first named; what can't be taken."""

    meant: Sequence[Meant]
    problems: Sequence[Problem] = field(default_factory=list)


def by_codes(ctx: Context, actor: Actor, text: str, location: int | None) -> ByCodes:
    """The variants that typed or scanned codes mean at a location, the first without one. Raises NotFound."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: _by_codes(ctx, tx, text, location))


def _by_codes(ctx: Context, tx: Tx, text: str, location: int | None) -> ByCodes:
    refuse_unknown(tx, location)
    typed, problems = stock.read_codes(text)
    known = _known_codes(store.by_codes(tx, [one.code for one in typed], ctx.settings.language))
    sums: dict[int, Decimal] = {}
    for one in typed:
        variant = known.get(one.code.upper())
        if variant is None:
            problems.append(_unknown(one))
            continue
        sums[variant["id"]] = sums.get(variant["id"], Decimal(0)) + one.amount
    at = location or booking.first_location(tx)
    levels = {
        row["variant_id"]: row["on_hand"]
        for row in terms_store.at_locations(tx, list(sums))
        if row["location_id"] == at
    }
    by_id = {variant["id"]: variant for variant in known.values()}
    meant = [Meant(by_id[key], amount, levels.get(key, Decimal(0))) for key, amount in sums.items()]
    return ByCodes(meant, problems)


def _known_codes(rows: Sequence[CodeRow]) -> dict[str, CodeRow]:
    by_gtin = {row["gtin"]: row for row in rows if row["gtin"]}
    return {code: row for code, row in by_gtin.items() if code} | {row["sku"].upper(): row for row in rows}


def _unknown(one: CodeLine) -> Problem:
    message = f"Line {one.line}: nothing has the SKU or GTIN “{one.code[:40]}”. Mend the line, or take it out."
    return Problem("code.unknown", message, "codes", one.line)


def count(ctx: Context, actor: Actor, text: str, location: int | None, began: str = "") -> int:
    """Book a count of what was typed or scanned at a location; returns how many variants changed.

    ``began``: when the count began, UTC as the page wrote it: what was sold since is taken off. Raises Refused.
    """
    actor.require(Role.EDITOR)
    as_of = stock.moment(began)

    def work(tx: Tx) -> int:
        found = _by_codes(ctx, tx, text, location)
        _refuse(found)
        at = location or booking.first_location(tx)
        wishes = [
            Wish(one.variant["id"], Typed(stock.How.COUNT, one.amount), Reason.COUNTED, at, as_of)
            for one in found.meant
        ]
        with history.change_set(tx, actor, "stock.count", f"Counted: {plural(len(wishes), 'variant')}") as recorder:
            return booking.book_typed(tx, recorder, wishes)

    return ctx.db.run(work)


def _refuse(found: ByCodes) -> None:
    if found.problems:
        raise Refused(list(found.problems))
    if not found.meant:
        raise Refused.because("codes.none", "Type or scan a code first, one a line.", "codes")


def move(ctx: Context, actor: Actor, text: str, source: int, to: int) -> int:
    """Move what was typed or scanned from one location to another; returns of how many variants. Raises Refused.

    More may be moved than the record has: whoever carries it sees that it is there.
    """
    actor.require(Role.EDITOR)
    if source == to:
        raise Refused.because("stock.move", "Choose two locations.", "to")

    def work(tx: Tx) -> int:
        names = {row["id"]: row["name"] for row in terms_store.locations(tx)}
        if not {source, to} <= names.keys():
            raise NotFound("This location is not there any more.")
        found = _by_codes(ctx, tx, text, source)
        _refuse(found)
        title = f"Moved from {names[source]} to {names[to]}: {plural(len(found.meant), 'variant')}"
        lines: list[booking.Line] = []
        for one in found.meant:
            lines.append((one.variant["id"], source, -one.amount, Reason.MOVED, None))
            lines.append((one.variant["id"], to, one.amount, Reason.MOVED, None))
        terms_store.of_variants(tx, sorted(one.variant["id"] for one in found.meant), lock=True)
        with history.change_set(tx, actor, "stock.move", title) as recorder:
            booking.book(tx, recorder, lines)
        return len(found.meant)

    return ctx.db.run(work)
