"""What the real shop reports of its orders: they reserve, take and give back stock.

Each report has an id of its own, by which a repetition counts once, and reports may come in any order
(core.orders). They make no conflict and move no version: nobody who edits the catalogue notices them.
"""

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal

from graupel.context import Context
from graupel.core import orders as rules
from graupel.core.errors import Refused
from graupel.core.orders import Claimed, Report, Told
from graupel.core.problems import Problem
from graupel.core.roles import Actor, Role
from graupel.core.stock import Reason
from graupel.db import DuplicateKey, Tx
from graupel.features.destinations import service as destinations
from graupel.features.history import service as history
from graupel.features.kits import service as kits
from graupel.features.orders import store, with_codes
from graupel.features.orders.rows import OrderLineRow, ReportRow
from graupel.features.terms import booking, stock_store

_DID = {
    Told.ORDERED: "Order {}",
    Told.PAID: "Order {} paid",
    Told.CANCELLED: "Order {} cancelled",
    Told.RETURNED: "Return of order {}",
    Told.SENT: "Order {} sent",
}
#: The columns in which an order's standing is kept.
STANDING = ("paid", "sent", "cancelled", "returned")


@dataclass(frozen=True)
class Reported:
    """A report as it came: of which shop ("" for the first), its own id, the order's number, what it tells."""

    destination: str
    code: str
    order: str
    report: Report
    at: datetime | None = None


@dataclass(frozen=True)
class Outcome:
    """What a report came to. ``repeated``: it was known; ``problems``: lines that could not be taken, which does not
    keep the others from counting."""

    code: str
    repeated: bool
    problems: Sequence[Problem]


def take(ctx: Context, actor: Actor, reported: Reported) -> Outcome:
    """Take a report in, once. Raises Refused where the id of another report is given again, or the shop is unknown."""
    actor.require(Role.EDITOR)
    if reported.destination and reported.destination not in {one.code for one in destinations.read_all(ctx).all}:
        raise Refused.because("order.shop", "There is no such shop.", "shop")
    try:
        return ctx.db.run(lambda tx: _take(ctx, tx, actor, reported))
    except DuplicateKey:  # the same report, or the first one of the same order, came in at the same moment
        return ctx.db.run(lambda tx: _take(ctx, tx, actor, reported))


def _take(ctx: Context, tx: Tx, actor: Actor, reported: Reported) -> Outcome:
    known = store.report(tx, reported.destination, reported.code)
    lines = _plain(reported.report.lines)
    if known:
        found = store.order(tx, reported.destination, reported.order)
        same = found and found["id"] == known["order_id"] and known["told"] == reported.report.told
        if not same or json.loads(known["reported_lines"]) != lines:
            message = f"The report {reported.code} came before, and told something else. Give each an id of its own."
            raise Refused.because("report.other", message, "id")
        return Outcome(reported.code, True, ())
    at = (reported.at.astimezone(UTC).replace(tzinfo=None) if reported.at else None) or ctx.now(tx).replace(tzinfo=None)
    title = _DID[reported.report.told].format(reported.order)
    with history.change_set(tx, actor, f"order.{reported.report.told}", title) as recorder:
        found = store.order(tx, reported.destination, reported.order)
        if found is None:
            values = {"destination": reported.destination, "code": reported.order}
            order_id = store.insert_order(tx, reported.destination, reported.order, at)
            recorder.made("order", order_id, values)
        else:
            order_id = found["id"]
        problems = note(tx, recorder, order_id, reported, at, actor.name)
    named = set(reported.report.lines)
    return Outcome(reported.code, False, [one for one in problems if (one.field or "") in named])


