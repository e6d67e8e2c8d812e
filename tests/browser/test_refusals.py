"""A form that was refused: why stands beside the field, what was typed is still there, and the next try is clean."""

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from graupel.core.attributes import AttributeKind
from graupel.core.roles import SYSTEM
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.attributes import Definition
from tests.browser.conftest import Person, wait_until


def test_why_a_form_was_refused_stands_beside_its_field(at_screen: Person, ctx):
    me = at_screen
    brand = vocabulary.make(ctx, SYSTEM, "brand", "Carrow Mill").id
    vocabulary.make(ctx, SYSTEM, "brand", "Fellside")
    vocabulary.make(ctx, SYSTEM, "tag", "summer")
    me.open(f"/vocabulary/brands/{brand}")
    name, tags = me.sees("#in-name"), me.sees("#in-tags")
    tags.send_keys("summer")
    name.clear()
    name.send_keys(Keys.CONTROL, "s")
    line = me.sees("#field-name .wrong", "name")
    wait_until(lambda: me.driver.switch_to.active_element == name)
    assert name.get_attribute("aria-invalid") == "true"
    assert line.get_attribute("id") in name.get_attribute("aria-describedby").split()
    assert tags.get_attribute("value") == "summer", "what was typed beside it stays"
    me.axe()
    # Refused for another reason: the first one is gone.
    name.send_keys("Fellside", Keys.CONTROL, "s")
    me.sees("#field-name .wrong", "Fellside")
    assert len(me.driver.find_elements(By.CSS_SELECTOR, ".wrong")) == 1
    name.clear()
    name.send_keys("Carrow", Keys.CONTROL, "s")
    me.sees(".toast-line", "Saved.")
    assert not me.driver.find_elements(By.CSS_SELECTOR, ".wrong")
    found = vocabulary.read_named(ctx, SYSTEM, "brand", brand)
    assert (found.name, list(found.tags)) == ("Carrow", ["summer"])


def test_of_a_list_of_fields_the_one_that_is_wrong_is_marked(at_screen: Person, ctx):
    me = at_screen
    colour = attributes.make(
        ctx, SYSTEM, Definition("Colour", AttributeKind.COLOUR, choices=["Heather", "Oat", "Rust"])
    )
    me.open(f"/vocabulary/attributes/{colour.id}")
    me.sees("[name=code]")
    codes = me.driver.find_elements(By.NAME, "code")
    codes[1].clear()
    codes[1].send_keys("?!", Keys.CONTROL, "s")
    me.sees(".wrong", "“?!” can't be a code")
    assert [one.get_attribute("aria-invalid") for one in codes] == [None, "true", None]
    assert me.driver.switch_to.active_element == codes[1]
    me.axe()
    codes[1].clear()
    codes[1].send_keys("HEA", Keys.CONTROL, "s")
    me.sees(".wrong", "Two choices have the code HEA.")
    codes[1].clear()
    codes[1].send_keys("OA", Keys.CONTROL, "s")
    me.sees(".toast-line", "Saved.")
