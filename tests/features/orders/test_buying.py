"""A buyer's way from an article to an order, over HTTP: choices, the basket, what changed, the last piece, trials."""

import itertools
import re
import threading
from dataclasses import replace
from decimal import Decimal
from html import unescape

import pytest

from graupel.core.orders import Report, Stack, Standing, Told, stacks
from graupel.core.products import Status
from graupel.core.roles import SYSTEM, Role
from graupel.core.sales import Reach
from graupel.core.stock import Reason
from graupel.features.choices import reading as choices
from graupel.features.choices import service as choice_service
from graupel.features.choices import uses
from graupel.features.delivery import service as delivery
from graupel.features.delivery.service import Stands
from graupel.features.orders import baskets, handling, mails, placed_store, rules
from graupel.features.orders import reading as orders
from graupel.features.orders import service as reports
from graupel.features.orders.service import Reported
from graupel.features.orders.wares import Place
from graupel.features.pricing import quantities, selling
from graupel.features.pricing.selling import Goods
from graupel.features.products import asking, saving
from graupel.features.products import service as products
from graupel.features.shop import windows
from graupel.features.stock import service as stock
from tests.making import BUYER, add_german, make_product, set_status, work_off
from tests.serving import Browser, app, as_role, stranger
from tests.till import till

__all__ = ["app", "as_role", "stranger", "till"]
D = Decimal
WRAP = {"name": "Gift wrap", "label": "Is it a present?", "kind": "one"}
ENTRIES = [
    {"label": "No", "state": "default"},
    {"label": "Paper", "adds": "+2.50", "once": "yes", "sku_code": "GP", "weight": "20 g"},
    {"label": "Box", "adds": "10 %"},
]


@pytest.fixture(autouse=True)
def shop(ctx):
    """Orders can be paid by transfer, and parcels go to two countries."""
    rules.save(ctx, SYSTEM, {"transfer": "yes", "transfer_to": "Account 4711"})
    rows = [{"countries": "DE, AT", "days": "1-2", "steps": "up to 1 kg 3.90, 6.90", "free_from": "60"}]
    delivery.save_promise(ctx, SYSTEM, None, {"name": "Parcel"}, rows, Stands(shop=True))


@pytest.fixture
def wool(ctx):
    return make_product(ctx, "FEL-1", price=D("9.80"), weight_g=100)


@pytest.fixture
def wrap(ctx, wool):
    made = choice_service.save(ctx, SYSTEM, None, WRAP, ENTRIES)
    uses.ask(ctx, SYSTEM, wool, [made], "Wool")
    return ctx.db.run(lambda tx: choices.there(tx, made))


def variant_of(ctx, product_id):
    return products.read(ctx, SYSTEM, product_id).variants[0].id


def text_of(answer):
    return re.sub(r"\s+", " ", unescape(re.sub(r"<[^>]+>", " ", answer.text)))


def put(browser, ctx, product_id, n="1", **answers):
    path = browser.get(f"/shop/p/{product_id}-x").url.path
    given = {"v": str(variant_of(ctx, product_id)), "n": n, **answers}
    return browser.post(f"{path}/basket", data=given)


def shown(browser):
    """The total on the page of the basket, after the buyer said where it goes."""
    browser.post("/shop/basket", data={"do": "change", **BUYER})
    return re.search(r'name="shown" value="([\d.]+)"', browser.get("/shop/basket").text)[1]


def order(browser, **given):
    data = {"do": "order", "shown": given.pop("shown", None) or shown(browser), "pays_by": "transfer", **BUYER, **given}
    return browser.post("/shop/basket", data=data, follow_redirects=False)


def placed(ctx):
    """The newest order."""
    found = orders.list_orders(ctx, SYSTEM, Stack.ALL, "", 0).orders
    return orders.read(ctx, SYSTEM, found[0]["id"]) if found else None


def count(ctx, product_id, number):
    stock.book(ctx, SYSTEM, variant_of(ctx, product_id), None, f"={number}", "", Reason.COUNTED)


def held(ctx, product_id):
    found = products.read(ctx, SYSTEM, product_id).variants[0]
    return found.stock, found.reserved


