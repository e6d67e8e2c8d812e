"""Connecting channels, and sending products to them."""

import json
import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any
from urllib.parse import urlsplit

from graupel.channels import ChannelClient, client_of
from graupel.context import Context
from graupel.core import languages, readiness
from graupel.core import listings as rules
from graupel.core import products as product_rules
from graupel.core.errors import NotFound, Refused
from graupel.core.listings import AT_CHANNEL, ListingState, PictureLink
from graupel.core.problems import Problem
from graupel.core.products import ProductValues, Status
from graupel.core.readiness import ChannelPlace, ChannelTerms, Finding, PictureFacts
from graupel.core.resolve import Lens
from graupel.core.roles import SYSTEM, Actor, Role
from graupel.db import Tx
from graupel.features.destinations.service import Destination, Seen
from graupel.features.history import service as history
from graupel.features.listings import store
from graupel.features.products import mirrors
from graupel.features.products import service as products
from graupel.features.products.service import Product
from graupel.features.products.summary import TouchedProducts
from graupel.jobs import JobRequest, Urgency, enqueue

KINDS = {"ostlerby": "Ostlerby"}
PAGE = 50
_AT_CHANNEL = tuple(map(str, AT_CHANNEL))


def list_channels(ctx: Context, actor: Actor) -> list[dict[str, Any]]:
    """Channels without their secrets, each with the number of listings by state."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> list[dict[str, Any]]:
        return [_without_secret(row) | {"states": store.states(tx, row["id"])} for row in store.channels(tx)]

    return ctx.db.run(work)


def read_channel(ctx: Context, actor: Actor, channel_id: int) -> dict[str, Any]:
    """One channel, as list_channels gives it. Raises NotFound."""
    found = next((row for row in list_channels(ctx, actor) if row["id"] == channel_id), None)
    if found is None:
        raise NotFound(f"There is no channel {channel_id}.")
    return found


def _without_secret(row: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in row.items() if name != "secret"} | {"has_secret": bool(row["secret"])}


def connect(ctx: Context, actor: Actor, kind: str, address: str, secret: str) -> int:
    """Connect a channel, or connect it anew; an empty secret keeps the one it has. Returns its id. Raises Refused."""
    actor.require(Role.OWNER)
    problems = []
    address = address.strip().rstrip("/")
    if urlsplit(address).scheme not in ("http", "https") or not urlsplit(address).hostname or len(address) > 300:
        problems.append(Problem("address.wrong", "Write the whole address, such as http://127.0.0.1:8100.", "address"))
    if kind not in KINDS:
        problems.append(Problem("kind.unknown", "This kind of channel is not known.", "kind"))

    def work(tx: Tx) -> int:
        known = next((row for row in store.channels(tx) if row["kind"] == kind), None)
        key = secret.strip() or (known["secret"] if known else "")
        if not key:
            problems.append(Problem("secret.missing", "The key that the channel gave you is needed.", "secret"))
        if problems:
            raise Refused(problems)
        with history.change_set(tx, actor, "channel.connect", f"Channel connected: {KINDS[kind]}") as recorder:
            if known:
                channel_id = int(known["id"])
                store.update_channel(tx, channel_id, address, key)
                recorder.changed(
                    "channel", channel_id, {"address": known["address"]}, {"address": address}, known["version"] + 1
                )
            else:
                channel_id = store.insert_channel(tx, kind, KINDS[kind], address, key)
                recorder.made("channel", channel_id, {"name": KINDS[kind], "address": address})
        _enqueue_check(tx, actor, channel_id, KINDS[kind])
        return channel_id

    return ctx.db.run(work)


def set_language(ctx: Context, actor: Actor, channel_id: int, lang: str) -> None:
    """In which language a channel shows goods, "" for the default one; all listings are sent anew where they differ.

    Raises Refused, NotFound.
    """
    actor.require(Role.OWNER)
    lang = languages.parse(lang) if lang and lang != ctx.settings.language else ""

    def work(tx: Tx) -> None:
        row = channel_row(tx, channel_id)
        with history.change_set(tx, actor, "channel.language", f"Language of {row['name']}") as recorder:
            if recorder.changed("channel", channel_id, {"lang": row["lang"]}, {"lang": lang}, row["version"] + 1):
                store.set_language(tx, channel_id, lang)
                store.mark_all(tx, channel_id, _AT_CHANNEL)
                _enqueue_catch_up(tx, actor, row)

    ctx.db.run(work)


def _enqueue_check(tx: Tx, actor: Actor, channel_id: int, name: str) -> int:
    return enqueue(
        tx,
        actor,
        JobRequest(
            "listings.check",
            f"Ask {name} for its terms and categories",
            {"channel_id": channel_id},
            f"/channels/{channel_id}",
        ),
    )


def request_check(ctx: Context, actor: Actor, channel_id: int) -> int:
    """Ask the channel for its terms and categories again; returns the job's id. Raises NotFound."""
    actor.require(Role.EDITOR)
    return ctx.db.run(lambda tx: _enqueue_check(tx, actor, channel_id, channel_row(tx, channel_id)["name"]))


