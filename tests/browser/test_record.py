"""The record, used as a person would: what happened to a product, what it was, put back; and a change prepared."""

from decimal import Decimal

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from graupel.core import moments
from graupel.core.roles import SYSTEM
from graupel.features.products import service as products
from tests.browser.conftest import Person
from tests.features.products.test_past import moment, save
from tests.making import make_product

D = Decimal


def test_what_happened_to_a_product_is_seen_and_single_values_are_put_back(at_screen: Person, ctx):
    me = at_screen
    yarn = make_product(ctx, "FEL-1", name="Fellside", price=D("9.80"), mpn="A")
    at = moment(ctx)
    save(ctx, yarn, name="Fell", price=D("12.00"), mpn="B")
    me.open(f"/products/{yarn}")
    me.sees(".side .trail")
    me.driver.find_element(By.CSS_SELECTOR, f'.side a[href="/history/of/product/{yarn}"]').click()
    me.sees("h1", "Fell")
    me.sees(".chart figcaption", "Typed prices")
    me.axe()
    me.sees("#in-field").send_keys("Part number", Keys.TAB, Keys.ENTER)
    me.sees("td.act", "Product changed")
    assert [one.text for one in me.driver.find_elements(By.CSS_SELECTOR, ".acts td.wrap .after")] == ["B"]
    me.open(f"/products/{yarn}/as-of?at={moments.exact(at)}")
    me.sees(".then .mirror", "Fellside")
    me.axe()
    box = me.driver.find_element(By.CSS_SELECTOR, '[aria-label$="Part number"]')
    box.send_keys(Keys.SPACE)
    me.sees("[data-ticked]", "(1)").send_keys(Keys.ENTER)
    me.sees("#says", "put back as it was on")
    values = products.read(ctx, SYSTEM, yarn).values
    assert (values.mpn, values.name) == ("A", "Fell")
    me.no_complaints()


def test_the_shop_of_a_moment_is_walked_through_and_left_again(at_screen: Person, ctx):
    me = at_screen
    yarn = make_product(ctx, "FEL-1", name="Fellside", price=D("9.80"))
    at = moment(ctx)
    save(ctx, yarn, name="Fell")
    me.open("/products/as-of")
    me.open(f"/as-of/{moments.exact(at)}/shop")
    me.axe()
    me.sees("ul.shelf a", "Fellside").click()
    me.sees("h1", "Fellside")
    me.sees(".preview.then", "As buyers saw it")
    me.axe()
    me.driver.find_element(By.LINK_TEXT, "The shop of today").click()
    me.sees("ul.shelf a", "Fell")
    me.no_complaints()


def test_a_change_is_prepared_sent_back_handed_in_and_done(at_screen: Person, ctx):
    me = at_screen
    yarn = make_product(ctx, "FEL-1", name="Fellside", price=D("9.80"))
    me.open(f"/products/{yarn}")
    me.fill("#in-name", "Winter Fellside")
    me.sees(".bar details.more summary").click()
    me.press("Prepare what is typed")
    me.sees("h1", "Product changed: Winter Fellside")
    me.sees(".acts .after", "Winter Fellside")
    me.axe()
    assert products.read(ctx, SYSTEM, yarn).values.name == "Fellside"
    me.fill('.decision input[placeholder="what is not right"]', "Is it winter yet?")
    me.press("Send back")
    me.sees(".note", "Is it winter yet?")
    me.sees(".decision button", "Hand in again").click()
    me.sees(".state", "Waits for a yes")
    me.press("as it would be")
    me.sees(".then h2", "With the prepared change")
    me.sees(".then .mirror b", "Winter Fellside")
    me.axe()
    me.driver.back()
    me.press("Do it now")
    me.sees(".state", "Done")
    assert products.read(ctx, SYSTEM, yarn).values.name == "Winter Fellside"
    me.open("/prepared")
    me.sees("td", "Winter Fellside")
    me.axe()
    me.no_complaints()


def test_who_prepares_what_they_save_does_so_on_any_page(at_screen: Person, ctx):
    me = at_screen
    yarn = make_product(ctx, "FEL-1", name="Fellside", price=D("9.80"))
    me.open("/products")
    me.sees("details.who summary").click()
    me.press("Prepare what I save")
    me.sees(".preparing", "You are preparing")
    me.axe()
    cell = me.sees(f'td[data-cell="p{yarn}:price"]')
    cell.click()
    cell.send_keys(Keys.ENTER)
    me.sees(f'td[data-cell="p{yarn}:price"] input').send_keys(Keys.CONTROL, "a")
    me.sees(f'td[data-cell="p{yarn}:price"] input').send_keys("8.50", Keys.ENTER)
    me.sees(".state", "Waits for a yes")
    me.sees(".acts .after", "8.50")
    assert products.read(ctx, SYSTEM, yarn).values.price == D("9.80")
    me.press("Stop preparing")
    me.gone(".preparing")
    me.no_complaints()
