"""What Ostlerby asks of goods, and what is sent to it."""

from collections.abc import Mapping
from typing import Any

from graupel.channels.marketplaces import ChannelClient, Terms
from graupel.channels.ostlerby.client import OstlerbyClient
from graupel.core import readiness
from graupel.core.declarations.products import CHOICES
from graupel.core.listings import Goods, Offer, Reduced
from graupel.core.quantities import format_money
from graupel.core.readiness import Finding


class Ostlerby:
    """The market hall. Its terms: title_least and title_most in characters, picture_least_side in pixels."""

    key = "ostlerby"
    name = "Ostlerby"
    example = "http://127.0.0.1:8100"
    made_of: Mapping[str, tuple[str, ...]] = {
        "product": ("name", "description", "status", "brand_id", "mpn", "price", "weight_g"),
        "variant": ("sku", "price", "weight_g", "gtin", "mpn", "archived", *CHOICES),
        "product_axis": (),
        "picture": (),
        "own_value": (),
    }
    words: Mapping[str, tuple[str, ...]] = {
        "brand": ("name",),
        "attribute": ("name",),
        "attribute_choice": ("label",),
    }

    def client(self, address: str, secret: str) -> ChannelClient:
        """Who speaks to one hall with one seller's key."""
        return OstlerbyClient(address, secret)

    def findings(self, goods: Goods, terms: Terms) -> list[Finding]:
        """What goods lack for the hall."""
        return [
            *readiness.live_and_priced(goods),
            *readiness.identified(goods),
            *readiness.titled(goods, terms["title_least"], terms["title_most"]),
            *readiness.in_end_category(goods),
            *readiness.pictured(goods, terms["picture_least_side"]),
        ]

    def payload(self, goods: Goods) -> dict[str, Any]:
        """One article with an offer for each variant; of one that varies, each offer has its own number."""
        values = goods.values
        return {
            "title": goods.title,
            "description": values.description,
            "brand": values.brand or None,
            "mpn": None if goods.varies else values.mpn or None,
            "gtin": None if goods.varies else values.gtin,
            "category": goods.place.code if goods.place else "",
            "pictures": [{"url": p.url, "width": p.width, "height": p.height} for p in goods.pictures],
            "offers": [_offer(one, goods.currency) for one in goods.offers],
        }

    def help(self, terms: Terms) -> Mapping[str, str]:
        """What is said beside the fields."""
        return {
            "title": f"{terms['title_least']} to {terms['title_most']} characters are taken.",
            "place": "Only end categories take goods.",
        }


def _reduction(reduced: Reduced, currency: str) -> dict[str, Any]:
    return {
        "was": {"amount": format_money(reduced.was), "currency": currency},
        "begins": reduced.begins.isoformat(),
        "ends": reduced.ends.isoformat() if reduced.ends else None,
        "promotion": {"id": reduced.promotion[0], "kind": reduced.promotion[1]} if reduced.promotion else None,
    }


def _offer(offer: Offer, currency: str) -> dict[str, Any]:
    said: dict[str, Any] = {
        "sku": offer.sku,
        "price": {"amount": format_money(offer.price), "currency": currency},
        "condition": "new",
        "weight_g": offer.weight_g,
    }
    if offer.reduced:
        said["reduction"] = _reduction(offer.reduced, currency)
    if offer.choices:
        said |= {
            "gtin": offer.gtin,
            "mpn": offer.mpn or None,
            "choices": [{"name": name, "value": value} for name, value in offer.choices],
        }
    return said
