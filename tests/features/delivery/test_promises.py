"""Delivery promises, days of work and what single goods say of delivery, over their pages and in the shop window."""

import html
import json
import re
from dataclasses import replace
from datetime import datetime, timedelta
from decimal import Decimal

import pytest

from graupel.core.errors import NotAllowed, Refused
from graupel.core.products import Status
from graupel.core.roles import SYSTEM, Role
from graupel.features.assortments import service as assortments
from graupel.features.delivery import carriage, service
from graupel.features.delivery.service import Stands
from graupel.features.destinations import service as destinations
from graupel.features.destinations import terms as destination_terms
from graupel.features.pricing import quantities
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.terms import deliveries, delivery_store, taxes
from graupel.features.terms import service as terms
from graupel.features.variants import copying
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary import types
from tests.forms import form_of
from tests.making import add_german, add_outlet, make_product, roll_back_newest
from tests.serving import app, as_role, browser, stranger

__all__ = ["app", "as_role", "browser", "stranger"]

D = Decimal
ROWS = [
    {"countries": "DE", "days": "1-2", "steps": "up to 1 kg 3.90, up to 5 kg 5.90", "free_from": "50"},
    {"countries": "Austria, FR", "days": "3", "steps": "9.90", "free_from": ""},
]


def text(answer) -> str:
    return re.sub(r"\s+", " ", html.unescape(re.sub(r"<[^>]+>", " ", answer.text)))


@pytest.fixture
def yarn(ctx) -> int:
    destination_terms.save(ctx, SYSTEM, "", {"country": "DE"})
    return make_product(ctx, "FEL-1", name="Fellside", price=D("9.80"), weight_g=100, stock=10, status=Status.LIVE)


def promise(ctx, name="Parcel", rows=ROWS, **stands) -> int:
    raw = {"name": name, "cost_by": "weight"}
    return service.save_promise(ctx, SYSTEM, None, raw, rows, Stands(**({"shop": True} | stands)))


def change(ctx, product_id, **given):
    values = products.read(ctx, SYSTEM, product_id).values
    saving.save(ctx, SYSTEM, product_id, replace(values, **given), None)


def named(ctx, product_id) -> tuple[str, str]:
    found = ctx.db.run(lambda tx: service.of_product(ctx, tx, products.load(ctx, tx, product_id)))
    return (found.promise.name if found.promise else "", found.by)


def test_a_promise_is_made_changed_and_taken_away_and_goes_back(browser, ctx, yarn):
    assert "no delivery is promised yet" in text(browser.get("/delivery"))
    form = {name: [row[name] for row in ROWS] for name in ROWS[0]}
    page = browser.write("/delivery/promises", data={"name": "Parcel", "for_shop": "1", **form})
    assert "1 delivery promise" in text(page)
    (made,) = service.read(ctx, SYSTEM).promises.values()
    assert [(sorted(one.countries), one.first, one.last, one.free_from) for one in made.zones] == [
        *((["DE"], 1, 2, D("50.00")), (["AT", "FR"], 3, 3, None))
    ]
    assert 'value="up to 1 kg 3.90, up to 5 kg 5.90"' in page.text
    wrong = form | {"days": ["4-2", "3"], "countries": ["DE", "DE"]}
    refused = browser.write(f"/delivery/promises/{made.id}", data={"name": "Post", **wrong})
    assert (refused.status_code, "ends before it begins" in text(refused), 'value="4-2"' in refused.text) == (
        422,
        True,
        True,
    )
    browser.write(
        f"/delivery/promises/{made.id}",
        data={"name": "Post", "countries": "DE", "days": "2", "steps": "", "free_from": ""},
    )
    (changed,) = service.read(ctx, SYSTEM).promises.values()
    assert (changed.name, len(changed.zones), service.read(ctx, SYSTEM).of_shop) == ("Post", 1, None)
    roll_back_newest(ctx)
    assert service.read(ctx, SYSTEM).promises[made.id] == replace(
        made, version=service.read(ctx, SYSTEM).promises[made.id].version
    )
    change(ctx, yarn, promise_id=made.id)
    assert "One product names it" in text(browser.write(f"/delivery/promises/{made.id}/delete"))
    change(ctx, yarn, promise_id=None)
    browser.write(f"/delivery/promises/{made.id}/delete")
    assert not service.read(ctx, SYSTEM).promises
    roll_back_newest(ctx)
    assert service.read(ctx, SYSTEM).of_shop == made.id


