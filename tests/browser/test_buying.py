"""A buyer's way through the shop window: an article, choices with the price changing, basket, till, and order."""

from decimal import Decimal

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from graupel.core.orders import Stack
from graupel.core.roles import SYSTEM
from graupel.core.stock import Reason
from graupel.features.choices import reading, service, uses
from graupel.features.delivery import service as delivery
from graupel.features.delivery.service import Stands
from graupel.features.orders import reading as orders
from graupel.features.orders import rules
from graupel.features.products import service as products
from graupel.features.reviews import service as reviews
from graupel.features.stock import service as stock
from tests.browser.conftest import Person, wait_until
from tests.making import make_product
from tests.till import till

__all__ = ["till"]
D = Decimal


@pytest.fixture
def wool(ctx):
    """Wool that can be wrapped, and a card that is asked with the paper."""
    rules.save(ctx, SYSTEM, {"transfer": "yes", "transfer_to": "Account 4711"})
    rows = [
        {"countries": "DE", "days": "1-2", "steps": "3.90", "free_from": "60"},
        {"countries": "AT", "days": "2-4", "steps": "7.90", "free_from": ""},
    ]
    delivery.save_promise(ctx, SYSTEM, None, {"name": "Parcel"}, rows, Stands(shop=True))
    made = make_product(ctx, "FEL-1", price=D("9.80"), picture_side=600)
    variant = products.read(ctx, SYSTEM, made).variants[0].id
    stock.book(ctx, SYSTEM, variant, None, "=5", "", Reason.COUNTED)
    entries = [{"label": "No", "state": "default"}, {"label": "Paper", "adds": "+2.50", "once": "yes"}]
    wrap = service.save(ctx, SYSTEM, None, {"name": "Wrap", "label": "Is it a present?", "kind": "one"}, entries)
    paper = ctx.db.run(lambda tx: reading.there(tx, wrap)).entries[1].id
    card = {"name": "Card", "label": "Your words", "kind": "text", "needed": "yes", "when": f"{wrap}.{paper}"}
    uses.ask(ctx, SYSTEM, made, [wrap, service.save(ctx, SYSTEM, None, card, [])], "Wool")
    return made


@pytest.fixture
def buyer(till, wool, site, chromium) -> Person:
    """Somebody who is not signed in."""
    chromium.get(site)
    chromium.delete_all_cookies()
    return Person(chromium, site)


def placed(ctx):
    return orders.list_orders(ctx, SYSTEM, Stack.ALL, "", 0).orders


def say_who(me):
    for name, text in (
        ("mail", "ida@fell.example"), ("name", "Ida"), ("street", "Mill 4"), ("postcode", "1"), ("town", "Fell")
    ):  # fmt: skip
        me.fill(f"#in-{name}", text)


def test_from_the_shelf_to_a_paid_order(buyer: Person, ctx, wool, till):
    me = buyer
    me.open("/shop")
    me.driver.find_element(By.CSS_SELECTOR, ".shelf a").click()
    me.sees("h1", "Fellside aran")
    me.axe()
    assert not me.driver.find_elements(By.CSS_SELECTOR, "#buy textarea")
    Select(me.driver.find_element(By.CSS_SELECTOR, "#buy select")).select_by_visible_text("Paper +€2.50 once")
    me.sees("#together", "€12.30")
    card = me.sees("#buy textarea")
    card.send_keys("For ")
    count = me.driver.find_element(By.ID, "n")
    count.send_keys(Keys.CONTROL, "a")
    count.send_keys("2")
    me.sees("#together", "€22.10")
    assert card.get_attribute("value") == "For ", "what was typed stays while the price follows"
    card.clear()
    me.press("Into the basket")
    me.sees("#buy .wrong", "Please fill this in.")
    me.axe()
    assert me.driver.switch_to.active_element.tag_name == "textarea"
    me.driver.switch_to.active_element.send_keys("For Tove")
    me.press("Into the basket")
    me.sees("h1", "Basket")
    me.sees(".to-basket", "1")
    me.sees("table.lines", "For Tove")
    Select(me.driver.find_element(By.ID, "in-country")).select_by_value("DE")
    me.sees(".sums", "€26.00")
    me.fill("#in-mail", "ida@fell.example")
    count = me.driver.find_element(By.CSS_SELECTOR, "table.lines .num.tiny")
    count.send_keys(Keys.CONTROL, "a")
    count.send_keys("9", Keys.TAB)
    me.sees(".note", "only 5 can be had")
    me.sees(".sums", "€55.40")
    assert me.driver.find_element(By.ID, "in-mail").get_attribute("value") == "ida@fell.example"
    me.axe()
    me.press("Order with duty to pay")
    me.sees("#wrong-name", "Please fill this in.")
    assert me.driver.switch_to.active_element.get_attribute("id") == "in-name"
    for name, text in (("name", "Ida Fell"), ("street", "Mill Lane 4"), ("postcode", "12345"), ("town", "Fellside")):
        me.fill(f"#in-{name}", text)
    me.press("Order with duty to pay: €55.40")
    me.sees("h1", "Tollhatch")
    me.press("Pay")
    me.sees("[role=status]", "We have received your payment.")
    me.sees("table.lines", "For Tove")
    me.axe()
    (order,) = placed(ctx)
    assert (order["total"], order["paid"], order["trial"]) == (D("55.40"), 1, 0)
    me.open("/shop/basket")
    me.sees("main", "There is nothing in it yet.")