def as_destinations(tx: Tx) -> list[Destination]:
    """Channels as destinations of the lens."""
    return [
        Destination(f"c{row['id']}", row["name"], tuple(filter(None, [row["lang"]])), link=f"/channels/{row['id']}")
        for row in store.channels(tx)
    ]


def findings_at(
    ctx: Context, product: Product, values: ProductValues, pictures: Sequence[PictureFacts], seen: Seen
) -> list[Finding]:
    """What a product with these values lacks for the channel of a lens."""

    def work(tx: Tx) -> list[Finding]:
        channel = channel_row(tx, int(seen.lens.destination[1:]))
        through = replace(products.through(product, seen.lens), values=values)
        return _standing(tx, channel, through, pictures).findings

    return ctx.db.run(work)


mirrors.register_findings("c", findings_at)


def channel_row(tx: Tx, channel_id: int) -> dict[str, Any]:
    """A channel with its secret. Raises NotFound."""
    row = store.channel(tx, channel_id)
    if row is None:
        raise NotFound(f"There is no channel {channel_id}.")
    return row


def client(row: dict[str, Any]) -> ChannelClient:
    """The client of a channel."""
    return client_of(row["kind"], row["address"], row["secret"])


@dataclass(frozen=True)
class ListingsPage:
    """A page of a channel's listings, the newest first; ``older`` is where the next begins."""

    rows: list[dict[str, Any]]
    older: int | None


def list_listings(ctx: Context, actor: Actor, channel_id: int, state: str | None, after: int) -> ListingsPage:
    """What stands on a channel."""
    actor.require(Role.VIEWER)
    rows = ctx.db.run(lambda tx: store.listings(tx, channel_id, ctx.settings.language, state, after, PAGE + 1))
    return ListingsPage(rows[:PAGE], rows[PAGE - 1]["id"] if len(rows) > PAGE else None)


# --- one product on one channel ------------------------------------------------------------------------------


@dataclass(frozen=True)
class Standing:
    """A product as a channel sees it: what it lacks, what would be sent, and where its listing stands.

    ``is_behind``: what the channel has is not what the product is now.
    """

    channel: dict[str, Any]
    listing: dict[str, Any] | None
    title: str
    place: ChannelPlace | None
    findings: list[Finding]
    terms: ChannelTerms | None
    is_behind: bool = False

    @property
    def state(self) -> ListingState | None:
        """Where the listing stands; None where it was never sent."""
        return ListingState(self.listing["state"]) if self.listing and self.listing["state"] else None

    @property
    def verdict(self) -> readiness.Verdict:
        """Whether the product may go to the channel."""
        return readiness.verdict(self.findings)

    @property
    def is_under_way(self) -> bool:
        """Whether an answer is being waited for."""
        catching_up = self.is_behind and self.verdict is not readiness.Verdict.BLOCKED
        return catching_up or self.state in (ListingState.SENDING, ListingState.REVIEW, ListingState.ENDING)


