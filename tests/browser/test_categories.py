"""The category tree typed, moved and renamed as a person would, by keyboard and by dragging."""

from selenium.common.exceptions import StaleElementReferenceException
from selenium.webdriver import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from graupel.core.roles import SYSTEM
from graupel.features.categories import editing, service
from graupel.features.media import service as media
from graupel.features.vocabulary import service as vocabulary
from tests.browser.conftest import Person, wait_until
from tests.making import jpeg, make_product


def paths(ctx) -> list[str]:
    return [one.path for one in service.read_tree(ctx)]


def node(me: Person, name: str):
    """The line of a category, as soon as it is there."""

    def look():
        for label in me.driver.find_elements(By.CSS_SELECTOR, "#trees .label"):
            if label.text == name:
                return label.find_element(By.XPATH, "./ancestor::li[1]")
        return None

    return wait_until(lambda: _calm(look))


def _calm(look):
    """What is found, unless the tree is just drawn anew."""
    try:
        return look()
    except StaleElementReferenceException:
        return None


def press(me: Person, *keys: str) -> None:
    """Keys pressed together, on what has the focus."""
    chain = ActionChains(me.driver)
    for key in keys[:-1]:
        chain.key_down(key)
    chain.send_keys(keys[-1])
    for key in keys[:-1]:
        chain.key_up(key)
    chain.perform()


def type_names(me: Person, ctx, *names: str) -> None:
    """Each name with Enter, in the line for new ones; Escape ends it."""
    for name in names:
        me.sees(".new-line input").send_keys(name, Keys.ENTER)
        wait_until(lambda name=name: name in [one.name for one in service.read_tree(ctx)])
        node(me, name)
    me.sees(".new-line input").send_keys(Keys.ESCAPE)


def focus(me: Person, name: str) -> None:
    me.driver.execute_script("arguments[0].querySelector('.node').focus()", node(me, name))


def stands(me: Person, name: str, level: int) -> None:
    """Waits until the tree is drawn with a category at a level."""
    line = f"[role=treeitem][aria-level='{level}']"
    wait_until(
        lambda: _calm(
            lambda: any(name == one.text.split("\n")[0] for one in me.driver.find_elements(By.CSS_SELECTOR, line))
        )
    )


def tops(me: Person):
    """The categories of the first level, as the tree is drawn."""
    return me.driver.find_elements(By.CSS_SELECTOR, "[role=treeitem][aria-level='1']")


def test_the_tree_is_typed_moved_and_renamed_by_keyboard(at_screen: Person, ctx):
    me = at_screen
    me.go("Goods", "Categories")
    me.sees(".tree-head button").click()
    me.sees(".new-line input")
    me.axe()
    type_names(me, ctx, "Yarn", "Needles", "Gifts")
    focus(me, "Yarn")
    press(me, Keys.SHIFT, Keys.INSERT)
    me.sees(".new-line input")
    me.axe()
    type_names(me, ctx, "Aran", "Lace")
    me.axe()
    assert paths(ctx) == ["Yarn", "Yarn > Aran", "Yarn > Lace", "Needles", "Gifts"]
    focus(me, "Lace")
    press(me, Keys.ALT, Keys.ARROW_UP)
    wait_until(lambda: paths(ctx)[1] == "Yarn > Lace")
    wait_until(lambda: _calm(lambda: me.driver.switch_to.active_element.text.startswith("Lace")))
    press(me, Keys.ALT, Keys.ARROW_LEFT)
    wait_until(lambda: paths(ctx) == ["Yarn", "Yarn > Aran", "Lace", "Needles", "Gifts"])
    stands(me, "Lace", 1)
    # Keys that are pressed faster than the tree is drawn all count.
    focus(me, "Lace")
    for arrow, stand in (
        (Keys.ARROW_DOWN, ["Needles", "Gifts", "Lace"]),
        (Keys.ARROW_UP, ["Lace", "Needles", "Gifts"]),
    ):
        press(me, Keys.ALT, arrow + arrow)
        wait_until(lambda stand=stand: paths(ctx)[2:] == stand)
        wait_until(lambda stand=stand: _calm(lambda: [one.text.split("\n")[0] for one in tops(me)][1:] == stand))
        wait_until(lambda: _calm(lambda: me.driver.switch_to.active_element.text.startswith("Lace")))
    focus(me, "Needles")
    press(me, Keys.ALT, Keys.ARROW_RIGHT)
    wait_until(lambda: "Lace > Needles" in paths(ctx))
    stands(me, "Needles", 2)
    focus(me, "Lace")
    press(me, Keys.F2)
    me.sees("#trees .label input").send_keys(Keys.CONTROL, "a")
    me.sees("#trees .label input").send_keys("Fine yarns", Keys.ENTER)
    node(me, "Fine yarns")
    wait_until(lambda: "Fine yarns > Needles" in paths(ctx))
    # What breaks a rule is said, and the tree stays as it was.
    focus(me, "Gifts")
    press(me, Keys.F2)
    me.sees("#trees .label input").send_keys(Keys.CONTROL, "a")
    me.sees("#trees .label input").send_keys("Yarn", Keys.ENTER)
    me.sees("#says", "of this name at this place already")
    assert "Gifts" in paths(ctx)


