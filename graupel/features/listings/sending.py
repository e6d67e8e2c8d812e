"""Asking that a product be sent to a channel, or its listing ended: what was asked last is done."""

from dataclasses import dataclass
from typing import Any

from graupel.context import Context
from graupel.core.errors import Refused
from graupel.core.listings import AT_CHANNEL, ListingState
from graupel.core.problems import Problem
from graupel.core.products import Status
from graupel.core.readiness import Finding
from graupel.core.roles import SYSTEM, Actor, Role
from graupel.db import Tx
from graupel.features.history import service as history
from graupel.features.listings import behind, store
from graupel.features.listings import standing as standings
from graupel.features.listings.connecting import channel_row
from graupel.features.listings.rows import ChannelRow, ListingRow
from graupel.features.listings.standing import Standing
from graupel.features.products import service as products
from graupel.features.products.service import Product
from graupel.jobs import JobRequest, enqueue


def request_send(ctx: Context, actor: Actor, product_id: int, channel_id: int) -> int:
    """Send a product to a channel in the background; returns the job's id. Raises Refused where something blocks it."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        standing = _locked(ctx, tx, product_id, channel_id)
        blocking = [finding for finding in standing.findings if finding.blocks]
        if blocking or standing.listing is None:
            raise Refused([Problem(f.code, f.message, f.field) for f in blocking])
        title = f"Send {standing.goods.values.name} to {standing.channel['name']}"
        return _ask(tx, actor, standing, ListingState.SENDING, "sent to", title, product_id)

    return ctx.db.run(work)


def request_end(ctx: Context, actor: Actor, product_id: int, channel_id: int) -> int:
    """End a listing in the background; returns the job's id. Raises Refused where there is none to end."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        standing = _locked(ctx, tx, product_id, channel_id)
        if standing.listing is None or standing.state not in (*AT_CHANNEL, ListingState.FAILED):
            raise Refused.because("listing.none", f"There is no listing on {standing.channel['name']} to end.")
        title = f"End {standing.goods.values.name} on {standing.channel['name']}"
        return _ask(tx, actor, standing, ListingState.ENDING, "ended on", title, product_id)

    return ctx.db.run(work)


def _locked(ctx: Context, tx: Tx, product_id: int, channel_id: int) -> Standing:
    channel = channel_row(tx, channel_id)
    shown = standings.through(ctx, tx, channel, products.load(ctx, tx, product_id, lock=True))
    return standings.of_channel(ctx, tx, channel, shown)


def _ask(tx: Tx, actor: Actor, standing: Standing, state: ListingState, what: str, title: str, product_id: int) -> int:
    assert standing.listing is not None
    listing_id = int(standing.listing["id"])
    said = f"{standing.title} {what} {standing.channel['name']}"
    with history.change_set(tx, actor, "listing.state", said) as recorder:
        before, version = {"state": standing.listing["state"]}, standing.listing["version"] + 1
        recorder.changed("listing", listing_id, before, {"state": str(state)}, version)
    asked = store.ask(tx, listing_id, state)
    request = JobRequest(
        "listings.settle", title, {"listing_id": listing_id, "asked": asked}, f"/products/{product_id}#channels"
    )
    return enqueue(tx, actor, request)


# --- for the worker ------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Dispatch:
    """A listing ready to go out, or why it can't."""

    listing: ListingRow
    channel: ChannelRow
    product: Product
    payload: dict[str, Any]
    fingerprint: str
    blocking: list[Finding]

    @property
    def is_live(self) -> bool:
        """Whether the product may stay on a channel."""
        return self.product.values.status is Status.LIVE


def dispatch(ctx: Context, tx: Tx, listing_id: int) -> Dispatch:
    """What would be sent for a listing now. Raises NotFound."""
    standing, channel, product = standings.listing_standing(ctx, tx, listing_id)
    assert standing.listing is not None
    sent, fingerprint = standings.payload(standing)
    blocking = [finding for finding in standing.findings if finding.blocks]
    return Dispatch(standing.listing, channel, product, sent, fingerprint, blocking)


def note_sent(ctx: Context, tx: Tx, sent: Dispatch) -> None:
    """Keep what was sent; where the product changed while it was under way, it is sent once more."""
    now = dispatch(ctx, tx, sent.listing["id"])
    stale = now.fingerprint != sent.fingerprint
    store.set_sent(tx, sent.listing["id"], sent.fingerprint, ctx.now(tx), stale=stale)
    if stale:
        behind.enqueue_catch_up(tx, SYSTEM, sent.channel)