def note(
    tx: Tx, recorder: history.Recorder, order_id: int, reported: Reported, at: datetime, by_name: str
) -> list[Problem]:
    """Note a report of an order that is there and locked, and do what follows from it; the lines that name nothing
    known. Of a trial nothing is booked. Kits are noted as their parts, which is what stock is counted of."""
    told = {sku.upper(): number for sku, number in reported.report.lines.items()}
    taken = kits.taken_apart(tx, with_codes.plain(tx, told))
    store.insert_report(
        tx,
        {
            "destination": reported.destination,
            "code": reported.code,
            "order_id": order_id,
            "told": str(reported.report.told),
            "reported_lines": json.dumps(_plain(reported.report.lines)),
            "stock_lines": None if taken == told else json.dumps(_plain(taken)),
            "at": at,
            "by_name": by_name[:120],
        },
    )
    order = store.order_of(tx, order_id)
    reports = [Report(Told(row["told"]), lines_of(row)) for row in store.reports_of(tx, order_id)]
    if order:
        before = {name: order[name] for name in STANDING}  # type: ignore[literal-required]
        stands = rules.standing(reports)
        now = {name: int(getattr(stands, name)) for name in STANDING}
        if recorder.changed("order", order_id, before, now, order["version"] + 1):
            store.set_standing(tx, order_id, now)
    return [] if order and order["trial"] else _settle(tx, recorder, order_id, reports)


def _plain(lines: Mapping[str, Decimal]) -> dict[str, str]:
    return {sku: f"{number:.2f}" for sku, number in lines.items()}


def _settle(tx: Tx, recorder: history.Recorder, order_id: int, reports: Sequence[Report]) -> list[Problem]:
    """Book what an order's reports come to and was not booked yet; the lines that name nothing known."""
    claims = rules.claims(reports)
    there = {row["sku"].upper(): row for row in store.lines_of(tx, order_id)}
    known = store.by_skus(tx, [sku for sku in claims if sku.isascii()])
    problems = []
    wanted: dict[str, Claimed] = {}
    for sku, claimed in claims.items():
        if sku in known:
            wanted[sku] = claimed
        else:
            message = f"Nothing has the SKU {sku[:64]}: this line changes no stock."
            problems.append(Problem("sku.unknown", message, sku))
    there_now = stock_store.of_variants(tx, sorted(known[sku]["variant_id"] for sku in wanted), lock=True)
    reserving: dict[int, tuple[int, Decimal]] = {}
    booked: list[booking.Line] = []
    for sku, claimed in wanted.items():
        owner = known[sku]
        row = there.get(sku)
        before = Claimed(row["reserved"], row["taken"], row["returned"]) if row else Claimed()
        if row and before == claimed:
            continue
        variant_id, product_id = owner["variant_id"], owner["product_id"]
        reserving[variant_id] = (product_id, claimed.reserved - before.reserved)
        if variant_id in there_now and there_now[variant_id]["counted"]:
            booked += _lines(tx, variant_id, order_id, before, claimed)
        _write_line(tx, recorder, order_id, sku, (variant_id, product_id), row, claimed)
    booking.reserve(tx, reserving)
    booking.book(tx, recorder, booked, counts=False)
    return problems


def lines_of(row: ReportRow) -> dict[str, Decimal]:
    """What a report takes of stock, by SKU."""
    lines = json.loads(row["stock_lines"] or row["reported_lines"])
    return {sku.upper(): Decimal(text) for sku, text in lines.items()}


def _lines(tx: Tx, variant_id: int, order_id: int, before: Claimed, now: Claimed) -> list[booking.Line]:
    """What is booked of a variant: taken for the order, given back where it is cancelled, and what came back."""
    found: list[booking.Line] = []
    more = now.taken - before.taken
    if more > 0:
        found += booking.take(tx, variant_id, more, order_id)
    elif more < 0:
        # What was not counted when it was ordered was never taken: there is nothing of it to give back.
        took = sum(stock_store.taken_by(tx, order_id, variant_id).values(), Decimal(0))
        found += booking.give_back(tx, variant_id, min(-more, took), order_id, Reason.SOLD)
    back = now.returned - before.returned
    if back:
        found += booking.give_back(tx, variant_id, back, order_id, Reason.RETURNED)
    return found


def _write_line(
    tx: Tx,
    recorder: history.Recorder,
    order_id: int,
    sku: str,
    owner: tuple[int, int],
    row: OrderLineRow | None,
    claimed: Claimed,
) -> None:
    held = {"reserved": claimed.reserved, "taken": claimed.taken, "returned": claimed.returned}
    if row is None:
        values = {"order_id": order_id, "sku": sku, "variant_id": owner[0], "product_id": owner[1], **held}
        recorder.made("order_line", store.insert_line(tx, values), values)
        return
    before = {name: row[name] for name in held}  # type: ignore[literal-required]
    if recorder.changed("order_line", row["id"], before, held, row["version"] + 1):
        store.update_line(tx, row["id"], held)
