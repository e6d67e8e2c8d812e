"""Delivery promises, days of work, and what delivery of single goods costs."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any

from graupel.context import Context
from graupel.core import delivery, quantities
from graupel.core.declarations.delivery import PROMISE, PROMISE_FOR, PROMISE_ZONE, WORKING
from graupel.core.delivery import CostBy, Sent, Way, Zone
from graupel.core.errors import NotFound, Refused
from graupel.core.price_rules import rounded
from graupel.core.problems import Problem
from graupel.core.product_fields import one_line
from graupel.core.roles import Actor, Role
from graupel.core.showing import plural
from graupel.db import DuplicateKey, Tx, declared
from graupel.features.categories import service as categories
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks
from graupel.features.products.service import Product
from graupel.features.terms import deliveries
from graupel.features.terms import delivery_store as store
from graupel.features.terms.deliveries import Carriage, SaidOfDelivery
from graupel.features.terms.rows import PromiseForRow, PromiseRow
from graupel.features.vocabulary import service as vocabulary

MOST_ZONES = 40


@dataclass(frozen=True)
class Stands:
    """For what a promise stands."""

    shop: bool = False
    types: Sequence[int] = ()
    categories: Sequence[int] = ()


def read(ctx: Context, actor: Actor) -> SaidOfDelivery:
    """What is said once of delivery."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: deliveries.said(ctx, tx))


# --- promises ------------------------------------------------------------------------------------------------


def _zones(rows: Sequence[Mapping[str, str]], by: CostBy, currency: str) -> list[dict[str, Any]]:
    """Rows as typed, as their table has them; empty ones are left out. Raises Refused, naming "countries-2"."""
    found: list[Zone] = []
    kept: list[dict[str, Any]] = []
    problems: list[Problem] = []
    for place, row in enumerate(rows):
        if not any(text.strip() for text in row.values()):
            continue
        try:
            zone, steps = _zone(row, by, currency)
        except Refused as refusal:
            problems += [replace(one, field=f"{one.field}-{place}") for one in refusal.problems]
            continue
        found.append(zone)
        kept.append(
            {
                "position": len(kept),
                "countries": ",".join(sorted(zone.countries)),
                "first_days": zone.first,
                "last_days": zone.last,
                "steps": steps,
                "free_from": zone.free_from,
            }
        )
    problems = problems or delivery.problems_of(found)
    if len(kept) > MOST_ZONES:
        problems.append(Problem("zone.many", f"At most {MOST_ZONES} rows are kept.", "countries-0"))
    if problems:
        raise Refused(problems)
    return kept


def _zone(row: Mapping[str, str], by: CostBy, currency: str) -> tuple[Zone, str]:
    problems: list[Problem] = []

    def read_field(name: str, act: Any, nothing: Any) -> Any:
        try:
            return act(row.get(name, ""))
        except Refused as refusal:
            problems.extend(one.at(field=name) for one in refusal.problems)
            return nothing

    countries = read_field("countries", delivery.parse_countries, frozenset())
    first, last = read_field("days", delivery.parse_days, (0, 0))
    steps = read_field("steps", lambda text: delivery.parse_steps(text, by, currency), ())
    free = read_field("free_from", lambda text: quantities.parse_money(text, currency) if text.strip() else None, None)
    if problems:
        raise Refused(problems)
    return Zone(countries, first, last, steps, free), delivery.show_steps(steps, by)


def save_promise(
    ctx: Context,
    actor: Actor,
    promise_id: int | None,
    raw: Mapping[str, str],
    rows: Sequence[Mapping[str, str]],
    stands: Stands,
    marks: Marks = None,
) -> int:
    """Make a promise, or write it, with its countries and for what it stands; returns its id.

    Raises Refused, Outdated, NotFound.
    """
    actor.require(Role.EDITOR)
    name = one_line(raw.get("name", ""), delivery.NAME_LENGTH, "A promise's name", "promise")
    if not name:
        raise Refused.because("promise.name", "A promise needs a name, such as Parcel.", "name")
    by = CostBy(raw["cost_by"]) if raw.get("cost_by") in tuple(CostBy) else CostBy.WEIGHT
    zones = _zones(rows, by, ctx.settings.currency)

    def work(tx: Tx) -> int:
        values = {"name": name, "cost_by": str(by)}
        targets = _targets(ctx, tx, stands)
        title = f"Delivery promise {'changed' if promise_id else 'made'}: {name}"
        with history.change_set(tx, actor, "promise.save", title) as recorder:
            if promise_id is None:
                made = declared.insert(tx, PROMISE, values)
                recorder.made("promise", made, values)
                _write_zones(tx, recorder, made, zones)
                _write_stands(tx, recorder, made, targets)
                return made
            row = _locked(tx, promise_id)
            there = flat(tx, promise_id)
            mine = values | {"countries": _told_zones(zones), "stands for": _told_targets(targets)}
            both = meeting.bring_together(tx, {"promise": [promise_id]}, marks, mine, there, _label)
            _write_row(tx, recorder, row, {name: both[name] for name in values})
            # Rows count as one field: they are written where they are what this person wants of them.
            if both["countries"] == mine["countries"]:
                _write_zones(tx, recorder, promise_id, zones)
            if both["stands for"] == mine["stands for"]:
                _write_stands(tx, recorder, promise_id, targets)
        return promise_id

    try:
        return ctx.db.run(work)
    except DuplicateKey as double:
        raise Refused.because("promise.taken", f"There is a promise “{name}” already.", "name") from double


