"""Prices as a merchant sets them and a buyer reads them: with hands on the time line, the table and the shop window."""

from datetime import timedelta
from decimal import Decimal

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from graupel.core.roles import SYSTEM
from graupel.core.sales import Reach
from graupel.features.destinations import terms as terms_of
from graupel.features.pricing import selling
from graupel.features.pricing.selling import Goods
from graupel.features.products import asking
from graupel.features.products import service as products
from tests.browser.conftest import Person, wait_until
from tests.features.pricing.test_asked import now, on, sale
from tests.making import make_product
from tests.needles import by_label, colour, needles, size

__all__ = ["colour", "needles", "size"]

DAY = timedelta(days=1)


def read_sale(ctx, number):
    return ctx.db.run(lambda tx: selling.with_goods(tx, number))


def pressed(me: Person, *keys: str, held: str = "") -> None:
    chain = ActionChains(me.driver)
    if held:
        chain = chain.key_down(held)
    chain = chain.send_keys(*keys)
    if held:
        chain = chain.key_up(held)
    chain.perform()


def focus(me: Person, css: str) -> None:
    me.driver.execute_script("document.querySelector(arguments[0]).focus()", css)


def test_sales_are_taken_hold_of_with_the_mouse_and_by_keyboard(at_screen: Person, ctx):
    yarn = make_product(ctx, "FEL", name="Fellside aran", price=Decimal("9.80"))
    number = sale(ctx, on(yarn), "7.90", 7, 14)
    me, bar = at_screen, f'[data-sale="{number}"]'
    before = read_sale(ctx, number)
    me.open("/prices")
    me.sees(bar)
    me.axe()
    day = float(me.driver.find_element(By.CSS_SELECTOR, "[data-time-line]").get_attribute("data-day"))
    scale = me.driver.execute_script("return document.querySelector('.time-line svg').getScreenCTM().a")
    taken = me.driver.find_element(By.CSS_SELECTOR, f"{bar} rect")
    ActionChains(me.driver).click_and_hold(taken).move_by_offset(round(3 * day * scale), 0).release().perform()
    wait_until(lambda: read_sale(ctx, number).begins == before.begins + 3 * DAY)
    assert read_sale(ctx, number).ends == before.ends + 3 * DAY
    me.sees("#says", "Sale moved: Fellside aran")
    wait_until(lambda: me.driver.execute_script("return document.activeElement?.dataset.sale") == str(number))
    pressed(me, Keys.ARROW_LEFT, Keys.ARROW_LEFT, held=Keys.SHIFT)
    me.sees(".moving-to")
    pressed(me, Keys.ENTER)
    wait_until(lambda: read_sale(ctx, number).ends == before.ends + DAY)
    focus(me, bar)
    pressed(me, Keys.ARROW_RIGHT)
    pressed(me, Keys.ESCAPE)
    pressed(me, Keys.ENTER)
    me.sees("#h-sale", "Fellside aran")
    assert read_sale(ctx, number).begins == before.begins + 3 * DAY, "Esc put it back"
    me.fill("#in-amount", "20 %")
    me.sees("#does", "€7.84")
    me.axe()
    pressed(me, "s", held=Keys.CONTROL)
    me.sees("#says", "Sale changed")
    assert read_sale(ctx, number).reduction.in_words == "20 % off"


def test_a_sale_is_planned_for_what_is_ticked_in_the_table_and_each_price_says_why(at_screen: Person, ctx):
    ids = [make_product(ctx, f"P-{n}", name=f"Yarn {n}", price=Decimal("10.00")) for n in range(3)]
    me = at_screen
    me.open("/products?sort=name")
    for one in ids[:2]:
        me.driver.find_element(By.CSS_SELECTOR, f'[name=chosen][value="{one}"]').click()
    me.press("Plan a sale for them")
    me.sees("#field-goods", "2 products")
    me.fill("#in-amount", "-1.50")
    me.sees("#does", "reaches 2 variants")
    me.fill("#in-begins", "01012026\t0900AM")
    me.press("Plan it")
    me.sees(".chip", "is on")
    me.open("/products?sort=name")
    me.sees("#goods s.was", "10.00")
    focus(me, f'[data-cell="p{ids[0]}:price"]')
    pressed(me, "?")
    me.sees(".why-box", "1.50 off")
    me.axe()
    pressed(me, Keys.ESCAPE)
    assert not me.driver.find_elements(By.CSS_SELECTOR, ".why-box")
    me.open(f"/products/{ids[0]}")
    me.sees("#mirror .was", "€10.00")
    me.driver.find_element(By.CSS_SELECTOR, "#mirror [data-why]").click()
    me.sees(".why-box", "paid for a piece")
    assert products.read(ctx, SYSTEM, ids[2]).prices.low == Decimal("10.00")