# --- the article ---------------------------------------------------------------------------------------------


def test_an_article_asks_its_choices_and_says_what_they_add(stranger, ctx, wool, wrap):
    page = stranger.get(f"/shop/p/{wool}-x")
    assert "Is it a present?" in page.text
    assert "Paper +€2.50 once" in text_of(page)
    assert "Box +€0.98" in text_of(page)
    answers = {"v": str(variant_of(ctx, wool)), "n": "2", f"c{wrap.id}": str(wrap.entries[2].id)}
    looked = stranger.post(f"{page.url.path}/asked", data=answers)
    assert "Together: €21.56" in text_of(looked)


def test_an_answer_that_can_not_be_taken_is_told_beside_the_choice_in_the_buyers_words(stranger, ctx, wool):
    add_german(ctx)
    day = {"name": "Day", "label": "Which day?", "kind": "line", "needed": "yes"}
    made = choice_service.save(ctx, SYSTEM, None, day, [])
    uses.ask(ctx, SYSTEM, wool, [made], "Wool")
    path = stranger.get(f"/shop/de/p/{wool}-x").url.path
    answer = stranger.post(f"{path}/basket", data={"v": str(variant_of(ctx, wool)), "n": "x"})
    assert answer.status_code == 422
    assert "Bitte füllen Sie das aus." in answer.text
    assert 'name="n" value="x"' in answer.text, "what was typed stays"
    assert "graupel_basket" not in stranger.cookies


def test_a_file_that_is_handed_in_reaches_the_order_and_nobody_else(stranger, as_role, ctx, wool):
    swatch = {"name": "Swatch", "label": "Your swatch", "kind": "file", "file_kinds": "png", "needed": "yes"}
    made = choice_service.save(ctx, SYSTEM, None, swatch, [])
    uses.ask(ctx, SYSTEM, wool, [made], "Wool")
    path = stranger.get(f"/shop/p/{wool}-x").url.path
    given = {"v": str(variant_of(ctx, wool)), "n": "1"}
    for name, content in (("x.exe", b"x"), ("x.png", b"")):
        assert stranger.post(f"{path}/basket", data=given, files={f"c{made}": (name, content)}).status_code == 422
    stranger.post(f"{path}/basket", data=given, files={f"c{made}": ("../my swatch.png", b"bytes of it")})
    order(stranger)
    found = placed(ctx)
    (chosen,) = found.positions[0].chosen
    assert (chosen.said, chosen.file["name"]) == ("../my swatch.png", "my swatch.png")
    place = f"/orders/{found.row['id']}/files/{chosen.file['kept_as']}"
    given_out = as_role(Role.VIEWER).get(place)
    assert given_out.content == b"bytes of it"
    assert given_out.headers["content-disposition"].startswith("attachment")
    assert stranger.get(place, follow_redirects=False).status_code == 303
    assert stranger.get(f"/shop/o/{found.placed['secret']}/files/{chosen.file['kept_as']}").content == b"bytes of it"
    assert stranger.get(f"/shop/o/{'x' * 32}/files/{chosen.file['kept_as']}").status_code == 404


# --- the basket ----------------------------------------------------------------------------------------------


def test_the_same_again_adds_to_its_line_and_another_choice_is_another_line(stranger, ctx, wool, wrap):
    no, paper, _ = wrap.entries
    for entry in (no, no, paper):
        put(stranger, ctx, wool, n="2", **{f"c{wrap.id}": str(entry.id)})
    page = text_of(stranger.get("/shop/basket"))
    assert "Total" in page
    assert "€61.30" in page, "6 pieces and the paper once; free delivery from 60"
    assert len(re.findall('name="n-', stranger.get("/shop/basket").text)) == 2


def test_who_wants_more_than_there_is_gets_what_there_is_and_is_told(stranger, ctx, wool):
    count(ctx, wool, 5)
    said = put(stranger, ctx, wool, n="9")
    assert "only 5 can be had" in text_of(said)
    assert "Not sent there" not in text_of(said), "nobody said yet where it goes"
    assert 'value="5"' in stranger.get("/shop/basket").text


