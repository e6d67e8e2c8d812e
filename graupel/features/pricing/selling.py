"""Planning sales: made, changed, moved, ended; and what time does to them."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Any, TypeVar
from zoneinfo import ZoneInfo

from graupel.context import Context
from graupel.core import moments, sale_plans
from graupel.core.changes import journal_values
from graupel.core.declarations.terms import SALE, SALE_GOODS
from graupel.core.errors import NotFound, Refused
from graupel.core.roles import SYSTEM, Actor, Role
from graupel.core.sales import Reach, Reduction, Sale, TakesOff
from graupel.core.showing import plural
from graupel.db import Tx, declared
from graupel.db.rows import picked
from graupel.features.destinations import service as destinations
from graupel.features.history import journal, meeting, records
from graupel.features.history import service as history
from graupel.features.history.following import Recorded
from graupel.features.history.meeting import Marks
from graupel.features.pricing import store
from graupel.features.terms import service as terms
from graupel.features.terms import store as terms_store
from graupel.jobs import timekeeping
from graupel.jobs.timekeeping import Timed

T = TypeVar("T")
MOST_GOODS = 200_000
#: So many are named where a list would be too long.
NAMED = 3


@dataclass(frozen=True)
class Goods:
    """For what a sale is: all goods; products; or variants or choices of one product."""

    reach: Reach
    product_ids: Sequence[int] = ()
    targets: Sequence[int] = ()


def zone_of(ctx: Context) -> ZoneInfo:
    """The shop's time zone."""
    return ZoneInfo(ctx.settings.time_zone)


def place_of(ctx: Context, tx: Tx) -> sale_plans.Place:
    """Where and when typed amounts and moments are read."""
    found = destinations.current(ctx, tx)
    names = {one.code: one.name for one in found.all}
    known = list(terms.written(ctx, tx).promotions)
    return sale_plans.Place(zone_of(ctx), ctx.settings.currency, found.currencies, names, known)


def new(now: datetime, reach: Reach = Reach.PRODUCT) -> Sale:
    """A sale as a form begins with it."""
    return Sale(0, "", reach, frozenset(), "", Reduction(TakesOff.PERCENT, sale_plans.BEGINS_WITH), now)


def columns(sale: Sale) -> dict[str, Any]:
    """A sale as its table and the journal have it."""
    return {
        "title": sale.title,
        "promotion_id": sale.promotion_id,
        "reach": str(sale.reach),
        "destination": sale.destination,
        "takes_off": str(sale.reduction.takes_off),
        "amount": sale.reduction.amount,
        "ends_so": int(sale.reduction.ends_so),
        "joined": int(sale.joined),
        "begins": moments.kept(sale.begins),
        "ends": moments.kept(sale.ends),
    }


def columns_of(row: Mapping[str, Any]) -> dict[str, Any]:
    """The same from the row of one."""
    kept = {name: f"{row[name]:%Y-%m-%d %H:%M:%S}" if row[name] else None for name in ("begins", "ends")}
    return picked(row, SALE.columns()) | kept


def plan(ctx: Context, actor: Actor, raw: Mapping[str, str], goods: Goods) -> int:
    """A new sale; returns its id. Raises Refused, naming both where nothing would say which of two sales counts."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        start = new(ctx.now(tx).replace(microsecond=0), goods.reach)
        sale, problems = sale_plans.read({"amount": "", **raw}, start, place_of(ctx, tx))
        if problems:
            raise Refused(problems)
        _refuse_goods(tx, goods)
        store.hold_sales(tx)
        title = f"Sale planned: {sale.title or _named(tx, goods)}"
        with history.change_set(tx, actor, "sale.plan", title) as recorder:
            values = columns(sale)
            sale_id = declared.insert(tx, SALE, values)
            recorder.made("sale", sale_id, values)
            _put_under(tx, recorder, sale_id, goods)
        refuse_equal(tx, sale_id, zone_of(ctx))
        return sale_id

    made: int = ctx.db.run(work)
    return made


class _Undo(Exception):
    """Takes back what was only tried; holds the id of the sale."""

    def __init__(self, found: Any) -> None:
        super().__init__("tried")
        self.found = found


def tried(
    ctx: Context,
    actor: Actor,
    raw: Mapping[str, str],
    goods: Goods | None,
    sale_id: int | None,
    look: Callable[[Tx, int], T],
) -> T:
    """The dry run: plan or change a sale, let it be looked at, and undo all of it. Raises Refused as that would."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        start = (
            terms.sale_of(_there(tx, sale_id), ()) if sale_id else new(ctx.now(tx), goods.reach if goods else Reach.ALL)
        )
        sale, problems = sale_plans.read({"amount": "", **raw} if not sale_id else raw, start, place_of(ctx, tx))
        problems = [one for one in problems if one.field in ("amount", "destination")]
        if problems:
            raise Refused(problems)
        tried_id = sale_id or declared.insert(tx, SALE, columns(sale))
        if sale_id:
            declared.update(tx, SALE, sale_id, columns(sale))
        elif goods:
            _refuse_goods(tx, goods)
            if goods.reach is Reach.PRODUCT:
                terms_store.insert_goods(tx, tried_id, goods.product_ids)
            _insert_targets(tx, tried_id, goods)
        raise _Undo(look(tx, tried_id))

    try:
        ctx.db.run(work)
    except _Undo as undo:
        found: T = undo.found
        return found
    raise AssertionError("unreachable: work always undoes itself")


