"""Stock over its pages, for programs, by mail and as a feed; and what buyers are told."""

import html
import json
import re
import socket
import threading
from contextlib import contextmanager
from dataclasses import replace
from datetime import timedelta
from decimal import Decimal

import httpx
import pytest
import uvicorn
from defusedxml import ElementTree
from starlette.testclient import TestClient

from graupel import mail, main
from graupel.core.errors import Refused
from graupel.core.products import Status
from graupel.core.roles import SYSTEM, Role
from graupel.db import DatabaseUnavailable
from graupel.features.history import service as history
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.stock import alerts, places, service, store
from graupel.features.terms import stock_store, stocks
from graupel.features.users import service as users
from graupel.features.variants import setting
from standins.post_office.app import make_app
from tests.conftest import person
from tests.making import add_german, counted, make_product, work_off
from tests.needles import by_label, colour, needles, size
from tests.serving import app, as_role, browser, stranger

__all__ = ["app", "as_role", "browser", "colour", "needles", "size", "stranger"]

D = Decimal


@pytest.fixture
def yarn(ctx) -> int:
    return make_product(ctx, "FEL-1", name="Fellside", price=D("9.80"), stock=10, status=Status.LIVE)


def text(answer) -> str:
    return re.sub(r"\s+", " ", html.unescape(re.sub(r"<[^>]+>", " ", answer.text)))


def only(ctx, product_id) -> int:
    return products.read(ctx, SYSTEM, product_id).variants[0].id


def there(ctx, variant_id) -> Decimal | None:
    return stocks.on_hand(ctx.db.run(lambda tx: stocks.held(tx, [variant_id])).get(variant_id))


# --- pages ---------------------------------------------------------------------------------------------------


def test_stock_is_found_and_booked_in_its_line(browser, ctx, yarn):
    make_product(ctx, "LOW-1", name="Nearly gone", stock=2)
    page = text(browser.get("/stock"))
    assert "2 variants counted, 1 below the threshold" in page
    assert "Location" not in page, "one who has one location never sees the word"
    assert "LOW-1" not in text(browser.get("/stock?q=fellside"))
    assert "FEL-1" not in text(browser.get("/stock?show=low"))
    line = browser.write(
        "/stock/book", data={"variant": only(ctx, yarn), "text": "+20", "shown": "10", "reason": "received"}
    )
    assert "now 30" in line.text
    refused = browser.write("/stock/book", data={"variant": only(ctx, yarn), "text": "+-3", "shown": "30"})
    assert (refused.status_code, 'value="+-3"' in refused.text) == (422, True)
    assert "“+-3” says no number" in text(refused)
    record = text(browser.get(f"/stock/of/{yarn}"))
    assert "Received +20 30" in record
    assert "Counted +10 10" in record
    assert browser.write("/stock/book", data={"variant": 999_999, "text": "+1"}).status_code == 404
    assert "Choose why" in text(
        browser.write("/stock/book", data={"variant": only(ctx, yarn), "text": "1", "reason": "sold"})
    )


def test_a_count_is_compared_before_it_is_booked(browser, ctx, yarn):
    looked = text(browser.write("/stock/count/look", data={"codes": "FEL-1 12\nNONE"}))
    assert "FEL-1 10 12 +2" in looked
    assert "Line 2: nothing has the SKU or GTIN “NONE”" in looked
    assert there(ctx, only(ctx, yarn)) == 10
    refused = browser.write("/stock/count", data={"codes": "FEL-1 12\nNONE"})
    assert (refused.status_code, "FEL-1 12\nNONE" in refused.text) == (422, True)
    assert "Counted: 1 variant changed." in text(browser.write("/stock/count", data={"codes": "FEL-1 12"}))
    assert there(ctx, only(ctx, yarn)) == 12
    assert "Counted: everything was as it stands." in text(browser.write("/stock/count", data={"codes": "FEL-1 12"}))