def test_delivery_follows_the_country_and_what_is_typed_stays(stranger, ctx, wool):
    put(stranger, ctx, wool)
    shown(stranger)
    assert "€13.70" in text_of(stranger.get("/shop/basket"))
    line = re.search(r'name="n-(\d+)"', stranger.get("/shop/basket").text)[1]
    page = stranger.post("/shop/basket", data={f"n-{line}": "3", **BUYER, "country": "FR", "do": "change"})
    assert "Not sent there: Fellside aran FEL-1" in text_of(page)
    assert 'value="Ida Fell"' in stranger.get("/shop/basket").text
    page = stranger.post("/shop/basket", data={f"n-{line}": "many", "do": "change"})
    assert "A number, please, such as 2." in page.text
    assert f'name="n-{line}" value="3"' in page.text
    page = stranger.post("/shop/basket", data={"drop": line, "do": "change"})
    assert "There is nothing in it yet." in page.text


def test_what_changed_meanwhile_is_told_and_not_ordered(stranger, ctx, wool):
    put(stranger, ctx, wool)
    seen = shown(stranger)
    values = products.read(ctx, SYSTEM, wool).values
    saving.save(ctx, SYSTEM, wool, _priced(values), None)
    answer = order(stranger, shown=seen)
    assert answer.status_code == 409
    assert "costs €12.00 now; it was €9.80." in text_of(answer)
    assert placed(ctx) is None
    assert order(stranger).status_code == 303, "once it was told, it can be ordered"
    assert placed(ctx).placed["total"] == D("15.90")


def _priced(values):
    from dataclasses import replace

    return replace(values, price=D("12.00"))


def test_what_is_not_for_sale_any_more_leaves_the_basket_and_is_told(stranger, ctx, wool):
    other = make_product(ctx, "FEL-2")
    put(stranger, ctx, wool)
    put(stranger, ctx, other)
    seen = shown(stranger)
    set_status(ctx, wool, Status.DRAFT)
    assert "Fellside aran FEL-1 is not for sale any more and was taken out." in text_of(stranger.get("/shop/basket"))
    assert order(stranger, shown=seen).status_code == 409
    order(stranger)
    assert [one.row["sku"] for one in placed(ctx).positions] == ["FEL-2"]


# --- the order -----------------------------------------------------------------------------------------------


def test_an_order_keeps_what_it_was_and_reserves_takes_and_gives_back(stranger, as_role, ctx, wool, wrap):
    count(ctx, wool, 5)
    put(stranger, ctx, wool, n="2", **{f"c{wrap.id}": str(wrap.entries[1].id)})
    answer = order(stranger)
    assert (answer.status_code, answer.headers["location"][:8]) == (303, "/shop/o/")
    assert held(ctx, wool) == (5, 2)
    values = products.read(ctx, SYSTEM, wool).values
    saving.save(ctx, SYSTEM, wool, _priced(values), None)
    choice_service.remove(ctx, SYSTEM, wrap.id)
    found = placed(ctx)
    (line,) = found.positions
    assert (line.row["ordered_as"], line.row["piece"], line.row["once"], line.row["amount"]) == (
        "FEL-1-GP", D("9.80"), D("2.50"), D("22.10")
    )  # fmt: skip
    assert [(one.label, one.said, one.once) for one in line.chosen] == [("Is it a present?", "Paper", D("2.50"))]
    page = text_of(stranger.get(answer.headers["location"]))
    assert "€26.00" in page
    assert "Account 4711" in page
    editor = as_role(Role.EDITOR)
    at = f"/orders/{found.row['id']}"
    assert "Paper" in editor.get(at).text
    editor.write(f"{at}/paid")
    assert held(ctx, wool) == (3, 0)
    editor.write(f"{at}/paid")
    assert held(ctx, wool) == (3, 0), "said twice it is paid once"
    editor.write(f"{at}/sent")
    assert editor.write(f"{at}/returned", {"back-FEL-1": "3"}).status_code == 422
    editor.write(f"{at}/returned", {"back-FEL-1": "1"})
    assert held(ctx, wool) == (4, 0)
    standing = placed(ctx).standing
    assert (standing.paid, standing.sent, standing.returned) == (True, True, True)