def _named(tx: Tx, goods: Goods) -> str:
    if goods.reach is Reach.ALL:
        return "all goods"
    return plural(len(goods.product_ids), "product") if len(goods.product_ids) > 1 else "one product"


def _refuse_goods(tx: Tx, goods: Goods) -> None:
    if goods.reach is Reach.ALL:
        return
    if not goods.product_ids or (goods.reach is not Reach.PRODUCT and not goods.targets):
        raise Refused.because("sale.goods", "Choose for which goods it is.", "goods")
    if len(goods.product_ids) > MOST_GOODS:
        raise Refused.because("sale.too_many", f"A sale is for at most {MOST_GOODS:,} products.", "goods")
    if goods.reach is Reach.CHOICE:
        for choice in goods.targets:
            if not store.variants_with(tx, goods.product_ids[0], choice):
                raise Refused.because("sale.choice", "No variant of the product has this choice any more.", "goods")


def _put_under(tx: Tx, recorder: history.Recorder, sale_id: int, goods: Goods) -> None:
    if goods.reach is Reach.PRODUCT:
        terms_store.insert_goods(tx, sale_id, goods.product_ids)
        kind = records.kind_of("sale_goods")
        where, params = "sg.sale_id = %(sale)s", {"sale": sale_id}
        journal.write_made(tx, recorder.change_set_id, kind, kind.table, where, params)
        return
    for row_id, values in _insert_targets(tx, sale_id, goods):
        recorder.made("sale_goods", row_id, values)


def _insert_targets(tx: Tx, sale_id: int, goods: Goods) -> list[tuple[int, dict[str, Any]]]:
    """Put variants or choices of one product under a sale; the rows that were made."""
    if goods.reach not in (Reach.VARIANT, Reach.CHOICE):
        return []
    named = "variant_id" if goods.reach is Reach.VARIANT else "choice_id"
    empty = {"sale_id": sale_id, "product_id": goods.product_ids[0], "variant_id": None, "choice_id": None}
    rows = [{**empty, named: target} for target in goods.targets]
    return [(declared.insert(tx, SALE_GOODS, values), values) for values in rows]


def refuse_equal(tx: Tx, sale_id: int, zone: ZoneInfo) -> None:
    """Refuse a sale beside which another stands, where nothing says which of both counts. Raises Refused."""
    other = terms_store.equals_of(tx, sale_id)
    if other is None:
        return
    name = store.titles(tx, [other["id"], sale_id])
    begins = terms.utc(other["begins"]).astimezone(zone)
    ends = f"to {terms.utc(other['ends']).astimezone(zone):%-d %b %Y, %H:%M}" if other["ends"] else "on"
    raise Refused.because(
        "sale.equal",
        f"“{name[sale_id]}” and “{name[other['id']]}” ({sale_plans.typed_reduction(_reduction(other))}, from "
        f"{begins:%-d %b %Y, %H:%M} {ends}) are for the same goods at the same time, and nothing says which counts. "
        "Choose other days, or end the other first.",
        "begins",
    )


def _reduction(row: Mapping[str, Any]) -> Reduction:
    return Reduction(TakesOff(row["takes_off"]), row["amount"])


# --- changing ------------------------------------------------------------------------------------------------


def save(ctx: Context, actor: Actor, sale_id: int, raw: Mapping[str, str], marks: Marks = None) -> None:
    """Write what was typed of a sale, with what others alone changed since. Raises Refused, Outdated, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        row = _there(tx, sale_id)
        wanted, problems = sale_plans.read(raw, terms.sale_of(row, ()), place_of(ctx, tx))
        if problems:
            raise Refused(problems)
        there, mine = columns_of(row), columns(wanted)
        flat = journal_values(mine)
        both = meeting.bring_together(
            tx, {"sale": [sale_id]}, marks, flat, journal_values(there), lambda name: SALE.field(name).label
        )
        after = {name: mine[name] if both[name] == flat[name] else there[name] for name in mine}
        _write(ctx, tx, actor, sale_id, there, after, "Sale changed")

    ctx.db.run(work)


def move(ctx: Context, actor: Actor, sale_id: int, begins: datetime, ends: datetime | None) -> None:
    """Move or stretch a sale. One that is on keeps its beginning. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        row = _there(tx, sale_id)
        begun = terms.utc(row["begins"])
        first = begun if begun <= ctx.now(tx) else begins
        if ends is not None and ends <= first:
            raise Refused.because("sale.ends", "It would end before it begins.", "ends")
        after = {"begins": moments.kept(first), "ends": moments.kept(ends)}
        _write(ctx, tx, actor, sale_id, columns_of(row), after, "Sale moved")

    ctx.db.run(work)


