"""When goods arrive and what delivery costs, as buyers read it."""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from graupel.context import Context
from graupel.core import countries
from graupel.core.availability import Sells, Standing
from graupel.core.delivery import Sent, Way
from graupel.core.phrases import phrase
from graupel.core.price_rules import decimals
from graupel.core.resolve import inherited
from graupel.db import Tx
from graupel.features.delivery import service as deliveries
from graupel.features.products.service import Variant
from graupel.features.shop import offers
from graupel.features.shop.offers import Offer
from graupel.features.shop.service import ShownProduct
from graupel.features.shop.windows import Window
from graupel.features.terms import service as terms
from graupel.web import formats

#: So many countries are named where goods go.
NAMED = 12


@dataclass(frozen=True)
class Told:
    """What a buyer is told. ``lines``: short sentences; ``sent``: to the shop's own country, for machines."""

    lines: Sequence[str] = ()
    sent: Sent | None = None
    cost: Decimal | None = None


def of_variant(
    ctx: Context, window: Window, found: ShownProduct, shown: Variant, offer: Offer | None, sells: Sells | None
) -> Told:
    """What is told of the delivery of a variant."""
    return ctx.db.run(lambda tx: _told(ctx, tx, window, found, shown, offer, sells))


def _told(
    ctx: Context,
    tx: Tx,
    window: Window,
    found: ShownProduct,
    shown: Variant,
    offer: Offer | None,
    sells: Sells | None,
) -> Told:
    lang, delivering = window.seen.language, found.delivering
    if delivering.way is Way.DOWNLOADED:
        return Told([phrase("To download after payment", lang)])
    if delivering.way is Way.SERVICE:
        return Told([phrase("A service: nothing is sent", lang)])
    home = window.terms.country or terms.written(ctx, tx).catalogue.country
    if delivering.promise is None or not home:
        return Told()
    weight = inherited(shown.weight_g, found.product.values.weight_g)
    price = offer.price if offer else None
    ready_on = sells.back_on if sells else None
    rate = _rate(ctx, window)
    if rate is None:  # amounts of another currency, to which there is no rate, are not told
        price = None
    elif rate != 1:
        delivering = delivering.converted(rate, decimals(window.shop.currency))
    sent = deliveries.sent_to(ctx, tx, delivering, home, weight, price, ready_on)
    if sent.to is None:
        return Told([phrase("Not sent to {}", lang, _country(home, window))], sent)
    cost = _shown_cost(ctx, tx, window, sent)
    return Told(
        [*_arrives(window, sent, sells), *_costs(window, sent, cost, home), *_nowhere(window, found)], sent, cost
    )


def _rate(ctx: Context, window: Window) -> Decimal | None:
    """By what the catalogue's amounts are multiplied in the shop's currency; None where nobody wrote it."""
    if window.shop.currency == ctx.settings.currency:
        return Decimal(1)
    return window.lens.rule.rate if window.lens.converts and window.lens.rule else None


def _country(code: str, window: Window) -> str:
    return countries.name(code, window.seen.locale)


def _arrives(window: Window, sent: Sent, sells: Sells | None) -> list[str]:
    """Between which days it arrives, where it can be had and it is known when it goes out."""
    unknown = sells and (not sells.can_be_had or (sells.standing is Standing.LATER and not sells.back_on))
    if sent.arrival is None or unknown:
        return []
    first, last = (formats.weekday(day, window.seen.locale) for day in (sent.arrival.first, sent.arrival.last))
    lang = window.seen.language
    return [phrase("Arrives on {}", lang, first) if first == last else phrase("Arrives {} to {}", lang, first, last)]


def _shown_cost(ctx: Context, tx: Tx, window: Window, sent: Sent) -> Decimal | None:
    """The cost as the shop shows prices: it is typed as these are, and has a tax class of its own."""
    if sent.amount is None:
        return None
    written = terms.written(ctx, tx)
    of_delivery = written.catalogue.delivery_class_id
    taxing = terms.taxing(ctx, written, window.lens, of_delivery, ctx.now(tx)) if of_delivery else None
    return offers.shown(sent.amount, taxing, window.terms.tax_shown)


def _costs(window: Window, sent: Sent, cost: Decimal | None, home: str) -> list[str]:
    lang = window.seen.language
    if cost is None:
        return []
    money = _money(cost, window) if cost else phrase("free", lang)
    said = phrase("Delivery to {}: {}", lang, _country(home, window), money)
    if cost and sent.to and sent.to.free_from is not None:
        said += ", " + phrase("free from {}", lang, _money(sent.to.free_from, window))
    return [said]


def _money(amount: Decimal, window: Window) -> str:
    return formats.money(amount, window.shop.currency, window.seen.locale)


def _nowhere(window: Window, found: ShownProduct) -> list[str]:
    """The countries to which single goods may not go, though others may."""
    codes = sorted(found.delivering.carriage.not_to)[:NAMED]
    names = ", ".join(_country(code, window) for code in codes)
    return [phrase("Not sent to {}", window.seen.language, names)] if names else []
