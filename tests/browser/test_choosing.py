"""A buyer choice as a merchant makes it: typed, tried beside its form, asked with a product, put in another order."""

from decimal import Decimal

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from graupel.core.roles import SYSTEM
from graupel.features.choices import reading, service, uses
from tests.browser.conftest import Person, wait_until
from tests.making import make_product


def shared(ctx):
    return [found.choice for found in reading.list_shared(ctx, SYSTEM)]


def asked(ctx, product_id):
    return [one.name for one in ctx.db.run(lambda tx: reading.of_product(tx, product_id))]


def last(me: Person, name: str):
    return me.driver.find_elements(By.CSS_SELECTOR, f"#choice-form [name={name}]")[-1]


def test_a_choice_is_made_while_it_stands_beside_as_a_buyer_sees_it(at_screen: Person, ctx):
    me = at_screen
    me.open("/choices/new")
    me.fill("#in-name", "Gift wrap")
    last(me, "entry_label").send_keys("Paper")
    last(me, "adds").send_keys("+2.50")
    me.sees("#tried", "Gift wrap")
    Select(me.driver.find_element(By.CSS_SELECTOR, "#tried select")).select_by_visible_text("Paper +€2.50")
    me.sees("#tried", "comes to €12.50")
    me.driver.find_element(By.CSS_SELECTOR, "[data-add-row]").click()
    wait_until(lambda: len(me.driver.find_elements(By.CSS_SELECTOR, "[data-row]")) == 2)
    last(me, "entry_label").send_keys("Box")
    last(me, "adds").send_keys("ten")
    last(me, "adds").send_keys(Keys.ENTER)
    me.sees(".wrong", "Box:")
    me.axe()
    assert last(me, "adds").get_attribute("value") == "ten"
    last(me, "adds").send_keys(Keys.CONTROL, "a")
    last(me, "adds").send_keys("10 %")
    last(me, "adds").send_keys(Keys.CONTROL, "s")
    wait_until(lambda: shared(ctx))
    (made,) = shared(ctx)
    assert [(one.label, one.amount) for one in made.entries] == [("Paper", Decimal("2.50")), ("Box", Decimal(10))]
    me.open("/choices")
    me.sees("table", "Gift wrap")
    me.axe()
    me.driver.find_element(By.LINK_TEXT, "Gift wrap").click()
    me.sees("h1", "Gift wrap")
    Select(me.driver.find_element(By.ID, "in-kind")).select_by_value("day")
    me.sees("#tried input[type=date]")
    assert not me.driver.find_element(By.ID, "entry_label-0").is_displayed()
    assert me.driver.find_element(By.ID, "in-ahead_days").is_displayed()
    me.axe()


def test_choices_are_put_in_order_in_the_product_by_keyboard(at_screen: Person, ctx):
    yarn = make_product(ctx, "FEL", name="Fellside aran")
    ids = [service.save(ctx, SYSTEM, None, {"name": name, "kind": "line"}, []) for name in ("Card", "Initials")]
    uses.ask(ctx, SYSTEM, yarn, ids, "Yarn")
    me = at_screen
    me.open(f"/products/{yarn}")
    up = me.driver.find_element(By.CSS_SELECTOR, "[aria-label='Ask Initials earlier']")
    up.send_keys(Keys.ENTER)
    me.driver.find_element(By.CSS_SELECTOR, "#choices [data-main]").send_keys(Keys.ENTER)
    me.sees("#says", "Choices changed")
    assert asked(ctx, yarn) == ["Initials", "Card"]
    me.driver.find_element(By.CSS_SELECTOR, "[aria-label='Do not ask Card']").send_keys(Keys.ENTER)
    me.driver.find_element(By.CSS_SELECTOR, "#choices [data-main]").send_keys(Keys.ENTER)
    me.gone("[aria-label='Do not ask Card']")
    wait_until(lambda: asked(ctx, yarn) == ["Initials"])
    me.sees("#choices", "1 choice that buyers are asked")
    me.axe()