def test_locations_appear_with_the_second_and_goods_are_moved(browser, ctx, yarn):
    assert "All goods lie in one place" in text(browser.get("/stock/move"))
    assert "ocation" not in text(browser.get("/stock/rules")), "one who has one never sees the word"
    assert "needs a name" in text(browser.write("/stock/locations", data={"name": " "}))
    browser.write("/stock/locations", data={"name": "Market stall"})
    stall = service.said(ctx).locations[1]["id"]
    move = {"codes": "FEL-1 4", "location": 1, "to": stall}
    assert "FEL-1 10 4 6" in text(browser.write("/stock/move/look", data=move))
    assert "Moved: 1 variant." in text(browser.write("/stock/move", data=move))
    assert "Choose two locations" in text(browser.write("/stock/move", data=move | {"to": 1}))
    page = text(browser.get("/stock"))
    assert "Stock room Market stall" in page
    assert f"at-{only(ctx, yarn)}-{stall}" in browser.get(f"/stock?location={stall}").text
    assert "holds stock of one variant" in text(browser.write(f"/stock/locations/{stall}/delete"))
    browser.write(f"/stock/locations/{stall}/earlier")
    browser.write(f"/stock/locations/{stall}", data={"name": "Fair"})
    assert [one["name"] for one in service.said(ctx).locations] == ["Fair", "Stock room"]


def levels(ctx, variant) -> list[Decimal]:
    rows = ctx.db.run(lambda tx: stock_store.at_locations(tx, [variant]))
    return [row["on_hand"] for row in rows]


def test_the_grid_shows_and_sets_what_lies_at_one_location(browser, ctx, needles):
    ids = [one.id for one in by_label(ctx, needles).values()]
    here = f"/products/{needles}/variants"
    setting.set_values(ctx, SYSTEM, needles, ids, "stock", counted(9))
    assert "Colour cells by" in browser.get(here).text
    assert "Market stall" not in browser.get(here).text
    browser.write("/stock/locations", data={"name": "Market stall"})
    stall = service.said(ctx).locations[1]["id"]
    first, *_ = ids
    service.book(ctx, SYSTEM, first, stall, "4", "", "received")
    shown = text(browser.get(f"{here}?by=stock-{stall}"))
    assert "Stock Stock room Market stall What sells" in shown
    form = {"by": f"stock-{stall}", "ids": ".".join(map(str, ids[:2])), "field": "stock", "value": "=6"}
    said = text(browser.write(f"{here}/set/plan", data=form))
    assert "Stock, Market stall: =6. 2 variants change" in said
    assert ("4 → 6" in said, "0 → 6" in said) == (True, True)
    assert browser.write(f"{here}/set", data=form).is_success
    assert [levels(ctx, one) for one in ids[:2]] == [[9, 6], [9, 6]]
    whole = form | {"by": "stock"}
    assert "15 → 20" in text(browser.write(f"{here}/set/plan", data=whole | {"value": "=20"}))
    browser.write(f"{here}/set", data=whole | {"value": "=20"})
    assert levels(ctx, first) == [14, 6], "twenty in all, as the dry run said"
    browser.write(f"{here}/set", data=whole | {"value": "=4"})
    assert levels(ctx, first) == [0, 4], "taken from where it lies, in the order of use"
    browser.write(f"{here}/set", data=whole | {"value": "-6"})
    assert levels(ctx, first) == [-2, 0], "what nobody has is taken from the first"
    gone = browser.write(f"{here}/set/plan", data=form | {"by": "stock-999"})
    assert (gone.status_code, "not there any more" in text(gone)) == (422, True)
    assert browser.get(f"{here}?by=stock-999").is_success


def test_rules_are_said_for_the_shop_and_for_a_type(browser, ctx, yarn):
    assert "With steps of 6, 10 can't be ordered" in text(
        browser.write("/stock/rules/shop", data={"order_step": "6", "order_least": "10"})
    )
    browser.write("/stock/rules/shop", data={"low_stock": "12", "at_zero": "go_on"})
    editor = browser.get(f"/products/{yarn}").text
    assert "as the shop’s" in editor
    assert 'placeholder="12"' in editor
    type_id = products.read(ctx, SYSTEM, yarn).values.type_id
    assert browser.write("/stock/rules/types/9999", data={"low_stock": "1"}).status_code == 404
    if type_id:
        browser.write(f"/stock/rules/types/{type_id}", data={"low_stock": "3"})
        assert "as its type" in browser.get(f"/products/{yarn}").text


