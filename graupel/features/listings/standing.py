"""A product as a channel sees it: what it lacks, what would be sent, and where its listing stands."""

import json
import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any

from graupel.channels import Marketplace
from graupel.context import Context
from graupel.core import languages, listings, product_fields, readiness
from graupel.core import products as product_rules
from graupel.core.errors import NotFound, Refused
from graupel.core.listings import ChannelPlace, Goods, ListingState, Offer, PictureLink, Reduced
from graupel.core.products import ProductValues
from graupel.core.quoting import Quote
from graupel.core.readiness import Finding, PictureFacts
from graupel.core.resolve import Lens
from graupel.core.roles import Actor, Role
from graupel.db import Tx
from graupel.db.rows import picked
from graupel.features.destinations.service import Seen
from graupel.features.history import service as history
from graupel.features.listings import store
from graupel.features.listings.connecting import channel_row, marketplace, without_secret
from graupel.features.listings.rows import ChannelRow, ListingRow
from graupel.features.products import asking
from graupel.features.products import service as products
from graupel.features.products.service import Product
from graupel.features.terms import service as terms
from graupel.features.terms import store as terms_store
from graupel.features.vocabulary import service as vocabulary

PAGE = 50
#: States in which the channel said last that it has something.
_SAID = (ListingState.ON_SALE, ListingState.REFUSED, ListingState.REVIEW)


@dataclass(frozen=True)
class Standing:
    """A product on a channel. ``terms``: what the channel asks, None before it has answered.

    ``is_behind``: what the channel has is not what the product is now.
    """

    channel: Mapping[str, Any]
    kind: Marketplace
    listing: ListingRow | None
    goods: Goods
    findings: list[Finding]
    terms: Mapping[str, Any] | None
    is_behind: bool = False

    @property
    def title(self) -> str:
        """Its title there."""
        return self.goods.title

    @property
    def place(self) -> ChannelPlace | None:
        """Its category there."""
        return self.goods.place

    @property
    def help(self) -> Mapping[str, str]:
        """What the channel says beside the fields."""
        return self.kind.help(self.terms) if self.terms else {}

    @property
    def state(self) -> ListingState | None:
        """Where the listing stands; None where it was never sent."""
        return ListingState(self.listing["state"]) if self.listing and self.listing["state"] else None

    @property
    def earlier_on_sale(self) -> Any:
        """When the version was sent that is for sale there, where that is not the one whose state is shown."""
        if self.listing is None or self.state not in (ListingState.REFUSED, ListingState.REVIEW, ListingState.SENDING):
            return None
        return self.listing["on_sale_as_of"]

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
        found = [of_channel(ctx, tx, row, through(ctx, tx, row, product)) for row in store.channels(tx)]
        return [replace(one, is_behind=_is_behind(one)) for one in found]

    return ctx.db.run(work)


def _is_behind(standing: Standing) -> bool:
    if standing.listing is None or standing.state not in _SAID:
        return False
    return payload(standing)[1] != str(standing.listing["sent_fingerprint"])


@dataclass(frozen=True)
class Shown:
    """A product as a channel shows it; ``asked``: what a piece of each variant costs there now, by its id, and
    ``reduced``: which of them cost less for a time."""

    product: Product
    asked: Mapping[int, Decimal]
    lens: Lens
    reduced: Mapping[int, Reduced]


def lens_of(ctx: Context, tx: Tx, channel: Mapping[str, Any]) -> Lens:
    """The lens of a channel, in its language."""
    code, default = f"c{channel['id']}", ctx.settings.language
    lang = channel["lang"] or default
    rule = terms.written(ctx, tx).of(code).rule(ctx.settings.currency, converted=False)
    return Lens(code, languages.chain(lang, lang, default), rule=rule)


def through(ctx: Context, tx: Tx, channel: Mapping[str, Any], product: Product) -> Shown:
    """The product as the channel shows it; ``product``: as kept."""
    return _through(ctx, tx, lens_of(ctx, tx, channel), product)


def _through(ctx: Context, tx: Tx, lens: Lens, product: Product) -> Shown:
    quotes = asking.of(ctx, tx, product, lens).quotes
    asked = {key: one.asked for key, one in quotes.items()}
    return Shown(products.through(product, lens), asked, lens, _reduced(tx, quotes))


def _reduced(tx: Tx, quotes: Mapping[int, Quote]) -> dict[int, Reduced]:
    """What costs less for a time, with the promotion that it belongs to."""
    sales = {key: one.sale for key, one in quotes.items() if one.sale and one.is_reduced}
    if not sales:
        return {}
    known = {row["id"]: (row["code"], row["kind"]) for row in terms_store.promotions(tx)}
    return {
        key: Reduced(quotes[key].regular, sale.begins, sale.ends, known.get(sale.promotion_id or 0))
        for key, sale in sales.items()
    }


def of_channel(ctx: Context, tx: Tx, channel: Mapping[str, Any], shown: Shown) -> Standing:
    """A product as the channel shows it, and where it stands."""
    listing = store.listing_of(tx, channel["id"], shown.product.id)
    return _standing(channel, listing, _goods(ctx, tx, channel, shown, listing))


