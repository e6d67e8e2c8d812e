"""Orders as people look at them: all of them, and one with its lines as they were when it was ordered."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any

from graupel.context import Context
from graupel.core import orders as rules
from graupel.core.errors import NotFound
from graupel.core.orders import Report, Stack, Told
from graupel.core.roles import Actor, Role
from graupel.core.stock import show
from graupel.db import Tx
from graupel.features.downloads import giving
from graupel.features.downloads.giving import Link
from graupel.features.orders import basket_store, placed_store, service, store
from graupel.features.orders.rows import (
    BuyerFileRow,
    ListedOrderRow,
    OrderLineRow,
    OrderRow,
    PlacedLineRow,
    PlacedRow,
    ReportRow,
)

PAGE = 50


@dataclass(frozen=True)
class Listed:
    """A page of orders. ``before``: the id before which the next page begins, 0 where there is none; ``goods``: what
    each has, in words."""

    orders: Sequence[ListedOrderRow]
    goods: Mapping[int, str]
    before: int
    to_pay: int
    to_send: int


def list_orders(ctx: Context, actor: Actor, stack: Stack, search: str, before: int) -> Listed:
    """The orders of a stack, from the newest on."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> Listed:
        rows = placed_store.listed(tx, stack, search, before, PAGE + 1)
        shown = rows[:PAGE]
        goods: dict[int, list[str]] = {}
        for one in placed_store.goods(tx, [row["id"] for row in shown]):
            goods.setdefault(one["order_id"], []).append(f"{show(one['quantity'])} × {one['name']}")
        words = {key: ", ".join(said) for key, said in goods.items()}
        return Listed(shown, words, rows[PAGE - 1]["id"] if len(rows) > PAGE else 0, *_to_do(tx))

    return ctx.db.run(work)


def to_do(ctx: Context, actor: Actor) -> tuple[int, int]:
    """How many orders are to be paid, and how many to be sent."""
    actor.require(Role.VIEWER)
    return ctx.db.run(_to_do)


def _to_do(tx: Tx) -> tuple[int, int]:
    return placed_store.count(tx, Stack.PAY), placed_store.count(tx, Stack.SEND)


@dataclass(frozen=True)
class Chosen:
    """What a buyer chose with a line. ``file``: what was handed in."""

    label: str
    said: str
    amount: Decimal
    once: Decimal
    file: BuyerFileRow | None = None


@dataclass(frozen=True)
class Position:
    """A line of an order, as it was ordered. ``came_back``: how many of its SKU did."""

    row: PlacedLineRow
    chosen: Sequence[Chosen]
    came_back: Decimal


@dataclass(frozen=True)
class Order:
    """An order. ``placed``: None where another shop front reported it; ``reported``: lines of such a one, by what they
    did to stock; ``reports``: all that was told of it, in words of ``Told``; ``links``: what can be downloaded.
    """

    row: OrderRow
    placed: PlacedRow | None
    positions: Sequence[Position]
    reported: Sequence[OrderLineRow]
    reports: Sequence[tuple[ReportRow, Mapping[str, Decimal]]]
    standing: rules.Standing
    links: Sequence[Link] = ()

    @property
    def taxes(self) -> list[tuple[str, Decimal]]:
        """The tax that is in it, by percent."""
        found: Mapping[str, str] = json.loads(self.placed["taxes"]) if self.placed else {}
        return [(percent, Decimal(tax)) for percent, tax in found.items()]

    @property
    def can_return(self) -> dict[str, Decimal]:
        """How many of each SKU may still come back."""
        return rules.returnable(Report(Told(row["told"]), lines) for row, lines in self.reports)


def read(ctx: Context, actor: Actor, order_id: int) -> Order:
    """One order. Raises NotFound."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: _with_links(ctx, tx, load(tx, order_id)))


def _with_links(ctx: Context, tx: Tx, found: Order) -> Order:
    return replace(found, links=giving.of_order(ctx, tx, found.row["id"]))


def read_page(ctx: Context, secret: str) -> Order:
    """The order of a buyer's page. Raises NotFound."""
    return ctx.db.run(lambda tx: _with_links(ctx, tx, load(tx, page_of(tx, secret)["id"])))


def page_of(tx: Tx, secret: str) -> PlacedRow:
    """The order of a buyer's page, without its lines. Raises NotFound."""
    found = placed_store.by_secret(tx, secret)
    if found is None:
        raise NotFound("There is no such order.")
    return found


def load(tx: Tx, order_id: int) -> Order:
    """One order. Raises NotFound."""
    row = store.order_of(tx, order_id)
    if row is None:
        raise NotFound("There is no such order.")
    lines = placed_store.lines(tx, order_id)
    reports = [(one, service.lines_of(one)) for one in store.reports_of(tx, order_id)]
    known = [Report(Told(one["told"]), counts) for one, counts in reports]
    claims = rules.claims(known)
    chosen: dict[int, list[dict[str, Any]]] = {one["id"]: json.loads(one["chosen"]) for one in lines}
    files = basket_store.files(tx, [one["file"] for said in chosen.values() for one in said if one["file"]])
    positions = [
        Position(
            one,
            [
                Chosen(
                    said["label"], said["said"], Decimal(said["amount"]), Decimal(said["once"]), files.get(said["file"])
                )
                for said in chosen[one["id"]]
            ],
            claims[one["sku"].upper()].returned if one["sku"].upper() in claims else Decimal(0),
        )
        for one in lines
    ]
    return Order(
        row,
        placed_store.placed(tx, order_id),
        positions,
        store.lines_of(tx, order_id),
        reports,
        rules.standing(known),
    )