def test_who_is_sent_something_is_written_what_its_product_has_to_say(stranger, as_role, ctx, wool, monkeypatch):
    add_german(ctx)
    mailing = {"smtp_host": "127.0.0.1", "smtp_port": 1, "mail_from": "shop@skeinwright.example"}
    written = {}
    monkeypatch.setattr(mails.mail, "send", lambda settings, to, subject, text, key: written.update({key: text}))
    values = products.read(ctx, SYSTEM, wool).values
    said = {
        "sent_note": "Wash it by hand.\nDry it flat.",
        "own": {**values.own, ".de.sent_note": "Mit der Hand waschen."},
    }
    saving.save(ctx, SYSTEM, wool, replace(values, **said), None)
    put(stranger, ctx, wool)
    order(stranger)
    number = placed(ctx).row["id"]
    as_role(Role.EDITOR).write(f"/orders/{number}/paid")
    mailing_ctx = replace(ctx, settings=ctx.settings.model_copy(update=mailing))
    handling.tell(mailing_ctx, SYSTEM, number, Told.SENT)
    work_off(mailing_ctx)
    assert "Wash it by hand.\nDry it flat." in written[f"order-{number}-sent"]
    assert "Mit der Hand" not in written[f"order-{number}-sent"], "the order is in English"


def test_a_cancelled_order_is_free_again(stranger, as_role, ctx, wool):
    count(ctx, wool, 5)
    put(stranger, ctx, wool, n="2")
    order(stranger)
    as_role(Role.EDITOR).write(f"/orders/{placed(ctx).row['id']}/cancelled")
    assert held(ctx, wool) == (5, 0)
    assert "Your order was cancelled." in stranger.get(f"/shop/o/{placed(ctx).placed['secret']}").text


def test_sql_puts_orders_into_the_same_stacks_as_the_rule(stranger, ctx, wool):
    put(stranger, ctx, wool)
    order(stranger)
    number = placed(ctx).row["id"]

    def lies_in(tx):
        """In which stacks the one order lies, by SQL."""
        found = {stack for stack in Stack if placed_store.listed(tx, stack, "", 0, 10)}
        assert found == {stack for stack in Stack if placed_store.count(tx, stack)}
        return found

    def compare(tx):
        for here in (True, False, None):
            if here is None:  # another shop front reported it
                tx.run("DELETE FROM placed_line WHERE order_id = %s", [number])
                tx.run("DELETE FROM placed_order WHERE id = %s", [number])
            else:
                tx.run("UPDATE placed_order SET ships = %s WHERE id = %s", [here, number])
            for trial, *told in itertools.product((False, True), repeat=5):
                tx.run(
                    "UPDATE shop_order SET trial = %s, paid = %s, sent = %s, cancelled = %s, returned = %s",
                    [trial, *told],
                )
                stands = Standing(*told)
                assert lies_in(tx) == stacks(stands, trial=trial, sent_here=bool(here)), (here, trial, stands)

    ctx.db.run(compare)


def test_a_sku_with_codes_of_choices_is_its_variants(ctx, wool, wrap):
    count(ctx, wool, 9)
    cards = choice_service.save(ctx, SYSTEM, None, {"name": "Card", "kind": "several"}, [
        {"label": "Robin", "sku_code": "R-1"}, {"label": "Wren", "sku_code": "W"},
    ])  # fmt: skip
    uses.ask(ctx, SYSTEM, wool, [wrap.id, cards], "Wool")
    make_product(ctx, "FEL-1-W", stock=5)

    def tell(number, **lines):
        report = Report(Told.ORDERED, {sku.replace("_", "-"): D(n) for sku, n in lines.items()})
        return reports.take(ctx, SYSTEM, Reported("", f"r{number}", f"{number}", report)).problems

    assert tell(1, FEL_1_GP=2, fel_1_gp_r_1=1, FEL_1=1) == []
    assert held(ctx, wool) == (9, 4)
    assert [one.field for one in tell(2, FEL_1_XX=1, FEL_1_GP_XX=1)] == ["FEL-1-XX", "FEL-1-GP-XX"]
    assert tell(3, FEL_1_W=1) == [], "what has this very SKU is meant"
    assert held(ctx, wool) == (9, 4)


