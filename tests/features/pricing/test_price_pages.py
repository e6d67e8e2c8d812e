"""Prices, price rules, promotions and taxes over their pages; and what buyers and channels see of them."""

import html
import json
import re
from datetime import timedelta
from decimal import Decimal

import pytest

from graupel.core.products import Status
from graupel.core.roles import SYSTEM, Role
from graupel.core.sales import Reach
from graupel.features.destinations import service as destinations
from graupel.features.destinations import terms as terms_of
from graupel.features.pricing import quantities, selling
from graupel.features.pricing.selling import Goods
from graupel.features.terms import taxes
from graupel.features.users import service as users
from tests.conftest import person
from tests.features.pricing.test_asked import local, now, on, sale
from tests.making import add_german, add_outlet, make_product, roll_back_newest
from tests.needles import by_label, colour, needles, size
from tests.serving import app, as_role, browser, stranger

__all__ = ["app", "as_role", "browser", "colour", "needles", "size", "stranger"]

D = Decimal
DAY = timedelta(days=1)


@pytest.fixture
def yarn(ctx) -> int:
    return make_product(ctx, "FEL-1", name="Fellside", price=D("9.80"), cost=D("4.00"))


def text(answer) -> str:
    return re.sub(r"\s+", " ", html.unescape(re.sub(r"<[^>]+>", " ", answer.text)))


def sales(ctx):
    return ctx.db.run(lambda tx: tx.all("SELECT id, takes_off, amount, ends FROM sale ORDER BY id"))


# --- sales ---------------------------------------------------------------------------------------------------


def test_a_sale_is_shown_before_it_is_planned_then_stands_on_the_time_line(browser, ctx, yarn):
    assert "Nothing is on sale" in browser.get("/prices").text
    raw = {"reach": "product", "products": str(yarn), "amount": "20 %", "begins": local(ctx, now(ctx) + DAY)}
    seen = text(browser.write("/prices/preview", raw))
    assert "reaches 1 variant" in seen
    assert "€9.80 €7.84" in seen
    assert sales(ctx) == []
    refused = browser.write("/prices/sales", raw | {"amount": "200 %", "ends": local(ctx, now(ctx) - DAY)})
    assert refused.status_code == 422
    assert 'value="200 %"' in refused.text
    assert "can’t be taken off" in refused.text
    made = browser.write("/prices/sales", raw)
    number = sales(ctx)[0]["id"]
    assert made.headers["HX-Redirect"] == f"/prices/sales/{number}"
    page = browser.get(f"/prices/sales/{number}").text
    assert f'data-sale="{number}"' in page
    assert "Fellside" in page
    below = text(browser.write(f"/prices/preview/{number}", {"amount": "3.00", "destination": ""}))
    assert "1 of them costs less than you paid" in below


@pytest.mark.parametrize(
    ("raw", "says"),
    [
        ({"amount": ""}, "Say what it costs"),
        ({"amount": "7.9055"}, "more than two decimals"),
        ({"amount": "12345678901"}, "is more than"),
        ({"ends": "2020-01-01T00:00"}, "ends before it begins"),
        ({"begins": "2027-03-28T02:30"}, "does not exist"),
        ({"begins": "soon"}, "no day and time"),
        ({"destination": "c99"}, "not there any more"),
        ({"reach": ""}, "Choose for which goods"),
        ({"reach": "choice"}, "Choose for which goods"),
    ],
)
def test_what_can_not_be_planned_is_said_and_nothing_is_lost(browser, ctx, yarn, raw, says):
    typed = {"reach": "product", "products": str(yarn), "amount": "7.90", "title": "Winter in the yard"} | raw
    answer = browser.write("/prices/sales", typed)
    assert answer.status_code == 422
    assert says in html.unescape(answer.text)
    assert "Winter in the yard" in answer.text
    assert sales(ctx) == []


def test_a_sale_is_moved_stretched_ended_and_taken_back(browser, ctx, yarn):
    number = sale(ctx, on(yarn), "7.90", 2, 5)
    moved = {"begins": local(ctx, now(ctx) + 3 * DAY), "ends": local(ctx, now(ctx) + 9 * DAY)}
    assert browser.write(f"/prices/sales/{number}/move", moved | {"product": str(yarn)}).status_code == 200
    ends = ctx.db.run(lambda tx: selling.with_goods(tx, number)).ends
    assert abs(ends - (now(ctx) + 9 * DAY)) < timedelta(minutes=2)
    wrong = browser.write(f"/prices/sales/{number}/move", moved | {"ends": local(ctx, now(ctx))})
    assert (wrong.status_code, "end before it begins" in wrong.text) == (422, True)
    assert "not on at this moment" in html.unescape(browser.write(f"/prices/sales/{number}/end", {}).text)
    assert browser.write(f"/prices/sales/{number}/delete", {}).headers["HX-Redirect"] == "/prices"
    assert sales(ctx) == []
    roll_back_newest(ctx)
    assert len(sales(ctx)) == 1