def _standing(channel: Mapping[str, Any], listing: ListingRow | None, goods: Goods) -> Standing:
    kind = marketplace(channel)
    terms = json.loads(channel["terms"]) if channel["terms"] else None
    if terms is None:
        found = [Finding("channel.unchecked", f"{channel['name']} has not answered yet. See Channels.", "", True)]
    else:
        found = kind.findings(goods, terms)
    return Standing(without_secret(channel), kind, listing, goods, found, terms)


def _goods(ctx: Context, tx: Tx, channel: Mapping[str, Any], shown: Shown, listing: Mapping[str, Any] | None) -> Goods:
    product = shown.product
    files = zip(product.pictures, product.values.pictures, product.picture_names, strict=True)
    return Goods(
        product.values,
        (listing["title"] if listing else "") or product.values.name,
        store.place(tx, channel["id"], listing["category_code"]) if listing else None,
        [
            PictureLink(f"{ctx.settings.address}{file.link(name=name)}", file.width or 0, file.height or 0, said.alt)
            for file, said, name in files
            if file.is_picture
        ],
        _offers(ctx, tx, shown),
        ctx.settings.currency,
        product.unpriced,
    )


def _offers(ctx: Context, tx: Tx, shown: Shown) -> list[Offer]:
    product, values = shown.product, shown.product.values
    words = vocabulary.through(ctx, tx, shown.lens, product.id)
    named = {axis.attribute.id: words.attributes.get(axis.attribute.id, axis.attribute) for axis in product.axes}
    labels = {choice.id: (one.name, choice.label) for one in named.values() for choice in one.choices}
    return [
        Offer(
            one.sku,
            shown.asked.get(one.id),
            values.weight_g if one.weight_g is None else one.weight_g,
            one.gtin,
            one.mpn,
            tuple(labels[choice] for choice in one.combination if choice in labels),
            shown.reduced.get(one.id),
        )
        for one in product.for_sale
    ]


def payload(standing: Standing) -> tuple[dict[str, Any], str]:
    """What would be sent, and its fingerprint."""
    sent = standing.kind.payload(standing.goods)
    return sent, listings.fingerprint(sent)


def findings_at(
    ctx: Context, product: Product, values: ProductValues, pictures: Sequence[PictureFacts], seen: Seen
) -> list[Finding]:
    """What a product with these values lacks for the channel of a lens."""

    def work(tx: Tx) -> list[Finding]:
        channel = channel_row(tx, int(seen.lens.destination[1:]))
        shown = _through(ctx, tx, seen.lens, product)
        listing = store.listing_of(tx, channel["id"], product.id)
        goods = _goods(ctx, tx, channel, shown, listing).with_values(values)
        goods = replace(goods, pictures=[PictureLink("", one.width, one.height, one.alt) for one in pictures])
        if not listing or not listing["title"]:
            goods = replace(goods, title=values.name)
        return _standing(channel, listing, goods).findings

    return ctx.db.run(work)


# --- what stands on a channel --------------------------------------------------------------------------------


@dataclass(frozen=True)
class ListingsPage:
    """A page of a channel's listings, the newest first; ``older`` is where the next begins."""

    rows: list[ListingRow]
    older: int | None


def list_listings(ctx: Context, actor: Actor, channel_id: int, state: str | None, after: int) -> ListingsPage:
    """What stands on a channel."""
    actor.require(Role.VIEWER)
    rows = ctx.db.run(lambda tx: store.listings(tx, channel_id, ctx.settings.language, state, after, PAGE + 1))
    return ListingsPage(rows[:PAGE], rows[PAGE - 1]["id"] if len(rows) > PAGE else None)


def set_details(ctx: Context, actor: Actor, product_id: int, channel_id: int, place_code: str, title: str) -> None:
    """Say in which of the channel's categories a product stands and under which title. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    title = product_fields.one_line(title, product_rules.NAME_LENGTH, "A title", "title")

    def work(tx: Tx) -> None:
        channel = channel_row(tx, channel_id)
        if place_code and store.place(tx, channel_id, place_code) is None:
            raise Refused.because("place.unknown", f"{channel['name']} has no such category. Choose another.", "place")
        product = through(ctx, tx, channel, products.load(ctx, tx, product_id)).product
        listing = store.listing_of(tx, channel_id, product_id, lock=True)
        own_title = "" if title == product.values.name else title
        wanted = {"category_code": place_code or None, "title": own_title}
        with history.change_set(tx, actor, "listing.change", f"{product.values.name} on {channel['name']}") as recorder:
            if listing is None:
                whole = {"channel_id": channel_id, "product_id": product_id, "reference": uuid.uuid4().hex, **wanted}
                recorder.made("listing", store.insert_listing(tx, whole), whole)
            elif recorder.changed("listing", listing["id"], picked(listing, wanted), wanted, listing["version"] + 1):
                store.set_details(tx, listing["id"], wanted["category_code"], own_title)

    ctx.db.run(work)


def listing_standing(ctx: Context, tx: Tx, listing_id: int) -> tuple[Standing, ChannelRow, Product]:
    """Where a listing stands now, with its channel's row and the product as shown there. Raises NotFound."""
    listing = store.listing(tx, listing_id)
    if listing is None:
        raise NotFound("This listing is gone.")
    channel = channel_row(tx, listing["channel_id"])
    shown = through(ctx, tx, channel, products.load(ctx, tx, listing["product_id"]))
    return _standing(channel, listing, _goods(ctx, tx, channel, shown, listing)), channel, shown.product
