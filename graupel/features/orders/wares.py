"""What can be bought of a shop, as a basket needs it: many variants read at once, by the same rules as one."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from graupel.context import Context
from graupel.core import products as product_rules
from graupel.core.baskets import Ware
from graupel.core.choices import Choice
from graupel.core.delivery import Way
from graupel.core.price_rules import decimals
from graupel.core.products import Status
from graupel.core.resolve import inherited
from graupel.core.sending import Piece
from graupel.core.taxes import Shown, Taxing
from graupel.db import Tx
from graupel.features.assortments import service as assortments
from graupel.features.choices import reading as choices
from graupel.features.delivery import service as delivery
from graupel.features.delivery.service import Delivering
from graupel.features.destinations.service import Seen, Shop
from graupel.features.kits import reading as kits
from graupel.features.kits.reading import Kit
from graupel.features.media import service as media
from graupel.features.media.service import Media
from graupel.features.products import asking, many, picture_store, selling
from graupel.features.products import service as products
from graupel.features.products.asking import Asking
from graupel.features.products.service import Product, Variant
from graupel.features.terms import service as terms
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.service import Vocabulary


@dataclass(frozen=True)
class Place:
    """Where something is bought: a shop in one of its languages, for a buyer in a country ("": the shop's own)."""

    seen: Seen
    shop: Shop
    country: str = ""

    @property
    def tax_shown(self) -> Shown:
        """Which prices buyers are shown."""
        return self.seen.destination.terms.tax_shown


@dataclass(frozen=True)
class Stall:
    """What a shop window shows of a variant beside what a basket reckons with.

    ``variant``: its choices in words, "" of what does not vary; ``address_part``: of its article's page.
    """

    ware: Ware
    product_id: int
    name: str
    variant: str
    address_part: str
    unit: str
    delivering: Delivering
    back_on: date | None
    picture: Media | None = None

    def piece(self, line_id: int, quantity: Decimal, weight_g: int, value: Decimal) -> Piece:
        """A line of it as it is sent."""
        found = self.delivering
        return Piece(
            line_id,
            found.way,
            quantity,
            weight_g,
            value,
            found.promise,
            found.carriage.own,
            found.carriage.not_to,
            self.back_on,
        )

    @property
    def way(self) -> Way:
        """How it reaches its buyer."""
        return self.delivering.way


def load(ctx: Context, tx: Tx, place: Place, variant_ids: Sequence[int]) -> dict[int, Stall]:
    """What can be bought of some variants, by their ids: nothing of a draft, of what the shop does not show or has no
    price for, or of what is hidden because none is left."""
    found = many.load_wanted(ctx, tx, variant_ids)
    shown = assortments.shown_in(ctx, tx, place.shop)
    goods = {key: one for key, one in found.items() if key in shown and one.values.status is Status.LIVE}
    terms.foresee(tx, list(goods), ctx.now(tx) - terms.REMEMBERED)
    asked = choices.of_products(tx, list(goods))
    pictures = picture_store.main_pictures(tx, list(goods))
    files = media.by_ids(tx, [one["media_id"] for one in pictures.values()])
    words = vocabulary.through(ctx, tx, place.seen.lens)
    made_of = kits.of_products(ctx, tx, list(goods), place.seen.lens)
    stalls: dict[int, Stall] = {}
    for key, product in goods.items():
        its_own = choices.in_words(tx, asked.get(key, ()), place.seen.lens)
        picture = files.get(pictures[key]["media_id"]) if key in pictures else None
        for stall in _of_product(ctx, tx, place, product, its_own, words, picture, made_of.get(key)):
            stalls[stall.ware.variant_id] = stall
    return stalls


def _of_product(
    ctx: Context,
    tx: Tx,
    place: Place,
    product: Product,
    asked: Sequence[Choice],
    words: Vocabulary,
    picture: Media | None,
    kit: Kit | None,
) -> list[Stall]:
    lens = place.seen.lens
    priced, sells = asking.of(ctx, tx, product, lens), selling.of_product(ctx, tx, product)
    delivering = _delivering(ctx, place, delivery.of_product(ctx, tx, product))
    taxing = terms.taxing(ctx, priced.written, lens, product.values.tax_class_id, priced.now, place.country or None)
    seen = product_rules.seen(product.values, lens)
    stalls = []
    for one in product.for_sale:
        its_own = sells.sells[one.id]
        if priced.quote(one) is None or its_own.hidden:
            continue
        labels = products.choice_labels(product, one, words)
        ware = Ware(
            one.id,
            ", ".join(filter(None, (seen.name, labels))),
            one.sku,
            _asked(priced, one),
            its_own.most,
            sells.ordering[one.id],
            [*kit.picks, *asked] if kit else asked,
            priced.place.rule,
            taxing,
            inherited(one.weight_g, product.values.weight_g),
            product.values.buyer_raises,
            kit.parts if kit else (),
            product.id,
        )
        stalls.append(
            Stall(
                ware,
                product.id,
                seen.name,
                labels,
                seen.address_part,
                product.values.sold_in,
                delivering,
                its_own.back_on,
                picture,
            )
        )
    return stalls


def _asked(priced: Asking, variant: Variant) -> Callable[[int], Decimal]:
    def asked(count: int) -> Decimal:
        quote = priced.quote(variant, count)
        assert quote is not None  # whether there is a price does not depend on how many are ordered
        return quote.asked

    return asked


def rate_of(ctx: Context, place: Place) -> Decimal | None:
    """By what the catalogue's amounts are multiplied in the shop's currency; None where nobody wrote it."""
    if place.shop.currency == ctx.settings.currency:
        return Decimal(1)
    lens = place.seen.lens
    return lens.rule.rate if lens.converts and lens.rule else None


def _delivering(ctx: Context, place: Place, found: Delivering) -> Delivering:
    rate = rate_of(ctx, place)
    return found if rate is None or rate == 1 else found.converted(rate, decimals(place.shop.currency))


def carriage_taxing(ctx: Context, tx: Tx, place: Place) -> Taxing | None:
    """How delivery is taxed; None where it has no class, or taxes are not set up."""
    written = terms.written(ctx, tx)
    of_delivery = written.catalogue.delivery_class_id
    if not of_delivery:
        return None
    return terms.taxing(ctx, written, place.seen.lens, of_delivery, ctx.now(tx), place.country or None)


def wares_of(stalls: Mapping[int, Stall]) -> dict[int, Ware]:
    """What a basket reckons with, by variant."""
    return {key: one.ware for key, one in stalls.items()}
