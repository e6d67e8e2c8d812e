"""What the shop window tells machines, as a reader of the web finds it, held against schema.org's own vocabulary."""

from dataclasses import replace
from datetime import date, timedelta
from decimal import Decimal

import pytest

from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.features.delivery import service as delivery
from graupel.features.destinations import terms as destination_terms
from graupel.features.pricing import selling
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.terms import taxes
from tests import schemaorg
from tests.making import add_german, add_outlet, make_product
from tests.needles import by_label, colour, needles, size
from tests.serving import app, stranger

__all__ = ["app", "colour", "needles", "size", "stranger"]

D = Decimal


@pytest.fixture
def shop(ctx):
    """Two languages, taxes, a delivery promise, and a sale for everything."""
    add_german(ctx)
    destination_terms.save(ctx, SYSTEM, "", {"country": "DE", "shows_lowest": "yes"})
    taxes.save(ctx, SYSTEM, None, "Full", [{"country": "DE", "percent": "19"}])
    rows = [{"countries": "DE", "days": "1-2", "steps": "3.90", "free_from": "50"}]
    delivery.save_promise(ctx, SYSTEM, None, {"name": "Parcel"}, rows, delivery.Stands(shop=True))
    soon = ctx.db.run(ctx.now) + timedelta(days=3)
    raw = {"amount": "10 %", "begins": "", "ends": f"{soon:%Y-%m-%dT%H:%M}", "name": "All less"}
    selling.plan(ctx, SYSTEM, raw, selling.Goods(selling.Reach.ALL))


def article(stranger, product_id: int, more: str = "") -> tuple[dict, str]:
    address = f"/shop/p/{product_id}{more}"
    page = stranger.get(address).text
    found = schemaorg.described(page, "https://shop.example" + address)
    return found[0], page


def test_one_article_with_all_that_can_be_said_of_it(stranger, ctx, shop):
    made = make_product(
        ctx, "H-1", name="Hill yarn", gtin="9521234567897", brand="Fellside", price=D("9.80"), contents="50 g",
        short_text="Round & soft.", stock=3, weight_g=50, order_least=D(2), order_most=D(10), status=Status.LIVE,
        category="Yarn > Lace",
        picture_side=600,
    )  # fmt: skip
    said, page = article(stranger, made)
    offer = said["offers"]
    assert (said["@type"], said["gtin"], said["brand"]["name"]) == ("Product", "9521234567897", "Fellside")
    assert {"price", "priceValidUntil", "priceSpecification", "shippingDetails", "eligibleQuantity"} <= offer.keys()
    assert (offer["price"], offer["availability"]) == ("8.82", schemaorg.IRI + "LimitedAvailability")
    told = schemaorg.told(page, "https://shop.example")
    assert told["title"].startswith("Hill yarn")
    assert (told["type"], told["image"], told["url"]) == ("product", said["image"][0], said["url"])
    way = schemaorg.described(page, "https://shop.example")[1]
    assert [one["name"] for one in way["itemListElement"]] == ["Yarn", "Lace", "Hill yarn"]
    values = products.read(ctx, SYSTEM, made).values
    later = date.today() + timedelta(days=40)
    saving.save(ctx, SYSTEM, made, replace(values, coming_on=later), None)
    said, _ = article(stranger, made)
    assert (said["offers"]["availability"], said["offers"]["availabilityStarts"]) == (
        schemaorg.IRI + "OutOfStock",
        later.isoformat(),
    )


def test_a_group_and_its_variants(stranger, ctx, shop, needles):
    group, _ = article(stranger, needles)
    assert (group["@type"], group["offers"]["@type"]) == ("ProductGroup", "AggregateOffer")
    assert group["variesBy"] == ["Colour", "Size"]
    assert group["offers"]["offerCount"] == len(products.read(ctx, SYSTEM, needles).for_sale)
    one = by_label(ctx, needles)["Oat, 3 mm"]
    chosen, _ = article(stranger, needles, f"?v={one.id}")
    assert (chosen["@type"], chosen["inProductGroupWithID"], chosen["sku"]) == (
        "Product",
        group["productGroupID"],
        one.sku,
    )
    assert D(group["offers"]["lowPrice"]) <= D(chosen["offers"]["price"]) <= D(group["offers"]["highPrice"])


def test_shelves_pages_in_other_languages_and_of_another_shop(stranger, ctx, shop, needles):
    make_product(ctx, "L-1", name="Lace", status=Status.LIVE, category="Yarn > Lace", price=D(3))
    add_outlet(ctx)
    for path in ("/shop", "/shop/de", f"/shop/de/p/{needles}", "/shop/outlet"):
        answer = stranger.get(path)
        assert answer.status_code == 200, path
        schemaorg.described(answer.text, "https://shop.example" + path)
        assert schemaorg.told(answer.text, "https://shop.example")["title"]
    home = stranger.get("/shop").text
    shelf = "/shop/c/" + home.split('href="/shop/c/')[1].split('"')[0]
    (listed, *_) = schemaorg.described(stranger.get(shelf).text, "https://shop.example")
    assert (listed["@type"], len(listed["mainEntity"]["itemListElement"])) == ("CollectionPage", 2)


@pytest.mark.parametrize(
    ("path", "value"),
    [
        (("offers", "availability"), "https://schema.org/Instock"),
        (("offers", "price"), {}),
        (("offers", "priceValidUntil"), "tomorrow"),
        (("offers", "@type"), "Ofer"),
        (("brand", "@type"), "Offer"),
        (("image",), []),
        (("name",), ""),
        (("nme",), "Hill yarn"),
    ],
)
def test_what_is_not_as_the_standard_says_is_found(path, value):
    offer = {"@type": "Offer", "price": "9.80", "priceCurrency": "EUR", "availability": schemaorg.IRI + "InStock"}
    brand = {"@type": "Brand", "name": "Fellside"}
    said = {"@context": "https://schema.org", "@type": "Product", "name": "Hill yarn", "brand": brand, "offers": offer}
    assert schemaorg.wrong_with(said) == []
    within = said
    for name in path[:-1]:
        within = within[name]
    within[path[-1]] = value
    assert schemaorg.wrong_with(said)