def test_two_people_on_one_sale_are_brought_together(browser, ctx, yarn):
    number = sale(ctx, on(yarn), "7.90", 2, 5, title="Winter")
    page = browser.get(f"/prices/sales/{number}").text
    form = page[page.index('id="sale-form"') :]
    marks = html.unescape(re.search(r'name="marks" value="([^"]*)"', form)[1])
    selling.save(ctx, SYSTEM, number, {"amount": "6.90", "title": "Winter"})
    kept = {"title": "Late winter", "amount": "7.90", "marks": marks}
    assert browser.write(f"/prices/sales/{number}", kept).status_code == 200
    assert (sales(ctx)[0]["amount"], ctx.db.run(lambda tx: selling.with_goods(tx, number)).title) == (
        D("6.90"),
        "Late winter",
    )
    both = browser.write(f"/prices/sales/{number}", {"amount": "5.90", "marks": marks})
    assert both.status_code == 422
    assert "changed this while you were working" in both.text
    assert 'value="5.90"' in both.text


def test_what_is_worth_a_look_is_counted_and_narrows_the_time_line(browser, ctx, yarn):
    other = make_product(ctx, "FEL-2", name="Quarry", price=D("9.80"), cost=D("1.00"))
    sale(ctx, on(yarn), "3.00", 3, 9)
    sale(ctx, on(other), "12.00", 10, 12)
    page = text(browser.get("/prices"))
    assert "1 below cost" in page
    assert "1 lowers nothing for some" in page
    assert "1 begins this week" in page
    narrowed = browser.get("/prices?only=below_cost").text
    assert "Fellside" in narrowed
    assert "Quarry" not in narrowed


# --- rules, promotions, quantity prices, margins -------------------------------------------------------------


def test_a_price_rule_is_kept_and_what_is_wrong_with_it_stands_beside_its_field(browser, ctx, yarn):
    outlet = f"s{add_outlet(ctx)}"
    wrong = browser.write(f"/prices/rules/{outlet}", {"percent": "-101", "ending": "ninety"})
    assert wrong.status_code == 422
    assert 'value="-101"' in wrong.text
    assert "is no ending of a price" in wrong.text
    assert browser.write(
        f"/prices/rules/{outlet}", {"percent": "-15", "ending": ".x4", "ending_way": "down"}
    ).is_success
    lens = destinations.read_all(ctx).lens(outlet)
    assert lens.rule.in_words == "15 % less, ending .x4 down"
    why = text(browser.get(f"/prices/why?product={yarn}&lens={outlet}"))
    assert "Why 8,24 € at Last Skeins?" in why.replace("\xa0", " ")
    assert "price rule of Last Skeins: 15 % less, ending .x4 down" in why
    roll_back_newest(ctx)
    assert destinations.read_all(ctx).lens(outlet).rule is None
    assert as_shown(browser.get(f"/products/{yarn}?lens={outlet}").text, "price") == ""


def as_shown(page: str, name: str) -> str:
    return re.search(rf'id="in-{name}"[^>]* value="([^"]*)"', page)[1]


def test_a_promotion_is_made_given_to_a_sale_and_goes_when_nothing_belongs_to_it(browser, ctx, yarn):
    raw = {"name": "Winter", "code": "WINTER-26", "kind": "reduced", "begins": "2026-12-01T00:00", "ends": ""}
    assert "is of letters" in browser.write("/prices/promotions", raw | {"code": "win ter"}).text
    assert browser.write("/prices/promotions", raw).is_success
    assert "has the id" in browser.write("/prices/promotions", raw).text
    number = ctx.db.run(lambda tx: tx.value("SELECT id FROM promotion"))
    sale(ctx, on(yarn), "7.90", 2, 5, promotion=str(number))
    assert "belongs to “Winter”" in browser.write(f"/prices/promotions/{number}/delete", {}).text
    roll_back_newest(ctx)
    assert "None yet" in browser.write(f"/prices/promotions/{number}/delete", {}).text


def test_quantity_prices_are_typed_as_rows_and_wrong_ones_are_named(browser, ctx, yarn):
    wrong = browser.write(f"/prices/products/{yarn}/quantities", {"from": ["1", "10"], "amount": ["9.00", "x"]})
    assert wrong.status_code == 422
    assert "Write 2 or more" in wrong.text
    right = {"from": ["5", "", "10"], "amount": ["9.00", "", "15 %"]}
    assert browser.write(f"/prices/products/{yarn}/quantities", right).is_success
    assert "from 10 pieces: 15 % off" in text(browser.get(f"/prices/why?product={yarn}&quantity=12"))
    assert "Why €9.80" in text(browser.get(f"/prices/why?product={yarn}&quantity=4"))
    roll_back_newest(ctx)
    assert "from 10 pieces:" not in text(browser.get(f"/prices/why?product={yarn}&quantity=12"))