def test_the_editor_says_what_sells_and_takes_what_is_typed(browser, ctx, yarn):
    product = products.read(ctx, SYSTEM, yarn)
    page = browser.get(f"/products/{yarn}").text
    assert "Sells 10; then stops." in page
    seen = html.unescape(re.search(r'name="seen" value="([^"]*)"', page)[1])
    form = {"name": "Fellside", "sku": "FEL-1", "price": "9.80", "stock": "+5", "status": "draft", "seen": seen}
    service.book(ctx, SYSTEM, only(ctx, yarn), None, "-2", "", "sold")
    saved = browser.write(f"/products/{yarn}", data=form | {"version": product.version, "held_back": "3"})
    assert there(ctx, only(ctx, yarn)) == 13
    assert "Sells 10 of 13: 3 are held back; then stops." in html.unescape(saved.text)
    wrong = browser.write(f"/products/{yarn}", data=form | {"stock": "=", "order_step": "0.25", "order_least": "0.3"})
    assert "“=” says no number" in text(wrong)
    assert "Take 0.25 or 0.5" in text(wrong)
    assert there(ctx, only(ctx, yarn)) == 13


@pytest.mark.parametrize(
    "address",
    [
        *("/stock?show=nothing", "/stock?q=%F0%9F%A7%B6&after=%00", "/stock?location=99", "/stock/of/1?variant=-1"),
        *("/stock?after=" + "x" * 5000, "/stock/of/99999", "/stock?location=" + "9" * 40),
    ],
)
def test_odd_addresses_are_answered_with_a_sentence(browser, ctx, yarn, address):
    assert browser.get(address).status_code in (200, 404, 422)


# --- what buyers are told --------------------------------------------------------------------------------------


def described(answer):
    return json.loads(re.search(r'<script type="application/ld\+json"[^>]*>(.*?)</script>', answer.text, re.S)[1])


def change(ctx, product_id, **given):
    values = products.read(ctx, SYSTEM, product_id).values
    saving.save(ctx, SYSTEM, product_id, replace(values, **given), None)


def test_an_article_says_whether_it_can_be_had_when_and_how_many(stranger, ctx, yarn):
    add_german(ctx)
    today = ctx.db.run(lambda tx: stocks.today(ctx, tx))
    later = today + timedelta(days=9)
    page = f"/shop/p/{yarn}"

    def told() -> tuple[str, dict]:
        answer = stranger.get(page)
        return text(answer), described(answer)["offers"]

    assert "In stock" in told()[0]
    change(ctx, yarn, stock=D(0), back_on=later)
    said, offer = told()
    assert "Sold out; back on" in said
    assert (offer["availability"][19:], offer["availabilityStarts"]) == ("OutOfStock", later.isoformat())
    assert "Ausverkauft, wieder da am" in text(stranger.get(f"/shop/de/p/{yarn}"))
    change(ctx, yarn, at_zero="go_on")
    said, offer = told()
    assert "Can be ordered; sent from" in said
    assert offer["availability"].endswith("BackOrder")
    change(ctx, yarn, coming_on=later)
    assert "Coming on" in told()[0]
    change(ctx, yarn, coming_on=None, sells="never")
    assert "Not for sale at present" in told()[0]
    change(ctx, yarn, sells=None, stock=D(40), order_least=D("0.5"), order_step=D("0.1"), order_most=D(20), sold_in="m")
    said, offer = told()
    assert "Sold in steps of 0.1 m At least 0.5 m per order At most 20 m per order" in said
    assert offer["eligibleQuantity"] == {"@type": "QuantitativeValue", "minValue": "0.5", "maxValue": "20"}
    change(ctx, yarn, order_least=None, order_step=None, order_most=D(1), sold_in="")
    assert "One per order" in told()[0]


def test_a_shelf_marks_what_is_sold_out_and_can_leave_it_out(stranger, ctx, yarn):
    category = products.read(ctx, SYSTEM, yarn).values.category_id
    make_product(ctx, "GONE", name="Gone", stock=0, status=Status.LIVE, price=D(3))
    shelf = text(stranger.get(f"/shop/c/{category}"))
    assert "Gone" in shelf
    assert "Sold out" in shelf
    narrowed = text(stranger.get(f"/shop/c/{category}?had=yes"))
    assert "Fellside" in narrowed
    assert "Gone" not in narrowed.replace("Sold out", "")


