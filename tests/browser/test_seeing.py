"""The lens, translating and the goods of categories, used as a person would: by mouse, by keyboard and by dragging."""

import itertools
from dataclasses import replace
from decimal import Decimal

from selenium.webdriver import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.expected_conditions import staleness_of

from graupel.core.attributes import Fact
from graupel.core.roles import SYSTEM, Role
from graupel.features.assortments import service as assortments
from graupel.features.categories import editing
from graupel.features.categories import service as categories
from graupel.features.products import service as products
from tests.browser.conftest import Person, wait_until
from tests.browser.test_categories import focus, node, paths, press
from tests.conftest import person
from tests.making import add_german, add_outlet, make_product
from tests.needles import size

__all__ = ["size"]

LONG = "Nadelspielstricknadelaufbewahrungstäschchen aus handgewebtem Schafwollstoff"


def own(ctx, product_id: int) -> dict[str, str]:
    return dict(products.read(ctx, SYSTEM, product_id).values.own)


def test_a_product_is_translated_and_the_lens_shows_it(at_screen: Person, ctx):
    me = at_screen
    add_german(ctx)
    yarn = make_product(ctx, "FEL-1", name="Fellside aran", short_text="Of wool", price=Decimal("9.80"))
    shop = add_outlet(ctx)
    me.open(f"/products/{yarn}")
    me.axe()
    me.sees(".lens summary", "English").click()
    me.press("German")
    me.sees(".origin-line", "German is missing: English shown")
    field = me.sees("#in-name")
    assert field.get_attribute("placeholder") == "Fellside aran"
    field.send_keys("Fellside-Garn")
    me.sees("#mirror b", "Fellside-Garn")
    me.axe()
    field.send_keys(Keys.CONTROL, "s")
    me.sees(".toast-line", "Saved: Name")
    assert own(ctx, yarn) == {".de.name": "Fellside-Garn"}
    me.sees("#mirror", "9,80")
    me.go("Goods", "Products")
    me.sees("#goods a.open", "Fellside-Garn")
    assert "lens=de" in me.driver.current_url, "the address carries it"
    me.sees(".lens summary", "German").click()
    me.press("Last Skeins")
    me.sees(".lens.other summary", "Last Skeins")
    cell = me.sees(f'td[data-cell="p{yarn}:price"]', "9,80")
    ActionChains(me.driver).double_click(cell).perform()
    me.sees(f'td[data-cell="p{yarn}:price"] input').send_keys("7,50", Keys.ENTER)
    wait_until(lambda: own(ctx, yarn).get(f"s{shop}..price") == "7.50")
    me.sees(f'td[data-cell="p{yarn}:price"]', "7,50")
    me.press("Back to default")
    me.sees(f'td[data-cell="p{yarn}:price"]', "9.80")
    me.sees("#goods a.open", "Fellside aran").click()
    me.sees("#in-name", "Fellside aran")
    me.open(f"/products/{yarn}?lens=de")
    me.press("Back to inherited")
    me.sees("#in-name").send_keys(Keys.CONTROL, "s")
    me.sees(".toast-line", "Saved")
    assert ".de.name" not in own(ctx, yarn)


def test_texts_are_translated_by_keyboard_from_one_to_the_next(at_screen: Person, ctx):
    me = at_screen
    add_german(ctx)
    first = make_product(ctx, "A-1", name="Wool", description="<p>Soft</p>")
    second = make_product(ctx, "A-2", name="Silk")
    me.open("/products")
    me.go("Goods", "Translate")
    me.sees("#translating h1", "German: 0 %")
    me.axe()
    field = me.sees("[name=value]")
    field.send_keys("Wolle", Keys.CONTROL, Keys.ENTER)
    wait_until(lambda: own(ctx, first) == {".de.name": "Wolle"})
    me.sees(f"#at-product-{first}-name", "Done")
    rich = me.driver.switch_to.active_element
    assert rich.tag_name == "textarea"
    press(me, Keys.ALT, "c")
    assert rich.get_attribute("value") == "<p>Soft</p>"
    press(me, Keys.CONTROL, Keys.ENTER)
    wait_until(lambda: own(ctx, first).get(".de.description") == "<p>Soft</p>")
    me.driver.switch_to.active_element.send_keys(LONG, Keys.TAB)
    wait_until(lambda: own(ctx, second) == {".de.name": LONG})
    for path in ("/products?lens=de", f"/products/{second}?lens=de", f"/shop/de/p/{second}", "/translate/de?state=all"):
        for width in (1280, 400):
            me.size(width, 800)
            me.open(path)
            me.sees("main")
            wide = me.driver.execute_script("return document.documentElement.scrollWidth")
            assert wide <= width, (path, width, wide)
    me.size(1280, 800)