def test_a_margin_that_is_typed_gives_the_price_and_nothing_is_saved_by_it(at_screen: Person, ctx):
    terms_of.save(ctx, SYSTEM, "", {"ending": ".90", "ending_way": "up"})
    yarn = make_product(ctx, "FEL", price=Decimal("9.80"), cost=Decimal("6.00"))
    me = at_screen
    me.open(f"/products/{yarn}")
    me.fill("#share-margin", "40 %")
    pressed(me, Keys.ENTER)
    price = me.driver.find_element(By.ID, "in-price")
    wait_until(lambda: price.get_attribute("value") == "10.90")
    me.sees("#mirror", "Margin 45.0 %")
    assert products.read(ctx, SYSTEM, yarn).values.price == Decimal("9.80")
    me.fill("#share-margin", "100")
    pressed(me, Keys.TAB)
    me.sees("#margin-says", "below 100 %")
    me.fill("#in-list_price", "12.10")
    me.driver.find_element(By.CSS_SELECTOR, "[data-end-price=in-list_price]").click()
    listed = me.driver.find_element(By.ID, "in-list_price")
    wait_until(lambda: listed.get_attribute("value") == "12.90")


def test_quantity_prices_are_typed_in_rows_that_come_as_they_are_needed(at_screen: Person, ctx):
    yarn = make_product(ctx, "FEL", price=Decimal("9.80"))
    me = at_screen
    me.open(f"/products/{yarn}")
    me.press("A piece costs less from so many on")
    me.fill("#qp-from-0", "5")
    me.fill("#qp-amount-0", "9.00")
    me.press("Another row")
    me.fill("#qp-from-1", "10")
    me.fill("#qp-amount-1", "15 %")
    me.press("Save quantity prices")
    me.sees("#says", "Quantity prices changed")
    found = asking.read(ctx, products.read(ctx, SYSTEM, yarn), asking.DEFAULT_LENS)
    assert [found.quote(one, 10).asked for one in found.product.for_sale] == [Decimal("8.33")]


def test_a_buyer_who_chooses_a_variant_reads_its_price_without_the_page_coming_anew(at_screen: Person, ctx, needles):
    one = by_label(ctx, needles)["Oat, 3 mm"]
    sale(ctx, Goods(Reach.VARIANT, [needles], [one.id]), "4.80", -1, 3)
    me = at_screen
    me.open(f"/shop/p/{needles}")
    me.sees(".cost", "€4.80 to €6.40")
    me.driver.execute_script("window.stays = true")
    for label in ("Oat", "3 mm"):
        next(way for way in me.driver.find_elements(By.CSS_SELECTOR, "a.way") if way.text == label).click()
        me.sees('a.way[aria-current="true"]', label)
    me.sees(".cost .now-asked", "€4.80")
    me.sees(".cost s", "€6.40")
    me.axe()
    assert me.driver.execute_script("return window.stays")
    assert f"v={one.id}" in me.driver.current_url
    assert now(ctx)


def test_a_variants_price_is_moved_to_the_ending_on_the_wide_page_too(at_screen: Person, ctx, needles):
    terms_of.save(ctx, SYSTEM, "", {"ending": ".90", "ending_way": "up"})
    one = by_label(ctx, needles)["Oat, 3 mm"]
    me = at_screen
    me.open(f"/products/{needles}/variants")
    cell = me.driver.find_element(By.CSS_SELECTOR, f"[data-grid] td[data-id='{one.id}']")
    ActionChains(me.driver).double_click(cell).perform()
    price = me.sees("#v-price")
    price.send_keys("7.10")
    me.driver.find_element(By.CSS_SELECTOR, "[data-end-price=v-price]").click()
    wait_until(lambda: price.get_attribute("value") == "7.90")