def test_a_branch_is_dragged_into_another_and_found_again_by_search(at_screen: Person, ctx):
    service.add(ctx, SYSTEM, "Yarn\n  Aran\n  Lace\nNeedles\n  Hooks", -1)
    me = at_screen
    me.open("/categories")
    focus(me, "Yarn")
    press(me, Keys.ARROW_RIGHT)
    target = node(me, "Lace").find_element(By.CSS_SELECTOR, ".node")
    handle = node(me, "Needles").find_element(By.CSS_SELECTOR, ".label")
    way = target.rect["y"] - handle.rect["y"]
    drag = ActionChains(me.driver, duration=30).click_and_hold(handle).move_by_offset(2, -8)
    for _ in range(8):
        drag.move_by_offset(0, way // 8)
    drag.perform()
    above = me.sees("#trees .sortable-ghost").find_element(By.XPATH, "./..").get_attribute("data-parent")
    ActionChains(me.driver).release().perform()
    # It lands where it was shown while it was dragged, somewhere within Yarn, with all below it.
    wait_until(lambda: any(path.startswith("Yarn > ") and path.endswith("Needles > Hooks") for path in paths(ctx)))
    needles = next(one for one in service.read_tree(ctx) if one.name == "Needles")
    assert str(needles.parent) == above
    me.fill("#find", "hooks")
    me.sees(".found-list a", "Needles > Hooks").click()
    me.sees("#category-one h1", "Hooks")
    me.axe()


def test_a_category_is_written_shown_to_buyers_and_deleted_with_its_goods_moved(at_screen: Person, ctx):
    make_product(ctx, "FEL", name="Fellside", category="Yarn > Aran")
    make_product(ctx, "LAC", name="Lanternfish", category="Yarn > Lace")
    me = at_screen
    me.open("/categories")
    focus(me, "Yarn")
    press(me, Keys.ARROW_RIGHT)
    node(me, "Aran").find_element(By.CSS_SELECTOR, ".label").click()
    me.sees("#category-one h1", "Aran")
    me.fill("#in-name", "Aran yarns")
    me.sees(".ProseMirror").click()
    ActionChains(me.driver).send_keys("Thick and warm.").perform()
    me.fill("#in-address_part", "Not an address!")
    me.sees(".found-title", "Aran yarns ·")
    press(me, Keys.CONTROL, "s")
    me.sees("#wrong-address_part-1", "can't stand in an address")
    me.fill("#in-address_part", "thick")
    press(me, Keys.CONTROL, "s")
    me.sees("#category-one .toast-line", "Saved.")
    me.axe()
    me.press("In the shop")
    me.sees(".copy", "Thick and warm.")
    assert me.driver.current_url.endswith("-thick")
    me.axe()
    me.driver.back()
    me.press("Delete")
    me.sees("#delete li", "1 of them is live and needs a main one")
    me.axe()
    me.sees("#in-into").send_keys("Yarn > Lace")
    me.sees("#delete li", "1 product goes to Yarn > Lace")
    me.driver.find_element(By.CSS_SELECTOR, "#delete .btn.danger").click()
    me.sees("#category .empty")
    assert paths(ctx) == ["Yarn", "Yarn > Lace"]
    me.size(400, 800)
    me.open("/categories")
    node(me, "Yarn")
    assert me.driver.execute_script("return document.documentElement.scrollWidth") <= 400


def test_a_category_gets_a_picture_of_the_library_and_a_tag_beside_one_like_it(at_screen: Person, ctx):
    file = media.take(ctx, SYSTEM, "meadow.jpg", jpeg(colour="#3F6B57"))
    category = service.add(ctx, SYSTEM, "Yarn", -1)[0]
    vocabulary.make(ctx, SYSTEM, "tag", "Winter")
    me = at_screen
    me.open(f"/categories/{category}")
    me.press("From the library")
    me.sees("#picker [data-name='meadow.jpg']").click()
    me.sees(".poster-field img")
    # A word like one that is there is asked about; it is made all the same where that is meant.
    me.sees("#in-tags-ts-control").send_keys("Wintr", Keys.ENTER)
    me.sees(".near", "“Wintr” is much like “Winter”")
    me.axe()
    me.press("Take Winter")
    me.sees(".ts-control .item", "Winter")
    press(me, Keys.CONTROL, "s")
    me.sees(".toast-line", "Saved")
    detail = editing.read(ctx, SYSTEM, category)
    assert (detail.values.picture_id, detail.values.tags) == (file.id, ("Winter",))