@pytest.mark.parametrize("typed", ["fel-1", "W1", "ida", "Ída", "Ñ\x0e", "\U0001f9f6", "%", "_"])
def test_orders_are_found_by_number_name_and_sku_whatever_is_typed(stranger, as_role, ctx, wool, typed):
    put(stranger, ctx, wool)
    order(stranger)
    page = as_role(Role.VIEWER).get("/orders", params={"stack": "all", "q": typed})
    assert page.status_code == 200
    assert ("Ida Fell" in page.text) == (typed.casefold()[0] in "fwií")


def test_an_order_that_is_sent_twice_is_placed_once(stranger, ctx, wool):
    put(stranger, ctx, wool)
    seen = shown(stranger)
    first, second = order(stranger, shown=seen), order(stranger, shown=seen)
    assert first.headers["location"] == second.headers["location"]
    assert len(orders.list_orders(ctx, SYSTEM, Stack.ALL, "", 0).orders) == 1


def test_of_two_who_want_the_last_piece_one_gets_it(app, ctx, wool):
    count(ctx, wool, 1)
    buyers = [Browser(app, base_url="http://127.0.0.1") for _ in range(2)]
    for one in buyers:
        put(one, ctx, wool)
    seen = [shown(one) for one in buyers]
    answers = {}
    gate = threading.Barrier(2)

    def press(number):
        gate.wait()
        answers[number] = order(buyers[number], shown=seen[number])

    threads = [threading.Thread(target=press, args=[number]) for number in range(2)]
    for one in threads:
        one.start()
    for one in threads:
        one.join()
    assert sorted(one.status_code for one in answers.values()) == [303, 409]
    assert held(ctx, wool) == (1, 1)
    loser = next(number for number, one in answers.items() if one.status_code == 409)
    assert "is sold out and was taken out." in text_of(answers[loser])


def test_who_is_signed_in_places_a_trial_and_stock_hears_nothing_of_it(as_role, ctx, wool):
    count(ctx, wool, 5)
    editor = as_role(Role.EDITOR)
    put(editor, ctx, wool, n="2")
    assert "Trial." in editor.get("/shop/basket").text
    order(editor)
    found = placed(ctx)
    assert found.row["trial"]
    assert held(ctx, wool) == (5, 0)
    editor.write(f"/orders/{found.row['id']}/paid")
    editor.write(f"/orders/{found.row['id']}/sent")
    assert held(ctx, wool) == (5, 0)
    assert placed(ctx).standing.sent
    assert orders.list_orders(ctx, SYSTEM, Stack.OPEN, "", 0).orders == []
    assert [one["code"] for one in orders.list_orders(ctx, SYSTEM, Stack.TRIAL, "", 0).orders] == [found.row["code"]]


def test_what_is_missing_is_told_at_its_field_and_nothing_typed_is_lost(stranger, ctx, wool):
    put(stranger, ctx, wool)
    answer = order(stranger, mail="nobody", street="", note="Ring twice", pays_by="gold")
    assert answer.status_code == 422
    for said in ("This is no mail address, such as name@example.org.", "Please fill this in.", "Choose how you pay."):
        assert said in answer.text
    assert 'value="nobody"' in answer.text
    assert "Ring twice" in stranger.get("/shop/basket").text
    assert placed(ctx) is None


def test_a_form_of_another_site_puts_nothing_into_a_basket(stranger, ctx, wool):
    path = stranger.get(f"/shop/p/{wool}-x").url.path
    given = {"v": str(variant_of(ctx, wool)), "n": "1"}
    for headers in ({"Origin": "https://elsewhere.example"}, {"Sec-Fetch-Site": "cross-site"}):
        assert stranger.post(f"{path}/basket", data=given, headers=headers).status_code == 403
    assert "There is nothing in it yet." in stranger.get("/shop/basket").text


# --- paying at the till --------------------------------------------------------------------------------------


def pay(browser, location):
    """Goes on to the till; returns its page."""
    answer = browser.get(f"{location.partition('?')[0]}/pay", follow_redirects=False)
    assert answer.status_code == 303
    return answer.headers["location"]


