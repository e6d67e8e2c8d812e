"""What a page of the shop window says to machines: JSON-LD with the words of schema.org.

Source: schema.org's Product, ProductGroup, Offer, AggregateOffer, BreadcrumbList and ItemList.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum
from typing import Any

_CONTEXT = "https://schema.org"


class Availability(StrEnum):
    """Whether something can be had, in schema.org's words."""

    IN_STOCK = "InStock"
    BACK_ORDER = "BackOrder"
    OUT_OF_STOCK = "OutOfStock"


def availability(stock: int | None, sells_without_stock: bool) -> Availability:
    """Of one variant; ``stock`` None: not counted, so that it can always be had."""
    if stock is None or stock > 0:
        return Availability.IN_STOCK
    return Availability.BACK_ORDER if sells_without_stock else Availability.OUT_OF_STOCK


def best(found: Iterable[Availability]) -> Availability:
    """Of several variants: the best that one of them has."""
    there = set(found)
    return next((one for one in Availability if one in there), Availability.OUT_OF_STOCK)


@dataclass(frozen=True)
class Said:
    """An article as a page shows it; all addresses are whole ones.

    ``low`` and ``high``: what its variants cost, equal where it is one; None where nothing has a price. ``offers``: how
    many variants can be bought. ``is_group``: no variant is chosen yet. ``differs_by``: names of its axes.
    """

    address: str
    name: str
    description: str
    brand: str
    sku: str
    gtin: str
    pictures: Sequence[str]
    facts: Sequence[tuple[str, str]]
    low: Decimal | None
    high: Decimal | None
    currency: str
    offers: int
    availability: Availability
    is_group: bool
    group: str
    differs_by: Sequence[str]


def article(said: Said) -> dict[str, Any]:
    """An article: a Product, or the ProductGroup of its variants."""
    found: dict[str, Any] = {
        "@context": _CONTEXT,
        "@type": "ProductGroup" if said.is_group else "Product",
        "url": said.address,
        "name": said.name,
        "description": said.description,
        "image": list(said.pictures),
        "brand": {"@type": "Brand", "name": said.brand} if said.brand else None,
        "sku": said.sku,
        "gtin": said.gtin,
        "additionalProperty": [{"@type": "PropertyValue", "name": name, "value": value} for name, value in said.facts],
        "offers": _offers(said),
    }
    if said.is_group:
        found |= {"productGroupID": said.group, "variesBy": list(said.differs_by)}
    elif said.group:
        found["inProductGroupWithID"] = said.group
    return _without_empty(found)


def _offers(said: Said) -> dict[str, Any] | None:
    if said.low is None or said.high is None:
        return None
    availability = f"{_CONTEXT}/{said.availability}"
    about = {"priceCurrency": said.currency, "url": said.address, "availability": availability}
    if said.is_group:
        spread = {"lowPrice": f"{said.low:.2f}", "highPrice": f"{said.high:.2f}", "offerCount": said.offers}
        return {"@type": "AggregateOffer", **spread, **about}
    return {"@type": "Offer", "price": f"{said.low:.2f}", **about}


def way(steps: Sequence[tuple[str, str]]) -> dict[str, Any]:
    """The way to a page, from the top: names and whole addresses."""
    items = [
        {"@type": "ListItem", "position": place, "name": name, "item": address}
        for place, (name, address) in enumerate(steps, 1)
    ]
    return {"@context": _CONTEXT, "@type": "BreadcrumbList", "itemListElement": items}


def shelf(name: str, address: str, description: str, goods: Sequence[str]) -> dict[str, Any]:
    """A page of goods; ``goods``: the whole addresses of what stands on it, in order."""
    items = [{"@type": "ListItem", "position": place, "url": url} for place, url in enumerate(goods, 1)]
    found = {
        "@context": _CONTEXT,
        "@type": "CollectionPage" if goods else "WebPage",
        "url": address,
        "name": name,
        "description": description,
        "mainEntity": {"@type": "ItemList", "itemListElement": items} if goods else None,
    }
    return _without_empty(found)


def _without_empty(found: Mapping[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in found.items() if value not in (None, "", [])}