def test_the_nearest_promise_counts(ctx, yarn):
    category = products.read(ctx, SYSTEM, yarn).values.category_id
    assert named(ctx, yarn) == ("", "")
    promise(ctx)
    assert named(ctx, yarn) == ("Parcel", "shop")
    promise(ctx, "Heavy", shop=False, categories=[category])
    assert named(ctx, yarn) == ("Heavy", "category")
    own = promise(ctx, "Letter", shop=False)
    change(ctx, yarn, promise_id=own)
    assert named(ctx, yarn) == ("Letter", "product")
    change(ctx, yarn, promise_id=None)
    promise(ctx, "Newer", shop=True, categories=[category])
    assert named(ctx, yarn) == ("Newer", "category"), "what another stood for, it stands for no more"
    with pytest.raises(Refused, match="already"):
        promise(ctx, "newer")


def test_days_of_work_are_said_once(browser, ctx, yarn):
    refused = browser.write("/delivery/working", data={"cut_off": "14:00"})
    assert "at least one day of work" in text(refused)
    browser.write("/delivery/working", data={"days": ["0", "5"], "cut_off": "11:30", "closed": "2026-12-24"})
    working = service.read(ctx, SYSTEM).working
    assert (sorted(working.days), f"{working.cut_off:%H:%M}", len(working.closed)) == ([0, 5], "11:30", 1)
    roll_back_newest(ctx)
    assert sorted(service.read(ctx, SYSTEM).working.days) == [0, 1, 2, 3, 4]


def offers(answer):
    found = re.search(r'<script type="application/ld\+json"[^>]*>(.*?)</script>', answer.text, re.S)
    return json.loads(found[1])["offers"]


def test_an_article_says_when_it_arrives_what_that_costs_and_where_it_does_not_go(
    stranger, browser, ctx, yarn, monkeypatch
):
    add_german(ctx)
    promise(ctx)
    zone = deliveries.ZoneInfo(ctx.settings.time_zone)
    monkeypatch.setattr(deliveries, "local_now", lambda ctx, tx: datetime(2026, 11, 26, 12, tzinfo=zone))
    page = stranger.get(f"/shop/p/{yarn}")
    assert "Arrives Friday, 27 November to Monday, 30 November Delivery to Germany: €3.90, free from €50.00" in text(
        page
    )
    assert offers(page)["shippingDetails"] == {
        "@type": "OfferShippingDetails",
        "shippingRate": {"@type": "MonetaryAmount", "value": "3.90", "currency": "EUR"},
        "shippingDestination": {"@type": "DefinedRegion", "addressCountry": "DE"},
        "deliveryTime": {
            "@type": "ShippingDeliveryTime",
            "transitTime": {"@type": "QuantitativeValue", "minValue": 1, "maxValue": 2, "unitCode": "DAY"},
        },
    }
    assert "Versand nach Deutschland" in text(stranger.get(f"/shop/de/p/{yarn}"))
    rows = {"country": ["DE", "FR", ""], "amount": ["7.50", "not sent", ""]}
    browser.write(f"/products/{yarn}/delivery", data=rows)
    said = text(stranger.get(f"/shop/p/{yarn}"))
    assert "Delivery to Germany: €7.50" in said
    assert "Not sent to France" in said
    refused = browser.write(f"/products/{yarn}/delivery", data={"country": ["DE", "DE"], "amount": ["1", "x"]})
    assert (refused.status_code, "is not a price" in text(refused)) == (422, True)
    browser.write(f"/products/{yarn}/delivery", data={"country": "DE", "amount": "not sent"})
    assert "Not sent to Germany" in text(stranger.get(f"/shop/p/{yarn}"))
    roll_back_newest(ctx)
    change(ctx, yarn, stock=D(0), at_zero="go_on", back_on=datetime(2026, 12, 5).date() + timedelta(days=0))
    assert "Arrives Tuesday, 8 December to Wednesday, 9 December" in text(stranger.get(f"/shop/p/{yarn}"))
    change(ctx, yarn, delivered="downloaded")
    assert "To download after payment" in text(stranger.get(f"/shop/p/{yarn}"))
    change(ctx, yarn, delivered="service")
    assert "A service: nothing is sent" in text(stranger.get(f"/shop/p/{yarn}"))