def test_a_variant_that_is_sold_out_is_marked_among_its_choices_and_hidden_ones_are_not_there(stranger, ctx, needles):
    ids = {label: one.id for label, one in by_label(ctx, needles).items()}
    setting.set_values(ctx, SYSTEM, needles, list(ids.values()), "stock", counted(4))
    setting.save_one(ctx, SYSTEM, ids["Oat, 4 mm"], {"stock": counted(0)})
    setting.save_one(ctx, SYSTEM, ids["Rust, 4 mm"], {"stock": counted(0), "at_zero": "hide", "price": D("1.11")})
    chosen = stranger.get(f"/shop/p/{needles}?v={ids['Oat, 4 mm']}")
    assert "Sold out" in text(chosen)
    assert re.search(r'class="way gone[^"]*"[^>]*aria-current="true"', chosen.text)
    hidden = stranger.get(f"/shop/p/{needles}?v={ids['Rust, 4 mm']}")
    assert described(hidden)["@type"] == "ProductGroup", "the address does not bring back what is hidden"
    assert "1.11" not in hidden.text, "nor does the product cost as little as what is hidden"
    shelf = f"/shop/c/{products.read(ctx, SYSTEM, needles).values.category_id}"
    assert "1.11" not in stranger.get(shelf).text
    assert f"/shop/p/{needles}" not in stranger.get(f"{shelf}?high=2").text
    setting.save_one(ctx, SYSTEM, ids["Rust, 4 mm"], {"stock": counted(1)})
    assert "1.11" in stranger.get(shelf).text
    assert f"{needles}" in stranger.get(f"{shelf}?high=2").text


# --- programs ------------------------------------------------------------------------------------------------


@pytest.fixture
def client(ctx):
    person(ctx, Role.OWNER)
    token = users.make_token(ctx, users.actor_by_email(ctx, "owner@skeinwright.example"), "Shop", Role.EDITOR)
    headers = {"Authorization": f"Bearer {token}"}
    return TestClient(main.make_app(ctx), base_url="http://127.0.0.1/api/v1", headers=headers)


def report(client, told, code, order="1042", lines=()):
    one = {"id": code, "order": order, "told": told, "lines": [{"sku": s, "quantity": q} for s, q in lines]}
    return client.post("/orders/reports", json={"reports": [one]})


def test_the_real_shop_reports_orders_and_each_report_counts_once(client, ctx, yarn):
    report(client, "paid", "r2")
    assert there(ctx, only(ctx, yarn)) == 10, "the payment came before its order"
    answer = report(client, "ordered", "r1", lines=[("fel-1", 3), ("NONE", 1)])
    assert answer.json()["reports"][0]["problems"][0]["sku"] == "NONE"
    assert there(ctx, only(ctx, yarn)) == 7
    assert report(client, "ordered", "r1", lines=[("fel-1", 3), ("NONE", 1)]).json()["reports"][0]["repeated"]
    assert there(ctx, only(ctx, yarn)) == 7
    refused = report(client, "ordered", "r1", lines=[("FEL-1", 9)])
    assert (refused.status_code, "told something else" in refused.text) == (422, True)
    report(client, "ordered", "r4", "1043", [("FEL-1", 2)])
    variant = client.get(f"/variants/{only(ctx, yarn)}").json()
    assert (variant["stock"], variant["reserved"], variant["sells"], variant["standing"]) == (7, 2, 5, "in")
    report(client, "cancelled", "r5", "1043")
    report(client, "returned", "r6", lines=[("FEL-1", 1)])
    assert there(ctx, only(ctx, yarn)) == 8
    reasons = [one["reason"] for one in service.record(ctx, SYSTEM, yarn).entries]
    assert reasons == ["returned", "sold", "counted"]
    assert products.read(ctx, SYSTEM, yarn).version == 1, "no version moves"
    assert history.list_change_sets(ctx, SYSTEM).change_sets[0]["title"] == "Return of order 1042"


def test_programs_book_stock_by_sku_all_or_nothing(client, ctx, yarn):
    other = make_product(ctx, "FEL-2", stock=1)
    good = {"sku": "FEL-1", "change": 2.5, "reason": "received"}
    refused = client.post("/stock/bookings", json={"bookings": [good, {"sku": "NONE", "change": 1}]})
    assert refused.status_code == 422
    assert "bookings.1.sku" in refused.text
    assert there(ctx, only(ctx, yarn)) == 10
    done = client.post("/stock/bookings", json={"bookings": [good, {"sku": "FEL-2", "count": 7}]})
    assert done.json() == {"changed": 2}
    assert (there(ctx, only(ctx, yarn)), there(ctx, only(ctx, other))) == (D("12.5"), 7)
    assert client.post("/stock/bookings", json={"bookings": [{"sku": "FEL-1"}]}).status_code == 422