#: A type or a category that a promise stands for; (None, None) for all goods.
Target = tuple[int | None, int | None]


def flat(tx: Tx, promise_id: int) -> dict[str, Any]:
    """What a page shows of a promise, as plain data."""
    row = store.promise(tx, promise_id)
    return {
        "name": row["name"] if row else "",
        "cost_by": row["cost_by"] if row else "",
        "countries": _told_zones(_zone_rows(tx, promise_id)),
        "stands for": _told_targets([_target(one) for one in store.stand_for(tx) if one["promise_id"] == promise_id]),
    }


def _told_zones(rows: Sequence[Mapping[str, Any]]) -> list[str]:
    return [
        f"{row['countries']} in {row['first_days']}-{row['last_days']}: {row['steps']}, "
        f"free from {quantities.format_money(row['free_from']) or 'never'}"
        for row in rows
    ]


def _told_targets(targets: Sequence[Target]) -> list[str]:
    return sorted("all goods" if one == (None, None) else f"{one[0] or ''}/{one[1] or ''}" for one in targets)


def _label(name: str) -> str:
    return PROMISE.field(name).label if name in PROMISE.columns() else name.capitalize()


def _locked(tx: Tx, promise_id: int) -> PromiseRow:
    row = store.promise(tx, promise_id, lock=True)
    if row is None:
        raise NotFound("This promise is not there any more.")
    return row


def _write_row(tx: Tx, recorder: history.Recorder, row: PromiseRow, values: Mapping[str, Any]) -> None:
    before = {"name": row["name"], "cost_by": row["cost_by"]}
    if recorder.changed("promise", row["id"], before, values, row["version"] + 1):
        declared.update(tx, PROMISE, row["id"], values)


def _write_zones(tx: Tx, recorder: history.Recorder, promise_id: int, zones: Sequence[Mapping[str, Any]]) -> None:
    wanted = [{"promise_id": promise_id, **one} for one in zones]
    write_rows(tx, recorder, PROMISE_ZONE, _zone_rows(tx, promise_id), wanted)


def _zone_rows(tx: Tx, promise_id: int) -> list[dict[str, Any]]:
    return [dict(row) for row in store.zones(tx) if row["promise_id"] == promise_id]


def write_rows(
    tx: Tx, recorder: history.Recorder, record: Any, there: list[dict[str, Any]], wanted: list[dict[str, Any]]
) -> None:
    """Make the rows of a record, in their order, what is wanted."""
    for row, values in zip(there, wanted, strict=False):
        before = {name: row[name] for name in record.columns()}
        if recorder.changed(record.name, row["id"], before, values, row["version"] + 1):
            declared.update(tx, record, row["id"], values)
    for row in there[len(wanted) :]:
        recorder.removed(record.name, row["id"], {name: row[name] for name in record.columns()}, row["version"] + 1)
        declared.delete(tx, record, row["id"])
    for values in wanted[len(there) :]:
        recorder.made(record.name, declared.insert(tx, record, values), values)


def _targets(ctx: Context, tx: Tx, stands: Stands) -> list[Target]:
    words = vocabulary.current(ctx, tx)
    tree = categories.current(ctx, tx)
    targets: list[Target] = [(None, None)] if stands.shop else []
    targets += [(one, None) for one in stands.types if one in words.types]
    return targets + [(None, one) for one in stands.categories if one in tree.by_id]


def _target(row: PromiseForRow) -> Target:
    return row["type_id"], row["category_id"]