def end_now(ctx: Context, actor: Actor, sale_id: int) -> None:
    """End a sale that is on. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        row, now = _there(tx, sale_id), ctx.now(tx).replace(microsecond=0)
        sale = terms.sale_of(row, ())
        if not sale.holds(now):
            raise Refused.because("sale.not_on", "This sale is not on at this moment.")
        _write(ctx, tx, actor, sale_id, columns_of(row), {"ends": moments.kept(now)}, "Sale ended")

    ctx.db.run(work)


def remove(ctx: Context, actor: Actor, sale_id: int) -> None:
    """Take back a sale that has not begun. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        row = _there(tx, sale_id)
        if terms.utc(row["begins"]) <= ctx.now(tx):
            raise Refused.because(
                "sale.began", "This sale has begun: it stands in the record of prices. End it instead of deleting it."
            )
        name = store.titles(tx, [sale_id])[sale_id]
        with history.change_set(tx, actor, "sale.remove", f"Sale taken back: {name}") as recorder:
            kind = records.kind_of("sale_goods")
            where, params = "sg.sale_id = %(sale)s", {"sale": sale_id}
            journal.remove(tx, recorder.change_set_id, kind, kind.table, where, params)
            recorder.removed("sale", sale_id, columns_of(row), row["version"] + 1)
            declared.delete(tx, SALE, sale_id)

    ctx.db.run(work)


def _there(tx: Tx, sale_id: int) -> Any:
    store.hold_sales(tx)
    row = terms_store.sale(tx, sale_id, lock=True)
    if row is None:
        raise NotFound("This sale is not there any more.")
    return row


def _write(
    ctx: Context, tx: Tx, actor: Actor, sale_id: int, there: Mapping[str, Any], after: Mapping[str, Any], did: str
) -> None:
    name = store.titles(tx, [sale_id])[sale_id]
    row = terms_store.sale(tx, sale_id)
    assert row is not None
    with history.change_set(tx, actor, "sale.save", f"{did}: {name}") as recorder:
        if recorder.changed("sale", sale_id, there, after, row["version"] + 1):
            declared.update(tx, SALE, sale_id, after)
    refuse_equal(tx, sale_id, zone_of(ctx))


# --- time ----------------------------------------------------------------------------------------------------


def register() -> None:
    """Wake when the next sale begins or ends, and when sales change look whether that is sooner."""
    timekeeping.register(Timed(terms_store.CLOCK, "Begin and end sales", _next, _arrive))


def _next(ctx: Context, tx: Tx, after: datetime) -> datetime | None:
    found = terms_store.next_boundary(tx, after.astimezone(UTC).replace(tzinfo=None))
    return terms.utc(found) if found else None


def _arrive(ctx: Context, tx: Tx, moment: datetime) -> None:
    """Sales begin or end: what costs otherwise is worked out anew, and whoever follows prices follows."""
    at = moment.astimezone(UTC).replace(tzinfo=None)
    rows = terms_store.at_boundary(tx, at)
    names = store.titles(tx, [row["id"] for row in rows])
    did = [("began" if row["begins"] == at else "ended", names[row["id"]]) for row in rows]
    with history.change_set(tx, SYSTEM, "sale.time", _said(did)) as recorder:
        for row, (what, _) in zip(rows, did, strict=True):
            values = {"sale_id": row["id"], "what": what}
            recorder.made("sale_moment", store.add_moment(tx, row["id"], what), values)


def _said(did: Sequence[tuple[str, str]]) -> str:
    if len(did) > NAMED:
        return f"{len(did)} sales began or ended"
    return "; ".join(f"Sale {what}: {name}" for what, name in did)


def follow(tx: Tx, recorded: Recorded) -> None:
    """After a change set that touched sales, a roll back too: wake at the next boundary at the latest."""
    if not recorded.wrote.any_of("sale"):
        return
    found = terms_store.next_boundary(tx, terms_store.moment(tx))
    if found:
        timekeeping.wake(tx, terms_store.CLOCK, found)


def with_goods(tx: Tx, sale_id: int) -> Sale:
    """A sale with all that it is for. Raises NotFound."""
    row = terms_store.sale(tx, sale_id)
    if row is None:
        raise NotFound("This sale is not there any more.")
    return replace(terms.sale_of(row, terms_store.goods_of(tx, [sale_id])), title=row["title"])