def standings(ctx: Context, actor: Actor, product: Product) -> list[Standing]:
    """The product on every channel."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> list[Standing]:
        found = [_standing(tx, row, _seen(ctx, row, product)) for row in store.channels(tx)]
        return [replace(one, is_behind=_is_behind(ctx, tx, one)) for one in found]

    return ctx.db.run(work)


def _is_behind(ctx: Context, tx: Tx, standing: Standing) -> bool:
    if standing.listing is None or standing.state not in (
        ListingState.ON_SALE,
        ListingState.REFUSED,
        ListingState.REVIEW,
    ):
        return False
    return dispatch(ctx, tx, standing.listing["id"]).fingerprint != str(standing.listing["sent_fingerprint"])


def _lens(channel: Mapping[str, Any], default: str) -> Lens:
    """The lens of a channel, in its language."""
    lang = channel["lang"] or default
    return Lens(f"c{channel['id']}", languages.chain(lang, lang, default))


def _seen(ctx: Context, channel: Mapping[str, Any], product: Product) -> Product:
    """The product as the channel shows it."""
    return products.through(product, _lens(channel, ctx.settings.language))


def _standing(
    tx: Tx, channel: dict[str, Any], product: Product, pictures: Sequence[PictureFacts] | None = None
) -> Standing:
    """``product``: as the channel shows it."""
    listing = store.listing_of(tx, channel["id"], product.id)
    terms = ChannelTerms(**json.loads(channel["terms"])) if channel["terms"] else None
    title = (listing["title"] if listing else "") or product.values.name
    place = store.place(tx, channel["id"], listing["category_code"]) if listing else None
    if terms is None:
        found = [Finding("channel.unchecked", f"{channel['name']} has not answered yet. See Channels.", "", True)]
    else:
        shown = product.facts if pictures is None else pictures
        found = readiness.for_channel(product.values, title, shown, place, terms, product.unpriced)
    return Standing(_without_secret(channel), listing, title, place, found, terms)


def places(ctx: Context, actor: Actor, channel_id: int) -> list[ChannelPlace]:
    """A channel's categories in the order of their paths."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: store.places(tx, channel_id))


def set_details(ctx: Context, actor: Actor, product_id: int, channel_id: int, place_code: str, title: str) -> None:
    """Say in which of the channel's categories a product stands and under which title. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    title = product_rules.one_line(title, product_rules.NAME_LENGTH, "A title", "title")

    def work(tx: Tx) -> None:
        channel = channel_row(tx, channel_id)
        if place_code and store.place(tx, channel_id, place_code) is None:
            raise Refused.because("place.unknown", f"{channel['name']} has no such category. Choose another.", "place")
        product = _seen(ctx, channel, products.load(ctx, tx, product_id))
        listing = store.listing_of(tx, channel_id, product_id, lock=True)
        own_title = "" if title == product.values.name else title
        wanted = {"category_code": place_code or None, "title": own_title}
        with history.change_set(tx, actor, "listing.change", f"{product.values.name} on {channel['name']}") as recorder:
            if listing is None:
                listing_id = store.insert_listing(tx, channel_id, product_id, uuid.uuid4().hex)
                recorder.made("listing", listing_id, wanted)
            else:
                listing_id = int(listing["id"])
                recorder.changed("listing", listing_id, {k: listing[k] for k in wanted}, wanted, listing["version"] + 1)
            store.set_details(tx, listing_id, wanted["category_code"], own_title)
        if listing and listing["state"] in _AT_CHANNEL:
            store.set_stale(tx, listing_id, True)
            _enqueue_catch_up(tx, actor, channel)

    ctx.db.run(work)


def request_send(ctx: Context, actor: Actor, product_id: int, channel_id: int) -> int:
    """Send a product to a channel in the background; returns the job's id. Raises Refused where something blocks it."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        channel = channel_row(tx, channel_id)
        product = _seen(ctx, channel, products.load(ctx, tx, product_id, lock=True))
        standing = _standing(tx, channel, product)
        blocking = [finding for finding in standing.findings if finding.blocks]
        if blocking or standing.listing is None:
            raise Refused([Problem(f.code, f.message, f.field) for f in blocking])
        listing_id = int(standing.listing["id"])
        _record_state(tx, actor, standing, ListingState.SENDING, "sent to")
        store.set_state(tx, listing_id, ListingState.SENDING)
        return enqueue(
            tx,
            actor,
            JobRequest(
                "listings.send",
                f"Send {product.values.name} to {channel['name']}",
                {"listing_id": listing_id},
                f"/products/{product_id}#channels",
            ),
        )

    return ctx.db.run(work)