def test_only_what_is_shipped_asks_for_weight_size_and_carriage(browser, ctx, yarn):
    promise(ctx)
    change(ctx, yarn, weight_g=None, packed_size="300x200x50", customs_code="51091010")
    page = browser.get(f"/products/{yarn}").text
    assert "A weight is wanted" in page
    assert 'value="30 x 20 x 5 cm"' in page
    assert "Parcel, as the shop’s" in html.unescape(page)
    change(ctx, yarn, delivered="service")
    page = browser.get(f"/products/{yarn}").text
    assert "A weight is wanted" not in page
    assert "own-carriage" not in page


def test_a_viewer_changes_nothing_of_it(ctx, yarn, viewer):
    for act in (
        lambda: service.save_promise(ctx, viewer, None, {"name": "x"}, ROWS, Stands()),
        lambda: service.remove_promise(ctx, viewer, 1),
        lambda: service.save_working(ctx, viewer, {"days": "0"}),
        lambda: carriage.save(ctx, viewer, yarn, []),
    ):
        with pytest.raises(NotAllowed):
            act()


def zones_of(ctx, promise_id) -> list[tuple[str, int]]:
    found = service.read(ctx, SYSTEM).promises[promise_id]
    return [(",".join(sorted(one.countries)), one.last) for one in found.zones]


def test_what_two_people_write_of_a_promise_is_brought_together(browser, ctx, yarn):
    made = promise(ctx)
    path = f"/delivery/promises/{made}"
    mine = form_of(browser.get("/delivery").text, path)
    service.save_promise(ctx, SYSTEM, made, {"name": "Parcel"}, [{"countries": "DE", "days": "7"}], Stands(shop=True))
    promise(ctx, "Freight", shop=True)
    assert browser.write(path, mine | {"name": ["Small parcel"]}).is_success
    said = service.read(ctx, SYSTEM)
    assert (said.promises[made].name, zones_of(ctx, made)) == ("Small parcel", [("DE", 7)])
    assert said.promises[said.of_shop].name == "Freight", "what it stood for was changed by somebody else alone"

    mine = form_of(browser.get("/delivery").text, path)
    service.save_promise(ctx, SYSTEM, made, {"name": "Parcel"}, [{"countries": "AT", "days": "5"}], Stands())
    wanted = mine | {"days": ["8", ""]}
    late = browser.write(path, wanted)
    assert (late.status_code, "changed this while you were working" in text(late)) == (409, True)
    assert zones_of(ctx, made) == [("AT", 5)]
    again = form_of(late.text, path)
    assert (again["days"], again["name"]) == (["8", ""], ["Small parcel"]), "what was typed stands there still"
    assert browser.write(path, again).is_success
    found = service.read(ctx, SYSTEM).promises[made]
    assert (zones_of(ctx, made), found.name) == ([("DE", 8)], "Parcel"), "the name was only the other's"


def test_a_form_that_was_refused_still_knows_what_it_had_been_told(browser, ctx, yarn):
    made = promise(ctx)
    path = f"/delivery/promises/{made}"
    mine = form_of(browser.get("/delivery").text, path)
    refused = browser.write(path, mine | {"name": [""]})
    service.save_promise(ctx, SYSTEM, made, {"name": "Parcel"}, [{"countries": "DE", "days": "7"}], Stands(shop=True))
    corrected = form_of(refused.text, path) | {"name": ["Post"]}
    assert (refused.status_code, browser.write(path, corrected).status_code) == (422, 200)
    assert zones_of(ctx, made) == [("DE", 7)]