def test_an_order_is_pressed_twice_and_placed_once(buyer: Person, ctx, wool):
    me = buyer
    me.open(f"/shop/p/{wool}-x")
    me.press("Into the basket")
    me.sees("h1", "Basket")
    Select(me.driver.find_element(By.ID, "in-country")).select_by_value("AT")
    me.sees(".sums", "€17.70")
    say_who(me)
    me.press("By transfer")
    me.driver.execute_script("const b = document.querySelector('.btn.big'); b.click(); b.click();")
    me.sees(".note", "Account 4711")
    assert len(placed(ctx)) == 1
    me.driver.back()
    me.sees("main", "There is nothing in it yet.")


def test_it_can_be_bought_on_a_narrow_screen_by_keyboard_alone(buyer: Person, ctx, wool):
    me = buyer
    me.size(400, 800)
    me.open(f"/shop/p/{wool}-x")
    for _ in range(40):
        if me.driver.switch_to.active_element.text == "Into the basket":
            break
        me.driver.switch_to.active_element.send_keys(Keys.TAB)
    me.driver.switch_to.active_element.send_keys(Keys.ENTER)
    me.sees("h1", "Basket")
    wide = "return document.documentElement.scrollWidth"
    assert me.driver.execute_script(wide) <= 400
    me.axe()
    drop = me.driver.find_element(By.CSS_SELECTOR, "table.lines .link")
    drop.send_keys(Keys.ENTER)
    me.sees("main", "There is nothing in it yet.")


def test_the_merchant_sees_the_order_and_says_what_became_of_it(at_screen: Person, ctx, wool):
    me = at_screen
    me.open(f"/shop/p/{wool}-x")
    me.press("Into the basket")
    me.sees(".preview", "Trial.")
    Select(me.driver.find_element(By.ID, "in-country")).select_by_value("DE")
    me.sees(".sums", "€13.70")
    say_who(me)
    me.press("Order with duty to pay")
    me.sees(".preview", "Trial.")
    me.open("/orders?stack=trial")
    me.sees("table", "Ida")
    me.axe()
    me.driver.find_element(By.CSS_SELECTOR, "tbody a").click()
    me.sees("h1", "Trial order")
    me.axe()
    me.press("It is paid")
    me.sees(".head", "paid, to be sent")
    me.press("It is sent")
    me.sees(".head", "sent")
    me.press("Something came back")
    me.fill("[name='back-FEL-1']", "4")
    me.press("Take it back")
    me.sees(".wrong", "can’t come back: 1 of FEL-1 can.")
    me.axe()
    me.fill("[name='back-FEL-1']", "1")
    me.press("Take it back")
    me.sees(".head", "some came back")
    assert wait_until(lambda: products.read(ctx, SYSTEM, wool).variants[0]).stock == 5
    me.open("/orders/rules")
    me.sees("h1", "How orders go")
    me.axe()


def test_a_buyer_writes_a_review_and_sees_what_is_missing(buyer: Person, ctx, wool):
    reviews.allow(ctx, SYSTEM, wool, True)
    me = buyer
    me.size(400, 800)
    me.open(f"/shop/p/{wool}-x")
    me.driver.find_element(By.CSS_SELECTOR, "#reviews summary").send_keys(Keys.ENTER)
    me.fill("#review-name", "Ida")
    me.fill("#review-text", "Soft, and it keeps its shape.")
    me.press("Send")
    me.sees("#wrong-review-stars", "Please choose.")
    assert me.driver.find_element(By.ID, "review-text").get_attribute("value") == "Soft, and it keeps its shape."
    assert me.driver.execute_script("return document.documentElement.scrollWidth") <= 400
    me.axe()
    Select(me.driver.find_element(By.ID, "review-stars")).select_by_visible_text("4")
    me.driver.execute_script("const b = [...document.querySelectorAll('.reviews .btn')].at(-1); b.click(); b.click();")
    me.sees("#reviews [role=status]", "It is shown when we have read it.")
    assert len(reviews.list_reviews(ctx, SYSTEM, "").reviews) == 1


def test_the_merchant_reads_shows_and_answers_it(at_screen: Person, ctx, wool):
    reviews.allow(ctx, SYSTEM, wool, True)
    for name in ("Ida", "Tove"):
        said = {"name": name, "stars": "5", "text": "Soft, and it keeps its shape."}
        reviews.write(ctx, wool, "en", name.encode(), said)
    me = at_screen
    me.open("/reviews")
    me.sees("h1", "Reviews")
    me.axe()
    tove, ida = (one["id"] for one in reviews.list_reviews(ctx, SYSTEM, "").reviews)

    def press(review, label):
        form = me.driver.find_element(By.CSS_SELECTOR, f"form:has(#answer-{review})")
        form.find_element(By.XPATH, f".//button[contains(., '{label}')]").click()

    def answer(review):
        return me.driver.find_element(By.ID, f"answer-{review}")

    me.fill(f"#answer-{tove}", "Thank you, Tove.")
    me.fill(f"#answer-{ida}", "We are glad.")
    answer(ida).send_keys(Keys.CONTROL, "s")
    me.sees("#says", "Review of Ida answered")
    assert [one["answer"] for one in reviews.list_reviews(ctx, SYSTEM, "waiting").reviews] == ["", "We are glad."]
    assert answer(tove).get_attribute("value") == "Thank you, Tove.", "what was typed of another stays"
    press(tove, "Show it")
    wait_until(lambda: not me.driver.find_elements(By.ID, f"answer-{tove}"))
    press(ida, "Report it")
    me.sees(".wrong", "Say why it is reported")
    me.axe()
    press(ida, "Show it")
    me.sees("#all-reviews .note", "Nothing is to be read.")
    me.open(f"/shop/p/{wool}-x")
    me.sees("#reviews", "Thank you, Tove.")
    me.sees("#reviews", "We are glad.")
    me.sees("#reviews h2", "(2) 5 of 5 stars")