def request_end(ctx: Context, actor: Actor, product_id: int, channel_id: int) -> int:
    """End a listing in the background; returns the job's id. Raises Refused where there is none to end."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        channel = channel_row(tx, channel_id)
        product = _seen(ctx, channel, products.load(ctx, tx, product_id))
        standing = _standing(tx, channel, product)
        if standing.listing is None or standing.state not in (*AT_CHANNEL, ListingState.FAILED):
            raise Refused.because("listing.none", f"There is no listing on {channel['name']} to end.")
        _record_state(tx, actor, standing, ListingState.ENDING, "ended on")
        store.set_state(tx, standing.listing["id"], ListingState.ENDING)
        return enqueue(
            tx,
            actor,
            JobRequest(
                "listings.end",
                f"End {product.values.name} on {channel['name']}",
                {"listing_id": standing.listing["id"]},
                f"/products/{product_id}#channels",
            ),
        )

    return ctx.db.run(work)


def _record_state(tx: Tx, actor: Actor, standing: Standing, state: ListingState, what: str) -> None:
    assert standing.listing is not None
    with history.change_set(
        tx, actor, "listing.state", f"{standing.title} {what} {standing.channel['name']}"
    ) as recorder:
        recorder.changed(
            "listing",
            standing.listing["id"],
            {"state": standing.listing["state"]},
            {"state": str(state)},
            standing.listing["version"] + 1,
        )


# --- for the worker ------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Dispatch:
    """A listing ready to go out, or why it can't."""

    listing: dict[str, Any]
    channel: dict[str, Any]
    product: Product
    payload: dict[str, Any]
    fingerprint: str
    blocking: list[Finding]


def dispatch(ctx: Context, tx: Tx, listing_id: int) -> Dispatch:
    """What would be sent for a listing now. Raises NotFound."""
    listing = store.listing(tx, listing_id)
    if listing is None:
        raise NotFound("This listing is gone.")
    channel = channel_row(tx, listing["channel_id"])
    product = _seen(ctx, channel, products.load(ctx, tx, listing["product_id"]))
    standing = _standing(tx, channel, product)
    links = [
        PictureLink(f"{ctx.settings.address}{file.link(name=name)}", file.width, file.height)
        for file, name in zip(product.pictures, product.picture_names, strict=True)
        if file.is_picture
    ]
    offers = [
        rules.Offer(
            one.sku,
            product.values.price if one.price is None else one.price,
            product.values.weight_g if one.weight_g is None else one.weight_g,
        )
        for one in product.for_sale
    ]
    place = listing["category_code"] or ""
    sent = rules.payload(product.values, standing.title, place, links, ctx.settings.currency, offers)
    return Dispatch(
        listing, channel, product, sent, rules.fingerprint(sent), [f for f in standing.findings if f.blocks]
    )


def note_sent(ctx: Context, tx: Tx, sent: Dispatch) -> None:
    """Keep what was sent; where the product changed while it was under way, it is sent once more."""
    now = dispatch(ctx, tx, sent.listing["id"])
    stale = now.fingerprint != sent.fingerprint
    store.set_sent(tx, sent.listing["id"], sent.fingerprint, stale=stale)
    if stale:
        _enqueue_catch_up(tx, SYSTEM, sent.channel)


def is_live(product: Product) -> bool:
    """Whether a product may stay on a channel."""
    return product.values.status is Status.LIVE


def _enqueue_catch_up(tx: Tx, actor: Actor, channel: dict[str, Any]) -> None:
    enqueue(
        tx,
        actor,
        JobRequest(
            "listings.catch_up",
            f"Send what changed to {channel['name']}",
            {"channel_id": channel["id"]},
            f"/channels/{channel['id']}",
            most_tries=8,
            urgency=Urgency.OFFERS,
        ),
    )


def follow_changes(tx: Tx, touched: TouchedProducts) -> None:
    """A product that changed is sent again, wherever the change came from."""
    for channel_id in store.mark_touched(tx, touched.table, _AT_CHANNEL):
        _enqueue_catch_up(tx, SYSTEM, channel_row(tx, channel_id))
