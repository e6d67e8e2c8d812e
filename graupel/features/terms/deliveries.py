"""Delivery as products know it: the promise that stands for goods, and what a buyer is told."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, time
from decimal import Decimal
from zoneinfo import ZoneInfo

from graupel.context import Context
from graupel.core import delivery
from graupel.core.delivery import CostBy, Promise, Working, Zone
from graupel.db import Tx
from graupel.features.history import service as history
from graupel.features.terms import delivery_store as store
from graupel.features.terms.rows import OwnCarriageRow, WorkingRow


@dataclass(frozen=True)
class SaidOfDelivery:
    """What is said once: promises by id, for what they stand, and when the shop works."""

    promises: Mapping[int, Promise]
    of_shop: int | None
    of_types: Mapping[int, int]
    of_categories: Mapping[int, int]
    working: Working

    def promise(self, own: int | None, categories: Sequence[int], type_id: int | None) -> tuple[Promise | None, str]:
        """The promise that counts for goods, and by what: their own, before their category's (``categories``: nearest
        first), before their type's, before the shop's."""
        if own is not None and own in self.promises:
            return self.promises[own], "product"
        for one in categories:
            if one in self.of_categories:
                return self.promises[self.of_categories[one]], "category"
        if type_id is not None and type_id in self.of_types:
            return self.promises[self.of_types[type_id]], "type"
        if self.of_shop is not None and self.of_shop in self.promises:
            return self.promises[self.of_shop], "shop"
        return None, ""


@dataclass(frozen=True)
class Carriage:
    """What is said of single goods: what delivery costs by country, and to which countries they may not go."""

    own: Mapping[str, Decimal]
    not_to: frozenset[str]


def said(ctx: Context, tx: Tx) -> SaidOfDelivery:
    """What is said once, kept until the next change of anything."""
    currency = ctx.settings.currency
    return ctx.counts.get((history.written_stamp(tx), "delivery"), lambda: _read(tx, currency))


def _read(tx: Tx, currency: str) -> SaidOfDelivery:
    zones: dict[int, list[Zone]] = {}
    rows = {row["id"]: row for row in store.promises(tx)}
    for row in store.zones(tx):
        by = CostBy(rows[row["promise_id"]]["cost_by"])
        steps = delivery.parse_steps(row["steps"], by, currency)
        countries = frozenset(row["countries"].split(","))
        zone = Zone(countries, row["first_days"], row["last_days"], steps, row["free_from"])
        zones.setdefault(row["promise_id"], []).append(zone)
    promises = {
        key: Promise(key, row["name"], CostBy(row["cost_by"]), zones.get(key, []), row["version"])
        for key, row in rows.items()
    }
    stands = store.stand_for(tx)
    return SaidOfDelivery(
        promises,
        next((one["promise_id"] for one in stands if one["type_id"] is None and one["category_id"] is None), None),
        {one["type_id"]: one["promise_id"] for one in stands if one["type_id"] is not None},
        {one["category_id"]: one["promise_id"] for one in stands if one["category_id"] is not None},
        working_of(store.working(tx)),
    )


def working_of(row: WorkingRow | None) -> Working:
    """When the shop works."""
    if row is None:
        return Working()
    return Working(
        frozenset(map(int, row["days"])),
        time.fromisoformat(row["cut_off"]),
        delivery.parse_closed(row["closed"]),
    )


def carriage_of(rows: Sequence[OwnCarriageRow]) -> Carriage:
    """What is said of single goods, from its rows."""
    return Carriage(
        {row["country"]: row["amount"] for row in rows if row["amount"] is not None},
        frozenset(row["country"] for row in rows if row["amount"] is None),
    )


def local_now(ctx: Context, tx: Tx) -> datetime:
    """The moment in the shop's time zone."""
    return ctx.now(tx).astimezone(ZoneInfo(ctx.settings.time_zone))
