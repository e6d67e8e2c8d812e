"""What a page of the shop window says to machines: JSON-LD with the words of schema.org.

Source: schema.org's Product, ProductGroup, Offer, AggregateOffer, AggregateRating, Review, BreadcrumbList, ItemList.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from decimal import Decimal
from enum import StrEnum
from typing import Any

from graupel.core.availability import Sells, Standing
from graupel.core.delivery import Sent, Zone

_CONTEXT = "https://schema.org"


class Availability(StrEnum):
    """Whether something can be had, in schema.org's words."""

    IN_STOCK = "InStock"
    LIMITED = "LimitedAvailability"
    BACK_ORDER = "BackOrder"
    OUT_OF_STOCK = "OutOfStock"


_STANDING = {
    Standing.IN: Availability.IN_STOCK,
    Standing.UNCOUNTED: Availability.IN_STOCK,
    Standing.LOW: Availability.LIMITED,
    Standing.LATER: Availability.BACK_ORDER,
}


def availability(sells: Sells) -> Availability:
    """Of one variant; what is only announced can't be ordered yet."""
    return _STANDING.get(sells.standing, Availability.OUT_OF_STOCK)


def starts(sells: Sells) -> date | None:
    """The day from which a variant can be had that can't be now."""
    return sells.rules.coming_on if sells.standing is Standing.COMING else sells.back_on


def best(found: Iterable[Availability]) -> Availability:
    """Of several variants: the best that one of them has."""
    there = set(found)
    return next((one for one in Availability if one in there), Availability.OUT_OF_STOCK)


@dataclass(frozen=True)
class Said:
    """An article as a page shows it; all addresses are whole ones.

    ``low`` and ``high``: what its variants cost, equal where it is one; None where nothing has a price. ``offers``: how
    many variants can be bought. ``is_group``: no variant is chosen yet. ``differs_by``: names of its axes. ``was``:
    what is crossed out; ``until``: when the price ends, by the shop's clock; ``unit``: by a measure; ``taxed``: tax
    is in the price. ``starts``: the day from which it can be had; ``quantities``: least and most of an order.
    ``sent``: how it goes to the shop's own country, and ``carriage`` what that costs.
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
    was: Decimal | None = None
    until: datetime | None = None
    unit: tuple[Decimal, str] | None = None
    taxed: bool = True
    starts: date | None = None
    quantities: tuple[Decimal, Decimal | None] | None = None
    sent: Sent | None = None
    carriage: Decimal | None = None
    rating: "Rating | None" = None


@dataclass(frozen=True)
class Rating:
    """What buyers think of an article: the mean of so many stars, how many said so, and the newest as name, stars,
    words and language."""

    mean: Decimal
    best: int
    count: int
    newest: Sequence[tuple[str, int, str, str]] = ()


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
        **(_rated(said.rating) if said.rating else {}),
    }
    if said.is_group:
        found |= {"productGroupID": said.group, "variesBy": list(said.differs_by)}
    elif said.group:
        found["inProductGroupWithID"] = said.group
    return _without_empty(found)


def _rated(rating: Rating) -> dict[str, Any]:
    """AggregateRating, and a Review of each that is shown."""

    def stars(value: object) -> dict[str, Any]:
        return {"@type": "Rating", "ratingValue": f"{value}", "bestRating": f"{rating.best}"}

    return {
        "aggregateRating": {
            "@type": "AggregateRating",
            "ratingValue": f"{rating.mean}",
            "bestRating": f"{rating.best}",
            "reviewCount": rating.count,
        },
        "review": [
            {
                "@type": "Review",
                "author": {"@type": "Person", "name": name},
                "reviewRating": stars(given),
                "reviewBody": words,
                "inLanguage": lang,
            }
            for name, given, words, lang in rating.newest
        ],
    }


def _offers(said: Said) -> dict[str, Any] | None:
    if said.low is None or said.high is None:
        return None
    availability = f"{_CONTEXT}/{said.availability}"
    about = {"priceCurrency": said.currency, "url": said.address, "availability": availability}
    if said.is_group:
        spread = {"lowPrice": f"{said.low:.2f}", "highPrice": f"{said.high:.2f}", "offerCount": said.offers}
        return {"@type": "AggregateOffer", **spread, **about}
    offer: dict[str, Any] = {"@type": "Offer", "price": f"{said.low:.2f}", **about}
    if said.until:  # the moment, and the last day on which the price holds: priceValidUntil is a Date
        last = (said.until - timedelta(microseconds=1)).date()
        offer |= {"validThrough": said.until.isoformat(timespec="minutes"), "priceValidUntil": last.isoformat()}
    if said.starts:
        offer["availabilityStarts"] = said.starts.isoformat()
    if said.quantities:
        least, most = said.quantities
        bounds = {"minValue": f"{least:f}", "maxValue": None if most is None else f"{most:f}"}
        offer["eligibleQuantity"] = _without_empty({"@type": "QuantitativeValue", **bounds})
    if said.sent and said.sent.to:
        offer["shippingDetails"] = _shipping(said, said.sent, said.sent.to)
    specified = _specifications(said)
    return offer | ({"priceSpecification": specified} if specified else {})


def _shipping(said: Said, sent: Sent, zone: Zone) -> dict[str, Any]:
    """OfferShippingDetails: where to, what it costs, and how many days of work it is under way."""
    transit = {"@type": "QuantitativeValue", "minValue": zone.first, "maxValue": zone.last, "unitCode": "DAY"}
    rate = {"@type": "MonetaryAmount", "value": f"{said.carriage:.2f}", "currency": said.currency}
    return _without_empty(
        {
            "@type": "OfferShippingDetails",
            "shippingRate": None if said.carriage is None else rate,
            "shippingDestination": {"@type": "DefinedRegion", "addressCountry": sent.country},
            "deliveryTime": {"@type": "ShippingDeliveryTime", "transitTime": transit},
        }
    )


#: UN/CEFACT codes of the measures by which prices are told (Recommendation 20).
_MEASURES = {"g": "GRM", "kg": "KGM", "ml": "MLT", "l": "LTR", "m": "MTR", "m²": "MTK", "piece": "C62"}


def _specifications(said: Said) -> list[dict[str, Any]]:
    """The price again where more is said of it: whether tax is in it, what it was, and by measure."""
    common = {"priceCurrency": said.currency, "valueAddedTaxIncluded": said.taxed}
    found: list[dict[str, Any]] = []
    if said.was is not None:
        was = {"@type": "UnitPriceSpecification", "priceType": f"{_CONTEXT}/StrikethroughPrice"}
        found.append({**was, "price": f"{said.was:.2f}", **common})
    if said.unit and said.low is not None:
        amount, per = said.unit
        number, _, sign = per.rpartition(" ")
        measure = {"@type": "QuantitativeValue", "value": number or "1", "unitCode": _MEASURES.get(sign, "")}
        unit = {"@type": "UnitPriceSpecification", "price": f"{amount:.2f}", **common}
        found.append({**unit, "referenceQuantity": _without_empty(measure)})
    if not said.taxed and not found:
        found.append({"@type": "UnitPriceSpecification", "price": f"{said.low:.2f}", **common})
    return found


def way(steps: Sequence[tuple[str, str]]) -> dict[str, Any]:
    """The way to a page, from the top: names and whole addresses."""
    items = [
        {"@type": "ListItem", "position": place, "name": name, "item": {"@type": "WebPage", "@id": address}}
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