def test_goods_are_dragged_into_a_category_and_put_in_order(at_screen: Person, ctx):
    me = at_screen
    ids = {name: make_product(ctx, f"G-{name}", name=f"Skein {name}", category="Yarn") for name in "ABC"}
    window = categories.make(ctx, SYSTEM, "Window").id
    assortments.put_in(ctx, SYSTEM, window, [ids["A"], ids["B"]])
    me.open(f"/categories/{window}/goods")
    me.axe()
    me.sees(".goods-list li", "Skein B")
    me.fill("#in-find-goods", "skein c")
    found = me.sees("#found-goods li", "Skein C")
    target = me.sees("[data-goods] li", "Skein A")
    ActionChains(me.driver).click_and_hold(found).move_by_offset(0, 8).move_to_element_with_offset(target, 0, 4).pause(
        0.2
    ).move_by_offset(0, 3).release().perform()
    wait_until(lambda: set(assortments.placed(ctx, SYSTEM, window).ids) == set(ids.values()))
    me.sees("h1", "3 products")
    before = assortments.placed(ctx, SYSTEM, window).ids
    me.driver.execute_script("document.querySelector('[data-goods] li').focus()")
    press(me, Keys.ALT, Keys.ARROW_DOWN)
    wait_until(lambda: assortments.placed(ctx, SYSTEM, window).ids == [before[1], before[0], before[2]])
    me.press("Add a condition")
    me.sees(".condition select[name=field]").send_keys("Name")
    me.sees(".condition input[name=value]").send_keys("Skein A")
    me.press("See who comes and goes")
    me.sees(".conditions .note", "1 would come")
    me.axe()
    me.press("Keep these conditions")
    wait_until(lambda: len(assortments.placed(ctx, SYSTEM, window).conditions) == 1)
    me.sees(".condition input[name=value]", "Skein A")


def test_the_demo_shops_tree_is_built_by_dragging(at_screen: Person, ctx):
    """Yarn with its weights, Notions with buttons and ribbon: typed flat, then dragged into shape."""
    me = at_screen
    names = ["Yarn", "Aran", "Lace", "Notions", "Buttons", "Ribbon"]
    categories.add(ctx, SYSTEM, "\n".join(names), -1)
    me.open("/categories")
    for name, into in (("Aran", "Yarn"), ("Lace", "Yarn"), ("Buttons", "Notions"), ("Ribbon", "Notions")):
        drag_into(me, ctx, name, into)
    assert set(paths(ctx)) == {"Yarn", "Yarn > Aran", "Yarn > Lace", "Notions", "Notions > Buttons", "Notions > Ribbon"}
    focus(me, "Aran")
    press(me, Keys.SPACE)
    focus(me, "Lace")
    press(me, Keys.SPACE)
    me.sees("#says", "2 categories picked")
    press(me, Keys.ALT, Keys.ARROW_LEFT)
    wait_until(lambda: {"Yarn", "Aran", "Lace"} <= set(paths(ctx)))


