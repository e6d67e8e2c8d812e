"""Stock and delivery with hands: typed, counted, moved, promised; and the shop window as a buyer meets it."""

from decimal import Decimal

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.features.delivery import service as delivery
from graupel.features.destinations import terms as destination_terms
from graupel.features.products import service as products
from graupel.features.stock import places, service
from graupel.features.variants import setting
from tests.browser.conftest import Person, wait_until
from tests.making import counted, make_product
from tests.needles import by_label, colour, needles, size

__all__ = ["colour", "needles", "size"]

D = Decimal


def only(ctx, product_id) -> int:
    return products.read(ctx, SYSTEM, product_id).variants[0].id


def stock_of(ctx, variant_id):
    return service.line(ctx, SYSTEM, variant_id).row["on_hand"]


def typed(me: Person, css: str, text: str) -> None:
    me.driver.find_element(By.CSS_SELECTOR, css).send_keys(text)


def test_stock_is_typed_counted_and_moved_by_hand(at_screen: Person, ctx):
    yarn = make_product(ctx, "FEL-1", name="Fellside", stock=10)
    stall = places.add(ctx, SYSTEM, "Market stall")
    me, variant = at_screen, only(ctx, yarn)
    me.open("/stock")
    me.axe()
    cell = f"#at-{variant}-1"
    typed(me, cell, "+20" + Keys.ENTER)
    wait_until(lambda: stock_of(ctx, variant) == 30)
    placed = f"return document.querySelector('{cell}')?.placeholder"
    wait_until(lambda: me.driver.execute_script(placed) == "30")
    me.sees("#says", "Stock corrected: Fellside")
    typed(me, cell, "+-3" + Keys.ENTER)
    me.sees(f"#bad-{variant}-1", "“+-3” says no number")
    me.axe()
    assert me.driver.find_element(By.CSS_SELECTOR, cell).get_attribute("value") == "+-3", (
        "what was typed is still there"
    )
    assert stock_of(ctx, variant) == 30
    me.open("/stock/count")
    me.fill("#codes", "FEL-1 12")
    me.press("Compare with the record")
    me.sees("[aria-label=Compared]", "-18")
    me.axe()
    me.press("Book the count")
    me.sees("#counting [role=status]", "Counted: 1 variant changed.")
    assert stock_of(ctx, variant) == 12
    me.open("/stock/move")
    me.fill("#codes", "FEL-1 4")
    me.press("Move it")
    wait_until(lambda: service.line(ctx, SYSTEM, variant).at == {1: 8, stall: 4})
    me.open(f"/stock/of/{yarn}")
    me.sees("#record", "Moved")
    me.axe()


def test_stock_is_typed_in_the_table_and_the_editor_and_what_somebody_sold_stays_sold(at_screen: Person, ctx):
    yarn = make_product(ctx, "FEL-1", name="Fellside", price=D("9.80"), stock=10)
    me, variant = at_screen, only(ctx, yarn)
    me.open(f"/products/{yarn}")
    me.sees("#sells-says", "Sells 10; then stops.")
    service.book(ctx, SYSTEM, variant, None, "-2", "", "sold")
    me.fill("#in-stock", "15")
    ActionChains(me.driver).key_down(Keys.CONTROL).send_keys("s").key_up(Keys.CONTROL).perform()
    me.sees("#sells-says", "Sells 13; then stops.")
    assert stock_of(ctx, variant) == 13
    me.axe()


def test_promises_are_made_and_buyers_read_what_follows_for_the_variant_they_choose(at_screen: Person, ctx, needles):
    destination_terms.save(ctx, SYSTEM, "", {"country": "DE"})
    ids = {label: one.id for label, one in by_label(ctx, needles).items()}
    setting.set_values(ctx, SYSTEM, needles, list(ids.values()), "stock", counted(9))
    setting.save_one(ctx, SYSTEM, ids["Oat, 4 mm"], {"stock": counted(0)})
    assert products.read(ctx, SYSTEM, needles).values.status is Status.LIVE
    me = at_screen
    me.open("/delivery")
    me.axe()
    me.fill("#name-promise-0", "Parcel")
    me.fill("#countries-promise-0-0", "Germany")
    me.fill("#days-promise-0-0", "4-2")
    me.fill("#steps-promise-0-0", "3.90")
    me.driver.find_element(By.NAME, "for_shop").click()
    me.press("Make it")
    me.sees(".wrong", "ends before it begins")
    me.axe()
    me.fill("#days-promise-0-0", "1-2")
    me.press("Make it")
    wait_until(lambda: bool(delivery.read(ctx, SYSTEM).promises))
    assert delivery.read(ctx, SYSTEM).of_shop
    me.open(f"/shop/p/{needles}?v={ids['Rust, 4 mm']}")
    me.sees(".standing", "In stock")
    me.sees(".arrives", "Delivery to Germany: €3.90")
    me.driver.find_element(By.PARTIAL_LINK_TEXT, "Oat").click()
    me.sees(".standing", "Sold out")
    assert "Arrives" not in me.driver.find_element(By.TAG_NAME, "main").text


def test_a_buyer_narrows_a_shelf_by_what_can_be_had_and_by_price(at_screen: Person, ctx):
    for number, (price, there) in enumerate((("3.00", 5), ("6.00", 0), ("9.00", 5))):
        make_product(ctx, f"Y-{number}", name=f"Skein {number}", price=D(price), stock=there, category="Yarn")
    me = at_screen
    me.open("/shop")
    me.driver.find_element(By.CSS_SELECTOR, "nav.menu a").click()
    me.press("Narrow down")

    def shown() -> list[str]:
        read = "return [...document.querySelectorAll('ul.shelf a')].map((one) => one.innerText.split('\\n')[0])"
        return me.driver.execute_script(read)

    me.driver.find_element(By.ID, "had").click()
    wait_until(lambda: sorted(shown()) == ["Skein 0", "Skein 2"])
    assert "had=yes" in me.driver.current_url
    me.driver.find_element(By.ID, "low").send_keys("5" + Keys.TAB)
    wait_until(lambda: shown() == ["Skein 2"])
    assert me.driver.switch_to.active_element.get_attribute("id") == "high", "focus stays where it went"
    me.axe()
    me.driver.find_element(By.ID, "had").click()
    wait_until(lambda: sorted(shown()) == ["Skein 1", "Skein 2"])
    typed(me, "#high", "7" + Keys.ENTER)
    wait_until(lambda: shown() == ["Skein 1"])
    me.driver.back()
    wait_until(lambda: sorted(shown()) == ["Skein 1", "Skein 2"])
    me.driver.find_element(By.CSS_SELECTOR, "a.clear").click()
    wait_until(lambda: len(shown()) == 3)