def marks_in(page: str) -> str:
    return html.unescape(re.findall(r'name="marks" value="([^"]*)"', page)[-1])


def test_what_two_people_change_at_once_is_asked_about_and_then_taken(browser, as_role, ctx, yarn):
    part = browser.get(f"/products/{yarn}").text
    mine = marks_in(part[part.index('id="sales"') : part.index('id="delivery"')])
    quantities.save(ctx, SYSTEM, yarn, [{"from": "6", "amount": "9.00"}])
    typed = {"from": ["8"], "amount": ["8.00"], "marks": mine}
    asked = browser.write(f"/prices/products/{yarn}/quantities", typed)
    assert asked.status_code == 409
    assert "changed this while you were working" in asked.text
    assert 'value="8.00"' in asked.text
    assert browser.write(f"/prices/products/{yarn}/quantities", typed | {"marks": marks_in(asked.text)}).is_success
    assert "from 8 pieces: 8.00" in text(browser.get(f"/prices/why?product={yarn}&quantity=9"))
    outlet = f"s{add_outlet(ctx)}"
    page = browser.get("/prices/rules").text
    form = page[page.index(f'id="rule-{outlet}"') :]
    seen = html.unescape(re.search(r'name="marks" value="([^"]*)"', form)[1])
    terms_of.save(ctx, SYSTEM, outlet, {"percent": "-10"})
    assert browser.write(f"/prices/rules/{outlet}", {"percent": "-20", "marks": seen}).status_code == 409
    assert browser.write(f"/prices/rules/{outlet}", {"percent": "", "amount": "1.00", "marks": seen}).is_success
    assert destinations.read_all(ctx).lens(outlet).rule.in_words == "10 % less, 1.00 more", (
        "what only one changed stays"
    )
    owner = as_role(Role.OWNER)
    number = taxes.save(ctx, SYSTEM, None, "Full", [{"country": "DE", "percent": "19"}])
    shown = owner.get("/delivery").text
    shown = shown[shown.index(f"/delivery/classes/{number}") :]
    seen = html.unescape(re.search(r'name="marks" value="([^"]*)"', shown)[1])
    taxes.save(ctx, SYSTEM, number, "Full", [{"country": "DE", "percent": "20"}])
    late = {"name": "Full", "country": "DE", "begins": "", "percent": "21", "amount": "", "marks": seen}
    assert owner.write(f"/delivery/classes/{number}", late).status_code == 409


def test_a_margin_gives_the_price_with_tax_and_ending(browser, ctx):
    def worked(**asked):
        answer = browser.get("/prices/worked-out", params=asked)
        return answer.json()

    assert worked(cost="6.00", margin="40 %") == {"price": "10.00", "margin": "40.0 %", "markup": "66.7 %"}
    assert worked(cost="6.00", markup="50")["price"] == "9.00"
    assert worked(margin="40")["wrong"] == ["Type the cost first: margin and markup are worked out from it."]
    assert "below 100 %" in worked(cost="1", margin="100")["wrong"][0]
    terms_of.save(ctx, SYSTEM, "", {"ending": ".90", "ending_way": "up", "country": "DE"})
    taxes.save(ctx, SYSTEM, None, "Full", [{"country": "DE", "percent": "19"}])
    assert worked(cost="6.00", margin="40 %")["price"] == "11.90"
    assert worked(price="12.10")["price"] == "12.90"


def test_the_mirror_warns_of_prices_and_takes_them_all_the_same(browser, ctx, yarn):
    typed = {"name": "Fellside", "sku": "FEL-1", "status": "live", "cost": "4.00"}
    assert "below the cost of 4.00" in text(browser.write(f"/products/mirror/{yarn}", typed | {"price": "3.00"}))
    assert "% more than 9.80" in text(browser.write(f"/products/mirror/{yarn}", typed | {"price": "98.00"}))
    seen = text(browser.write(f"/products/mirror/{yarn}", typed | {"price": "5.00", "contents": "50 g"}))
    assert "€10.00 per 100 g" in seen
    assert "Margin 20.0 %, markup 25.0 %" in seen
    assert "no weight" in browser.write(f"/products/{yarn}", typed | {"price": "5", "contents": "much"}).text


# --- taxes, and the shop window ------------------------------------------------------------------------------