def test_rates_of_a_tax_class_stay_where_only_its_name_is_changed(as_role, ctx, yarn):
    owner = as_role(Role.OWNER)
    made = taxes.save(ctx, SYSTEM, None, "Full", [{"country": "DE", "percent": "19"}])
    mine = form_of(owner.get("/delivery").text, f"/delivery/classes/{made}")
    taxes.save(ctx, SYSTEM, made, "Full", [{"country": "DE", "percent": "20"}])
    assert owner.write(f"/delivery/classes/{made}", mine | {"name": ["Full rate"]}).is_success
    found = ctx.db.run(lambda tx: taxes.flat(tx, made))
    assert (found["name"], [one.split(": ")[1] for one in found["rates"]]) == ("Full rate", ["20.0000 %, 0.00"])
    assert "Nothing had changed." in text(
        owner.write(f"/delivery/classes/{made}", form_of(owner.get("/delivery").text, f"/delivery/classes/{made}"))
    )


def test_a_shop_with_a_currency_of_its_own_tells_what_delivery_costs_there(stranger, ctx, yarn):
    rows = [{"countries": "DE", "days": "1-2", "steps": "up to 50 3.90, 0", "free_from": "80"}]
    service.save_promise(ctx, SYSTEM, None, {"name": "Parcel", "cost_by": "value"}, rows, Stands(shop=True))
    shop = add_outlet(ctx, currency="CHF")
    assortments.set_shows_all(ctx, SYSTEM, destinations.read_shop(ctx, SYSTEM, shop), True)
    destination_terms.save(ctx, SYSTEM, f"s{shop}", {"rate": "0.95", "percent": "-10"})
    said = text(stranger.get(f"/shop/outlet/p/{yarn}"))
    assert re.search(r"3[.,]71", said), said
    assert re.search(r"76[.,]00", said), "free from what 80.00 comes to, whatever the goods' percentage"
    carriage.save(ctx, SYSTEM, yarn, [{"country": "DE", "amount": "10"}])
    assert re.search(r"9[.,]50", text(stranger.get(f"/shop/outlet/p/{yarn}")))


def test_how_goods_are_delivered_follows_their_type_until_they_say_otherwise(browser, stranger, ctx, yarn):
    promise(ctx)
    kind = vocabulary.make(ctx, SYSTEM, "type", "Pattern").id
    change(ctx, yarn, type_id=kind, weight_g=None)
    page = browser.get(f"/products/{yarn}").text
    assert ("A weight is wanted" in page, 'data-ships="yes"' in page) == (True, True)
    form = form_of(browser.get(f"/vocabulary/types/{kind}").text, f"/vocabulary/types/{kind}")
    assert browser.write(f"/vocabulary/types/{kind}", form | {"delivered": ["downloaded"]}).is_success
    page = browser.get(f"/products/{yarn}").text
    assert ("A weight is wanted" in page, 'data-ships="no"' in page) == (False, True)
    assert "downloaded, as its type" in page
    assert "own-carriage" not in page
    assert "To download after payment" in text(stranger.get(f"/shop/p/{yarn}"))
    asked = browser.write("/products/facts/new", data={"name": "New", "type_id": str(kind)})
    assert 'data-ships="no"' in asked.text, "a new product of the type is not asked for its weight"
    change(ctx, yarn, delivered="shipped")
    assert "Delivery to Germany" in text(stranger.get(f"/shop/p/{yarn}"))
    assert 'data-ships="yes"' in browser.get(f"/products/{yarn}").text
    odd = browser.write(f"/vocabulary/types/{kind}", form | {"delivered": ["by owl"]})
    assert (odd.status_code, "or a service" in odd.text) == (422, True)
    types.save(ctx, SYSTEM, kind, "Pattern", "", [], delivered="service")
    roll_back_newest(ctx)
    assert vocabulary.read(ctx).types[kind].delivered == "downloaded"


def test_a_copy_costs_in_quantities_and_on_its_way_what_its_original_does(ctx, yarn):
    carriage.save(ctx, SYSTEM, yarn, [{"country": "DE", "amount": "10"}, {"country": "US", "amount": "not sent"}])
    quantities.save(ctx, SYSTEM, yarn, [{"from": "6", "amount": "9.00"}])
    made = copying.copy(ctx, SYSTEM, yarn)
    costs = ctx.db.run(lambda tx: carriage.flat(deliveries.carriage_of(delivery_store.carriage(tx, made))))
    assert costs == {"DE": "10.00", "US": "not sent"}
    (bulk,) = ctx.db.run(lambda tx: terms.quantity_prices_of(tx, made))
    assert (bulk.from_quantity, bulk.reduction.amount) == (6, Decimal("9.00"))