# --- what is below its threshold -------------------------------------------------------------------------------


@contextmanager
def post_office(tmp_path):
    """The stand-in on ports of its own; gives its address and where it takes mail."""
    with socket.socket() as one, socket.socket() as two:
        for held in (one, two):
            held.bind(("127.0.0.1", 0))
        page, smtp = one.getsockname()[1], two.getsockname()[1]
    server = uvicorn.Server(uvicorn.Config(make_app(tmp_path, smtp), "127.0.0.1", page, log_level="warning"))
    thread = threading.Thread(target=server.run)
    thread.start()
    try:
        with httpx.Client(base_url=f"http://127.0.0.1:{page}", transport=httpx.HTTPTransport(retries=40)) as client:
            client.get("/v1/letters").raise_for_status()
            yield client, smtp
    finally:
        server.should_exit = True
        thread.join(20)


def gone(*_) -> None:
    raise DatabaseUnavailable("The database went away.")


def write_now(ctx) -> None:
    ctx.db.run(lambda tx: tx.run("UPDATE job SET run_after = UTC_TIMESTAMP(3) WHERE kind = %s", [alerts.MAIL]))
    work_off(ctx)


def test_what_falls_below_is_told_once_by_mail_and_stands_in_the_feed(
    ctx, yarn, tmp_path, stranger, browser, monkeypatch
):
    places.save_notice(ctx, SYSTEM, "stock@skeinwright.example; buyer@skeinwright.example")
    with post_office(tmp_path) as (office, smtp):
        mailing = {"smtp_host": "127.0.0.1", "smtp_port": smtp, "mail_from": "graupel@skeinwright.example"}
        ctx = replace(ctx, settings=ctx.settings.model_copy(update=mailing))
        service.book(ctx, SYSTEM, only(ctx, yarn), None, "-8", "", "sold")
        service.book(ctx, SYSTEM, only(ctx, yarn), None, "-1", "", "sold")
        with monkeypatch.context() as killed:  # after the post office took it, before that is noted
            killed.setattr(store, "note_mailed", gone)
            write_now(ctx)
        assert len(office.get("/v1/letters").json()) == 1
        write_now(ctx)
        (letter,) = office.get("/v1/letters").json()
        assert letter["subject"] == "1 variant below the threshold"
        assert letter["recipients"] == "stock@skeinwright.example, buyer@skeinwright.example"
        assert "Fellside (FEL-1): 1 left, reported below 5" in letter["text"]
        assert "Fellside" in office.get("/").text
        assert letter["message_id"].endswith("@skeinwright.example>")
        assert not ctx.db.run(lambda tx: store.unmailed(tx, "en"))
        office.post("/control/manner", json={"kind": "refuses"})
        with pytest.raises(mail.MailNotSent, match="closed for the moment"):
            mail.send(ctx.settings, ["a@b.example"], "x", "y", "k")
    with pytest.raises(mail.MailNotSent, match="did not take the message"):
        mail.send(ctx.settings, ["a@b.example"], "x", "y", "k")
    feed = stranger.get(alerts.feed_path(ctx))
    assert feed.headers["content-type"].startswith("application/atom+xml")
    atom = "{http://www.w3.org/2005/Atom}"
    root = ElementTree.fromstring(feed.content)
    assert [one.findtext(f"{atom}title") for one in root.iter(f"{atom}entry")] == [
        "Fellside (FEL-1): 1 left, reported below 5"
    ]
    assert stranger.get("/stock/low/guessed.atom").status_code == 404
    assert "1 live product has something below its threshold" in text(browser.get("/today"))
    service.book(ctx, SYSTEM, only(ctx, yarn), None, "+40", "", "received")
    assert "<entry>" not in stranger.get(alerts.feed_path(ctx)).text
    assert browser.write("/stock/notices", data={"mails": "nobody"}).status_code == 403
    with pytest.raises(Refused, match="is no address"):
        places.save_notice(ctx, SYSTEM, "nobody")