def _write_stands(tx: Tx, recorder: history.Recorder, promise_id: int, targets: Sequence[Target]) -> None:
    """A promise stands for these; what another stood for until now it stands for no more."""
    there = {_target(row): row for row in store.stand_for(tx)}
    for target, row in there.items():
        own = row["promise_id"] == promise_id
        before = {"promise_id": row["promise_id"], "type_id": target[0], "category_id": target[1]}
        if own and target not in targets:
            recorder.removed("promise_for", row["id"], before, row["version"] + 1)
            declared.delete(tx, PROMISE_FOR, row["id"])
        elif not own and target in targets:
            after = {**before, "promise_id": promise_id}
            recorder.changed("promise_for", row["id"], before, after, row["version"] + 1)
            declared.update(tx, PROMISE_FOR, row["id"], {"promise_id": promise_id})
    for target in targets:
        if target not in there:
            values = {"promise_id": promise_id, "type_id": target[0], "category_id": target[1]}
            recorder.made("promise_for", declared.insert(tx, PROMISE_FOR, values), values)


def remove_promise(ctx: Context, actor: Actor, promise_id: int) -> None:
    """Take a promise away that no product names; what it stood for is as the shop's. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        row = _locked(tx, promise_id)
        if used := store.products_with(tx, promise_id):
            what = "One product names it" if used == 1 else f"{plural(used, 'product')} name it"
            raise Refused.because("promise.used", f"{what}. Give another promise first.", "name")
        with history.change_set(tx, actor, "promise.remove", f"Promise taken away: {row['name']}") as recorder:
            stands = [one for one in store.stand_for(tx) if one["promise_id"] == promise_id]
            write_rows(tx, recorder, PROMISE_FOR, [dict(one) for one in stands], [])
            write_rows(tx, recorder, PROMISE_ZONE, _zone_rows(tx, promise_id), [])
            recorder.removed(
                "promise", promise_id, {"name": row["name"], "cost_by": row["cost_by"]}, row["version"] + 1
            )
            declared.delete(tx, PROMISE, promise_id)

    ctx.db.run(work)


# --- days of work ----------------------------------------------------------------------------------------------


def save_working(ctx: Context, actor: Actor, raw: Mapping[str, Any], marks: Marks = None) -> bool:
    """Write when the shop works; returns whether anything differs. Raises Refused, Outdated."""
    actor.require(Role.EDITOR)
    wanted = delivery.parse_working(raw)
    values = {
        "days": "".join(map(str, sorted(wanted.days))),
        "cut_off": f"{wanted.cut_off:%H:%M:%S}",
        "closed": ", ".join(day.isoformat() for day in sorted(wanted.closed)),
    }

    def work(tx: Tx) -> bool:
        row = store.working(tx, lock=True)
        with history.change_set(tx, actor, "working.save", "Days of work changed") as recorder:
            if row is None:
                recorder.made("working", declared.insert(tx, WORKING, values), values)
                return True
            there = {name: row[name] for name in values}  # type: ignore[literal-required]
            both = meeting.bring_together(
                tx, {"working": [row["id"]]}, marks, values, there, lambda name: WORKING.field(name).label
            )
            if recorder.changed("working", row["id"], there, both, row["version"] + 1):
                declared.update(tx, WORKING, row["id"], both)
                return True
        return False

    return ctx.db.run(work)


def working_marks(tx: Tx) -> dict[str, Any]:
    """What the page shows of days of work, as plain data."""
    row = store.working(tx)
    return {"days": row["days"], "cut_off": row["cut_off"], "closed": row["closed"]} if row else {}


# --- what holds for a product ------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Delivering:
    """How a product is delivered. ``by``: what named the promise: product, category, type or shop."""

    said: SaidOfDelivery
    promise: delivery.Promise | None
    by: str
    carriage: Carriage
    way: Way

    def converted(self, rate: Decimal, places: int) -> "Delivering":
        """The same in the currency of a shop."""
        own = {country: rounded(amount * rate, places) for country, amount in self.carriage.own.items()}
        promise = delivery.converted(self.promise, rate, places) if self.promise else None
        return replace(self, promise=promise, carriage=replace(self.carriage, own=own))


def of_product(ctx: Context, tx: Tx, product: Product) -> Delivering:
    """How a product is delivered."""
    said = deliveries.said(ctx, tx)
    values = product.values
    way = [one.id for one in categories.current(ctx, tx).way(values.category_id)][::-1]
    promise, by = said.promise(values.promise_id, way, values.type_id)
    carriage = deliveries.carriage_of(store.carriage(tx, product.id))
    kind = vocabulary.current(ctx, tx).type_of(values.type_id)
    return Delivering(said, promise, by, carriage, delivery.way_of(values.delivered, kind.delivered if kind else ""))


def sent_to(
    ctx: Context, tx: Tx, found: Delivering, country: str, weight_g: int | None, price: Decimal | None, ready_on: Any
) -> Sent:
    """What is told of a piece that is sent to a country now."""
    return delivery.sent(
        found.way,
        country,
        found.promise,
        found.said.working,
        deliveries.local_now(ctx, tx),
        weight_g,
        price,
        ready_on=ready_on,
        own=found.carriage.own,
        not_to=found.carriage.not_to,
    )