def test_taxes_show_nowhere_until_they_are_set_up_then_as_the_shop_says(as_role, stranger, ctx, yarn):
    owner = as_role(Role.OWNER)
    assert "tax" not in text(stranger.get(f"/shop/p/{yarn}"))
    assert "no taxes are set up" in owner.get("/delivery").text
    wrong = owner.write(
        "/delivery/classes", {"name": "", "country": "DE", "begins": "", "percent": "101", "amount": ""}
    )
    assert wrong.status_code == 422
    rates = {"name": "Full rate", "country": ["DE", "DE"], "begins": ["2021-01-01", "2090-01-01"]}
    assert owner.write("/delivery/classes", rates | {"percent": ["19", "25"], "amount": ["", ""]}).is_success
    assert owner.write("/delivery/terms/main", {"country": "DE", "tax_shown": "both"}).is_success
    page = text(stranger.get(f"/shop/p/{yarn}"))
    assert "€9.80" in page
    assert "19 % tax included" in page
    assert "€8.24 without tax" in page
    assert owner.write("/delivery/terms/main", {"tax_shown": "without"}).is_success
    assert "€8.24 plus 19 % tax" in text(stranger.get(f"/shop/p/{yarn}"))
    assert "€8.24" in text(stranger.get("/shop"))
    used = ctx.db.run(lambda tx: tx.value("SELECT id FROM tax_class"))
    other = taxes.save(ctx, SYSTEM, None, "Recording media", [{"country": "DE", "amount": "2.00"}])
    assert "it is the usual one" in html.unescape(owner.write(f"/delivery/classes/{used}/delete", {}).text)
    typed = {"name": "Fellside", "sku": "FEL-1", "price": "0.00", "status": "live", "tax_class_id": str(other)}
    category = ctx.db.run(lambda tx: tx.value("SELECT category_id FROM product WHERE id = %s", [yarn]))
    saved = owner.write(f"/products/{yarn}", typed | {"category_id": str(category)})
    assert saved.status_code == 200
    terms_of.save(ctx, SYSTEM, "", {"typed_with_tax": "no", "tax_shown": "with"})
    why = text(owner.get(f"/prices/why?product={yarn}"))
    assert "fixed charge of class Recording media 2.00" in why
    assert "paid with tax 2.00" in why


def test_buyers_see_the_sale_the_measure_the_steps_and_until_when(stranger, ctx, needles):
    add_german(ctx)
    one = by_label(ctx, needles)["Oat, 3 mm"]
    sale(ctx, Goods(Reach.VARIANT, [needles], [one.id]), "4.80", -1, 3)
    quantities.save(ctx, SYSTEM, needles, [{"from": "6", "amount": "10 %"}, {"from": "12", "amount": "4.00"}])
    page = text(stranger.get(f"/shop/de/p/{needles}?v={one.id}")).replace("\xa0", " ")
    assert "4,80 € 6,40 €" in page
    assert "ab 12 Stück: je 4,00 €" in page
    assert "ab 6 Stück" not in page, "10 % off 6.40 is more than the sale asks"
    assert re.search(r"bis \d+\. \w+ \d{4}", page)
    said = stranger.get(f"/shop/p/{needles}?v={one.id}").text
    offer = json.loads(re.search(r'<script type="application/ld\+json">(.*?)</script>', said)[1])["offers"]
    assert offer["price"] == "4.80"
    assert offer["validThrough"][:10] >= offer["priceValidUntil"], "the moment, and the last day"
    assert offer["priceSpecification"][0]["price"] == "6.40"
    fooled = text(stranger.get(f"/shop/p/{needles}?v=99999999"))
    assert "€4.80 to €6.40" in fooled


def test_programs_read_what_is_asked_and_until_when(ctx, stranger, needles, yarn):
    secret = users.make_token(ctx, person(ctx, Role.OWNER), "Till", Role.VIEWER)
    sale(ctx, on(yarn), "7.90", -1, 3)
    api = {"Authorization": f"Bearer {secret}"}
    read = stranger.get(f"/api/v1/products/{yarn}", headers=api).json()["variants"][0]
    assert (read["price"]["amount"], read["asked"]["amount"]) == ("9.80", "7.90")
    assert read["asked_until"] is not None
    listed = stranger.get("/api/v1/variants", headers=api).json()["items"]
    assert {one["asked"]["amount"] for one in listed if one["product_id"] == yarn} == {"7.90"}


def test_a_draft_is_on_sale_too_but_nobody_sees_it(stranger, ctx):
    draft = make_product(ctx, "D-1", status=Status.DRAFT)
    sale(ctx, on(draft), "7.90")
    assert stranger.get(f"/shop/p/{draft}").status_code == 404
