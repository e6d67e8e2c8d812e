"""Shelves are narrowed by the prices that buyers see, whatever stands behind them."""

import random
import re
from decimal import Decimal

import pytest

from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.features.assortments import service as assortments
from graupel.features.destinations import service as destinations
from graupel.features.destinations import terms as destination_terms
from graupel.features.pricing import selling
from graupel.features.shop import articles, service, windows
from graupel.features.shop.price_filter import Span, read
from graupel.features.shop.service import Narrowed
from graupel.features.terms import taxes
from tests.making import add_outlet, make_product
from tests.needles import colour, needles, size
from tests.serving import app, stranger

__all__ = ["app", "colour", "needles", "size", "stranger"]

D = Decimal


@pytest.fixture
def goods(ctx, needles) -> list[int]:
    """Goods of three tax classes, one of them that varies, one on sale; the class of goods is the full one."""
    full = taxes.save(ctx, SYSTEM, None, "Full", [{"country": "DE", "percent": "19"}])
    half = taxes.save(ctx, SYSTEM, None, "Half", [{"country": "DE", "percent": "7", "amount": "0.25"}])
    destination_terms.save(ctx, SYSTEM, "", {"country": "DE"})
    assert full < half
    made = [
        make_product(
            ctx, f"P-{number}", price=D(number * 37 % 500) / 20, status=Status.LIVE,
            tax_class_id=half if number % 2 else None,
        )
        for number in range(1, 25)
    ]  # fmt: skip
    selling.plan(ctx, SYSTEM, {"amount": "15 %"}, selling.Goods(selling.Reach.PRODUCT, made[:6]))
    return [*made, needles]


def prices(ctx, window, product_id) -> list[Decimal]:
    """What the variants of one article cost, as its page says."""
    shown = service.product(ctx, window, product_id, None)
    found = [articles.article(ctx, shown, one.id, window) for one in shown.product.for_sale]
    return [one.offer.price for one in found if one.offer]


@pytest.mark.parametrize("tax_shown", ["with", "without"])
@pytest.mark.parametrize("where", ["", "outlet", "francs"])
def test_a_span_of_prices_has_just_the_goods_that_cost_so_much(ctx, goods, tax_shown, where):
    code = ""
    if where:
        shop = add_outlet(ctx, currency="CHF" if where == "francs" else "")
        assortments.set_shows_all(ctx, SYSTEM, destinations.read_shop(ctx, SYSTEM, shop), True)
        code = f"s{shop}"
        destination_terms.save(ctx, SYSTEM, code, {"rate": "0.9437"} if where == "francs" else {"percent": "-12"})
    destination_terms.save(ctx, SYSTEM, code, {"tax_shown": tax_shown})
    window = windows.window(ctx, "outlet" if where else "")
    cost = {one: prices(ctx, window, one) for one in goods}
    assert all(cost.values())
    dice = random.Random(f"{tax_shown}{where}")
    every = sorted({price for found in cost.values() for price in found})
    for _ in range(12):
        low, high = sorted(dice.sample(every, 2))
        span = Span(low, dice.choice([high, None]))
        shelf = service.shelf(ctx, window, None, 0, Narrowed(span=span))
        fits = {one for one, found in cost.items() if any(low <= p <= (span.high or p) for p in found)}
        assert {row["id"] for row in shelf.goods} == fits


def names(page: str) -> list[str]:
    return sorted(re.findall(r'<span class="blank"></span>([^<]+)<br>', page))


def test_a_buyer_types_a_span_and_sees_it_again(stranger, ctx):
    for number, price in enumerate(("3.00", "6.00", "9.00")):
        make_product(ctx, f"Y-{number}", name=f"Skein {number}", price=D(price))
    home = stranger.get("/shop").text
    shelf = "/shop/c/" + home.split('href="/shop/c/')[1].split('"')[0]
    assert names(stranger.get(f"{shelf}?low=4&high=9").text) == ["Skein 1", "Skein 2"]
    page = stranger.get(f"{shelf}?low=9&high=6,00").text
    assert names(page) == ["Skein 1", "Skein 2"], "turned round"
    assert 'name="low" id="low" value="6.00"' in page
    none = stranger.get(f"{shelf}?low=100").text
    assert "Nothing fits what is chosen." in none
    assert '<a class="clear" href="?">' in none
    for odd in ("x", "-1", "1e30", "9" * 30, "%00"):
        assert names(stranger.get(f"{shelf}?low={odd}").text) == ["Skein 0", "Skein 1", "Skein 2"]
    assert stranger.get(f"{shelf}?low={'9' * 4400}").status_code in (200, 422)


def test_what_is_typed_as_a_span_is_read_or_left_out():
    assert read("4", "€ 9,50", "EUR") == Span(D("4.00"), D("9.50"))
    assert read("9.50", "4", "EUR") == Span(D("4.00"), D("9.50"))
    assert (read("", "", "EUR"), bool(read("x", "4 USD", "EUR"))) == (Span(), False)


def test_a_shop_with_a_currency_of_its_own_shows_goods_once_a_rate_is_written(stranger, ctx):
    made = make_product(ctx, "Y-1", name="Skein 1", price=D("10.00"))
    shop = add_outlet(ctx, currency="CHF")
    assortments.set_shows_all(ctx, SYSTEM, destinations.read_shop(ctx, SYSTEM, shop), True)
    assert service.shelf(ctx, windows.window(ctx, "outlet"), None).goods == []
    destination_terms.save(ctx, SYSTEM, f"s{shop}", {"rate": "0.95"})
    rows = service.shelf(ctx, windows.window(ctx, "outlet"), None).goods
    assert {row["id"]: row["price_low"] for row in rows} == {made: D("9.50")}
