"""What buyers are given: links that can't be guessed, that count a download when all of it was sent, and end."""

import json
import secrets
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from graupel.context import Context
from graupel.core import downloads as rules
from graupel.core.downloads import Given, Span, Standing
from graupel.core.errors import NotFound
from graupel.core.roles import Actor, Role
from graupel.db import Tx
from graupel.features.downloads import keeping, service, store
from graupel.features.downloads.rows import GivenRow, VersionRow
from graupel.features.downloads.service import Download

#: A download that nothing was heard of for so long is not under way any more.
UNDER_WAY = timedelta(seconds=90)


@dataclass(frozen=True)
class Bought:
    """A variant of a product that stands in a line of an order, by itself or as a part of a kit."""

    line_id: int
    variant_id: int
    product_id: int


def give(tx: Tx, now: datetime, order_id: int, goods: Iterable[Bought], buyer: str) -> int:
    """Give what belongs to the goods of an order, once; returns how many. ``now``: UTC."""
    bought = dict.fromkeys(goods)
    found = service.of_variants(tx, {one.variant_id: one.product_id for one in bought})
    number = 0
    for line_id, variant_id in ((one.line_id, one.variant_id) for one in bought):
        for one in found.get(variant_id, ()):
            days = one.row["days"]
            number += 1
            store.give(
                tx,
                {
                    "order_id": order_id,
                    "line_id": line_id,
                    "download_id": one.id,
                    "download_version_id": one.newest["id"],
                    "secret": secrets.token_urlsafe(24),
                    "buyer": buyer[:300],
                    "most": one.row["times"],
                    "until_at": now.replace(tzinfo=None) + timedelta(days=days) if days else None,
                },
            )
    return number


def close(tx: Tx, order_id: int) -> None:
    """What a cancelled order was given can't be had any more."""
    store.close_all(tx, order_id)


@dataclass(frozen=True)
class Link:
    """What a buyer was given, as pages show it. ``version``: the one that the link leads to."""

    row: GivenRow
    download: Download
    version: VersionRow
    standing: Standing

    @property
    def left(self) -> int | None:
        """How often it can still be had; None without end."""
        return Given(self.row["taken"], self.row["most"]).left


def of_order(ctx: Context, tx: Tx, order_id: int) -> list[Link]:
    """What an order was given."""
    rows = store.given_with(tx, order_id)
    found = service.load(tx, [row["download_id"] for row in rows])
    return [_link(ctx, tx, row, found[row["download_id"]]) for row in rows if row["download_id"] in found]


def _link(ctx: Context, tx: Tx, row: GivenRow, found: Download) -> Link:
    bought = next((one for one in found.versions if one["id"] == row["download_version_id"]), found.newest)
    version = found.newest if found.row["renews"] else bought
    return Link(row, found, version, _given(row).standing(ctx.now(tx).replace(tzinfo=None)))


def _given(row: GivenRow, under_way: int = 0) -> Given:
    return Given(row["taken"], row["most"], row["until_at"], bool(row["closed"]), under_way)


def read(ctx: Context, secret: str) -> Link:
    """What a link leads to. Raises NotFound."""

    def work(tx: Tx) -> Link:
        row = store.given(tx, secret)
        if row is None:
            raise NotFound("There is no such download.")
        return _link(ctx, tx, row, service.there(tx, row["download_id"]))

    return ctx.db.run(work)


@dataclass(frozen=True)
class Ready:
    """A file that is about to be sent. ``counts``: as a download; what is only played does not."""

    path: Path
    name: str
    size: int
    given_id: int
    version_id: int
    who: bytes
    counts: bool


def begin(ctx: Context, secret: str, who: bytes, *, counts: bool) -> Ready | Standing:
    """Begin to send what a link leads to, to somebody: with the last of it nobody else can begin meanwhile.

    Raises NotFound, NoRoom.
    """
    link = read(ctx, secret)
    path = keeping.path_of(ctx, link.version["kept_as"])
    if link.download.row["stamped"] and link.download.ending == "pdf" and not link.version["trouble"]:
        path = keeping.stamped(ctx, link.version, link.row)
    if not path.exists():
        raise NotFound("The file is not there any more.")

    def work(tx: Tx) -> Standing:
        row = store.given(tx, secret, lock=True)
        if row is None:
            raise NotFound("There is no such download.")
        now = ctx.now(tx).replace(tzinfo=None)
        found = _given(row, store.others_under_way(tx, row["id"], who, now) if counts else 0).standing(now)
        if found is Standing.OPEN and counts:
            store.begin_run(tx, row["id"], who, link.version["id"], now + UNDER_WAY)
        return found

    standing = ctx.db.run(work)
    if standing is not Standing.OPEN:
        return standing
    name = link.version["file_name"]
    return Ready(path, name, path.stat().st_size, link.row["id"], link.version["id"], who, counts)


def sent(ctx: Context, ready: Ready, span: Span) -> None:
    """Note that a part was sent; with the last of them it counts as one download."""

    def work(tx: Tx) -> None:
        row = store.given_by_id(tx, ready.given_id)
        run = store.run(tx, ready.given_id, ready.who, ready.version_id)
        if row is None or run is None:
            return
        now = ctx.now(tx).replace(tzinfo=None)
        spans = rules.joined([*((one[0], one[1]) for one in json.loads(run["spans"])), span])
        if rules.is_whole(spans, ready.size):
            store.end_run(tx, run["id"])
            store.update_given(tx, row["id"], {"taken": row["taken"] + 1, "last_at": now})
        else:
            store.update_run(tx, run["id"], json.dumps(spans), now + UNDER_WAY)

    if ready.counts:
        ctx.db.run(work)


def open_again(ctx: Context, actor: Actor, given_id: int) -> int:
    """Let a buyer have a download again, as often and as long as it was given at first; returns its order's id.

    Raises NotFound.
    """
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        row = store.given_by_id(tx, given_id)
        if row is None:
            raise NotFound("This download is not there any more.")
        days = service.there(tx, row["download_id"]).row["days"]
        until = ctx.now(tx).replace(tzinfo=None) + timedelta(days=days) if days else None
        most = None if row["most"] is None else max(row["most"], 1)
        values: dict[str, Any] = {"taken": 0, "most": most, "until_at": until, "closed": 0}
        store.update_given(tx, given_id, values)
        return row["order_id"]

    return ctx.db.run(work)
