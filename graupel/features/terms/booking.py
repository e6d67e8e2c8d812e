"""Booking stock: the one way to change it. Each booking stands in the record, and is part of a change set.

Whoever books locks the rows of the variants first, in the order of their ids, and changes them by an amount: two who
book at once wait for each other and both count. Neither product nor variant is locked, nor its version moved.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from graupel.core import stock
from graupel.core.stock import How, Reason, Typed
from graupel.db import Tx
from graupel.features.history import journal, records
from graupel.features.history.putting_back import Rolling
from graupel.features.history.service import Recorder
from graupel.features.terms import stock_store as store

#: A variant, a location, by how much, why, and the order that it is for.
Line = tuple[int, int, Decimal, Reason, int | None]


@dataclass(frozen=True)
class Wish:
    """What somebody typed of a variant. ``as_of``: when a count holds, UTC.

    ``location``: None for what is there in all: what is more comes to the first location, what is less is taken from
    where something lies, in the order of use.
    """

    variant_id: int
    typed: Typed
    reason: Reason = Reason.CORRECTED
    location: int | None = None
    as_of: datetime | None = None


def book_typed(tx: Tx, recorder: Recorder, wishes: Sequence[Wish]) -> int:
    """Book what was typed; returns how many variants changed.

    A count is brought up to now by what changed since it held. To end the counting books what is there away.
    """
    ids = sorted({one.variant_id for one in wishes if one.typed.changes})
    if not ids:
        return 0
    there = store.of_variants(tx, ids, lock=True)
    levels = {(row["variant_id"], row["location_id"]): row["on_hand"] for row in store.at_locations(tx, ids)}
    order = [row["id"] for row in store.locations(tx)]
    lines: list[Line] = []
    for one in wishes:
        if one.typed.how is How.NOT_COUNTED:
            lines += [(v, at, -held, one.reason, None) for (v, at), held in levels.items() if v == one.variant_id]
            continue
        meant = [(at, levels.get((one.variant_id, at), Decimal(0))) for at in order if one.location in (None, at)]
        change = one.typed.change(sum((held for _, held in meant), Decimal(0)))
        if one.typed.how is How.COUNT and one.as_of:
            change += store.later_changes(tx, one.variant_id, one.location, one.as_of)
        for at, part in _parted(meant, change).items():
            levels[one.variant_id, at] = levels.get((one.variant_id, at), Decimal(0)) + part
            lines.append((one.variant_id, at, part, one.reason, None))
    ended = {one.variant_id for one in wishes if one.typed.how is How.NOT_COUNTED}
    counted = {key for key, row in there.items() if row["counted"]}
    changed = {v for v, _, amount, _, _ in lines if amount} | (ended & counted)
    changed |= {one.variant_id for one in wishes if one.typed.how is not How.NOT_COUNTED} - counted
    book(tx, recorder, [line for line in lines if line[0] in changed and line[0] not in ended - counted])
    _end(tx, recorder, sorted(ended & counted))
    return len(changed - (ended - counted))


def _parted(meant: Sequence[tuple[int, Decimal]], change: Decimal) -> dict[int, Decimal]:
    """Where a change is booked, of the locations that are meant with what is there, in their order of use."""
    if change >= 0:
        return {meant[0][0]: change}
    return {at: -part for at, part in stock.taken(meant, -change).items()}


def first_location(tx: Tx) -> int:
    """The location that is used first."""
    return store.locations(tx)[0]["id"]


def book(tx: Tx, recorder: Recorder, lines: Sequence[Line], *, counts: bool = True) -> None:
    """Book lines; ``counts``: variants that were not counted are counted from now on."""
    if lines:
        store.stage(tx, lines)
        book_staged(tx, recorder, counts=counts)


def book_staged(tx: Tx, recorder: Recorder, *, counts: bool = True) -> None:
    """Book what is staged, of however many variants."""
    if counts:
        _count_in(tx, recorder)
    store.write_staged(tx, recorder.change_set_id, _now(tx))
    store.add_to_products(tx)
    kind = records.kind_of("stock_entry")
    where, params = "se.change_set_id = %(set)s", {"set": recorder.change_set_id}
    journal.write_made(tx, recorder.change_set_id, kind, kind.table, where, params)


def _now(tx: Tx) -> datetime:
    found: datetime = tx.value("SELECT UTC_TIMESTAMP(3)")
    return found


def _count_in(tx: Tx, recorder: Recorder) -> None:
    """Begin to count what is staged and not counted, and journal that."""
    kind = records.kind_of("stock")
    new = f"""(SELECT DISTINCT b.variant_id, b.product_id FROM {store.STAGED} b
               LEFT JOIN stock s ON s.id = b.variant_id WHERE s.id IS NULL) n"""
    made = {"product_id": "n.product_id", "counted": "1"}
    set_id = recorder.change_set_id
    journal.write(tx, set_id, kind, new, "TRUE", {}, became=made, key="n.variant_id", version="1")
    again = f"(SELECT DISTINCT variant_id FROM {store.STAGED}) n JOIN stock sk ON sk.id = n.variant_id"
    was, became = {"counted": "sk.counted"}, {"counted": "1"}
    journal.write(tx, set_id, kind, again, "NOT sk.counted", {}, was=was, became=became)
    store.count_in(tx)


def _end(tx: Tx, recorder: Recorder, variant_ids: Sequence[int]) -> None:
    """Not count variants any more, whose stock was booked away."""
    if not variant_ids:
        return
    kind = records.kind_of("stock")
    params = {"ids": list(variant_ids)}
    was, became = {"counted": "sk.counted"}, {"counted": "0"}
    where = "sk.id IN %(ids)s AND sk.counted"
    journal.write(tx, recorder.change_set_id, kind, kind.table, where, params, was=was, became=became)
    store.end_counting(tx, variant_ids)


def put_back(rolling: Rolling) -> None:
    """A roll back of entries: the opposite of each is booked, for the same reason, whatever is there by now.

    What orders took is theirs: it goes back where they are cancelled.
    """
    tx = rolling.tx
    store.begin(tx)
    tx.run(
        f"""INSERT INTO {store.STAGED} (variant_id, product_id, location_id, amount, reason)
            SELECT e.variant_id, s.product_id, e.location_id, -SUM(e.amount), MIN(e.reason)
            FROM stock_entry e STRAIGHT_JOIN stock s ON s.id = e.variant_id
            WHERE e.change_set_id = %s AND e.order_id IS NULL GROUP BY e.variant_id, e.location_id, s.product_id""",
        [rolling.change_set_id],
    )
    book_staged(tx, Recorder(tx, rolling.by), counts=False)


# --- orders --------------------------------------------------------------------------------------------------


def take(tx: Tx, variant_id: int, amount: Decimal, order_id: int) -> list[Line]:
    """The lines that take an amount for an order, from the locations in their order of use."""
    levels = {row["location_id"]: row["on_hand"] for row in store.at_locations(tx, [variant_id])}
    order = [(one["id"], levels.get(one["id"], Decimal(0))) for one in store.locations(tx)]
    parts = stock.taken(order, amount)
    return [(variant_id, at, -part, Reason.SOLD, order_id) for at, part in parts.items()]


def give_back(tx: Tx, variant_id: int, amount: Decimal, order_id: int, reason: Reason) -> list[Line]:
    """The lines that give an amount back, to where the order took it."""
    parts = stock.given_back(store.taken_by(tx, order_id, variant_id), amount, first_location(tx))
    return [(variant_id, at, part, reason, order_id) for at, part in parts.items()]


def reserve(tx: Tx, changes: Mapping[int, tuple[int, Decimal]]) -> None:
    """Promise more or less of variants (id -> its product and by how much)."""
    wanted = {key: change for key, change in changes.items() if change[1]}
    if wanted:
        store.reserve(tx, wanted)