def drag_into(me: Person, ctx, name: str, into: str) -> None:
    """Drags a category below another, where the gap for it opens."""
    asking = "return document.querySelectorAll('#trees.htmx-request').length"
    wait_until(lambda: not me.driver.execute_script(asking))  # what was moved before is drawn first
    line = node(me, name).find_element(By.CSS_SELECTOR, ".node .label")
    ActionChains(me.driver, duration=40).click_and_hold(line).move_by_offset(2, -4).move_by_offset(2, -6).perform()
    me.sees("#trees .sortable-ghost")

    below_the_top = itertools.cycle((3, 6, 9, 12))

    def is_there() -> bool:
        gap = node(me, into).find_element(By.CSS_SELECTOR, ":scope > .level")
        to = next(below_the_top) - gap.rect["height"] // 2
        ActionChains(me.driver, duration=40).move_to_element_with_offset(gap, 3, to).perform()
        return bool(gap.find_elements(By.CSS_SELECTOR, ":scope > .sortable-ghost"))

    wait_until(is_there)
    drawn = me.sees("#trees")
    ActionChains(me.driver).release().perform()
    wait_until(lambda: f"{into} > {name}" in paths(ctx))
    wait_until(lambda: staleness_of(drawn)(me.driver))  # drawn anew, so that the next drag takes hold of what stays
    node(me, name)


def test_shops_are_added_and_the_pages_are_sound(at_screen: Person, ctx, size):
    me = at_screen
    thin, thick, _ = size.choices
    make_product(ctx, "FEL-1", name="Thin", facts={size.id: Fact((thin.id,))})
    make_product(ctx, "FEL-2", name="Thick", facts={size.id: Fact((thick.id,))})
    person(ctx, Role.OWNER)
    me.sign_in(Role.OWNER)
    me.sees(".list-head h1")
    me.open("/shops")
    me.axe()
    me.press("Add a shop")
    me.fill("#in-name", "Outlet")
    me.press("Add shop")
    me.sees(".head h1", "Outlet")
    me.sees("#assortment", "0 live products shown")
    me.driver.find_element(By.CSS_SELECTOR, "#assortment input[value=all]").click()
    me.sees("#assortment", "2 live products shown")
    me.axe()
    me.press("Open its shop window")
    me.sees("header .name", "Outlet")
    me.open(f"/shop/c/{categories.make(ctx, SYSTEM, 'Yarn > Aran').id}")
    me.press("Narrow down")
    focus = "document.getElementById(arguments[0]).focus()"
    me.driver.execute_script(focus, f"f{thin.id}")
    press(me, Keys.SPACE)
    shelf = "return document.querySelector('.shelf').innerText"
    wait_until(lambda: "Thick" not in me.driver.execute_script(shelf))
    assert me.driver.execute_script("return document.activeElement.id") == f"f{thin.id}", "the focus stays"
    assert me.driver.current_url.endswith(f"?f={thin.id}")
    me.axe()
    me.driver.back()
    wait_until(lambda: "Thick" in me.driver.execute_script(shelf))


def test_a_categorys_text_is_written_in_german_and_goes_back_to_what_is_inherited(at_screen: Person, ctx):
    me = at_screen
    add_german(ctx)
    yarn = categories.make(ctx, SYSTEM, "Yarn").id
    detail = editing.read(ctx, SYSTEM, yarn)
    editing.save(ctx, SYSTEM, yarn, replace(detail.values, description="<p>Soft</p>"))

    def german() -> dict[str, str]:
        return dict(editing.read(ctx, SYSTEM, yarn).own)

    me.open(f"/categories/{yarn}?lens=de")
    me.press("German is missing: English shown")
    me.press("Begin with it")
    me.sees("#field-description .rich", "Soft")
    assert me.sees("#rich-description").get_attribute("lang") == "de"  # so that German is checked as German
    me.sees("#in-name").send_keys("Garne", Keys.CONTROL, "s")
    wait_until(lambda: german() == {".de.name": "Garne", ".de.description": "<p>Soft</p>"})
    me.sees("#trees .label", "Garne")
    me.sees("#origin-name", "written in German").find_element(By.TAG_NAME, "button").click()
    me.sees("#in-name").send_keys(Keys.CONTROL, "s")
    wait_until(lambda: german() == {".de.description": "<p>Soft</p>"})
    me.axe()