def to_path(address):
    return "/" + address.split("/", 3)[3]


def ordered_at_till(browser, ctx, wool):
    count(ctx, wool, 5)
    put(browser, ctx, wool)
    return order(browser, pays_by="till").headers["location"]


def test_yes_pays_and_takes_stock(stranger, ctx, wool, till):
    location = ordered_at_till(stranger, ctx, wool)
    assert 'http-equiv="refresh"' in stranger.get(location).text
    back = till.answer(pay(stranger, location), "yes")
    assert "We have received your payment." in stranger.get(to_path(back)).text
    assert held(ctx, wool) == (4, 0)
    assert placed(ctx).standing.paid


def test_no_can_be_tried_again_and_a_repeated_request_opens_no_second_payment(stranger, ctx, wool, till):
    location = ordered_at_till(stranger, ctx, wool)
    first, same = pay(stranger, location), pay(stranger, location)
    assert first == same
    back = till.answer(first, "no")
    assert "The payment was refused. You can try again." in stranger.get(to_path(back)).text
    assert held(ctx, wool) == (5, 1)
    again = pay(stranger, location)
    assert again != first
    stranger.get(to_path(till.answer(again, "yes")))
    assert held(ctx, wool) == (4, 0)
    assert len(till.payments()) == 2


def test_later_is_asked_again_by_the_clock(stranger, ctx, wool, till):
    location = ordered_at_till(stranger, ctx, wool)
    back = till.answer(pay(stranger, location), "later")
    assert "Your payment is on its way to us." in stranger.get(to_path(back)).text
    till.forward(120)
    ctx.db.run(lambda tx: tx.run("UPDATE placed_order SET look_at = UTC_TIMESTAMP(3)"))
    ctx.db.run(lambda tx: tx.run("UPDATE job SET run_after = UTC_TIMESTAMP(3) WHERE state = 'waiting'"))
    work_off(ctx)
    assert placed(ctx).standing.paid
    assert held(ctx, wool) == (4, 0)


@pytest.mark.parametrize("fault", ["busy", "lies", "loses_answer", "refuses"])
def test_a_till_that_does_not_behave_costs_nobody_the_order(stranger, ctx, wool, till, fault):
    location = ordered_at_till(stranger, ctx, wool)
    till.fault(fault)
    page = stranger.get(f"{location.partition('?')[0]}/pay")
    assert "The till can’t be reached now." in page.text
    till.fault(None)
    at_till = pay(stranger, location)
    till.answer(at_till, "yes")
    till.fault(fault)
    assert "The till does not answer yet" in stranger.get(f"{location.partition('?')[0]}/back").text
    assert not placed(ctx).standing.paid, "nothing is believed that the till did not say"
    till.fault(None)
    stranger.get(f"{location.partition('?')[0]}/back")
    assert placed(ctx).standing.paid
    assert len(till.payments()) == 1


# --- many at once --------------------------------------------------------------------------------------------


def test_a_basket_costs_what_each_of_its_goods_costs_by_itself(stranger, ctx, wool):
    others = [make_product(ctx, f"FEL-{number}", price=D(number)) for number in range(2, 6)]
    selling.plan(ctx, SYSTEM, {"title": "Some", "amount": "10 %"}, Goods(Reach.PRODUCT, others[:2]))
    selling.plan(ctx, SYSTEM, {"title": "All", "amount": "1 %"}, Goods(Reach.ALL))
    quantities.save(ctx, SYSTEM, others[3], [{"from": "2", "amount": "-0.50", "destination": "", "variant": ""}])
    for product_id in [wool, *others]:
        put(stranger, ctx, product_id, n="2")
    window = windows.window(ctx)
    found = baskets.read(ctx, Place(window.seen, window.shop), stranger.cookies["graupel_basket"])
    by_itself = {}
    for product_id in [wool, *others]:
        product = products.read(ctx, SYSTEM, product_id)
        quote = asking.read(ctx, product, window.lens).quote(product.variants[0], 2)
        by_itself[product.variants[0].id] = quote.asked
    assert {one.wanted.variant_id: one.asked for one in found.basket.lines} == by_itself
    assert len(set(by_itself.values())) == 5
