"""What goes with a product and what is downloaded with it, put together by a merchant; pictures large, for a buyer."""

from decimal import Decimal

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from graupel.core.pictures import Picture
from graupel.core.roles import SYSTEM
from graupel.features.downloads import service as downloads
from graupel.features.media import service as media
from graupel.features.relations import service as relations
from tests.browser.conftest import Person, wait_until
from tests.making import jpeg, make_product


def related(ctx, product_id):
    found = ctx.db.run(lambda tx: relations.of_product(ctx, tx, product_id))
    return [one.row["other_id"] for one in found]


def test_related_goods_are_found_added_and_put_in_order_by_drag_and_keyboard(at_screen: Person, ctx):
    me = at_screen
    wool, needles, buttons = (make_product(ctx, f"FEL-{number}") for number in (1, 2, 3))
    me.open(f"/products/{wool}")
    for sku in ("FEL-2", "FEL-3"):
        me.fill("#find-related", sku)
        me.sees(".found-goods", sku)
        me.axe()
        me.driver.find_element(By.CSS_SELECTOR, ".found-goods button").click()
        me.sees("#relations tbody", sku)
    assert related(ctx, wool) == [needles, buttons]
    me.driver.find_elements(By.CSS_SELECTOR, "#relations [data-up-row]")[1].send_keys(Keys.ENTER)
    me.driver.switch_to.active_element.send_keys(Keys.CONTROL, "s")
    wait_until(lambda: related(ctx, wool) == [buttons, needles])
    wait_until(lambda: not me.driver.find_elements(By.CSS_SELECTOR, ".htmx-request"))
    me.open(f"/products/{wool}")
    me.sees("#relations [data-row]:first-child", "FEL-3")
    grips = me.driver.find_elements(By.CSS_SELECTOR, "#relations .grip")
    me.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", grips[0])
    drag = ActionChains(me.driver, duration=60).click_and_hold(grips[0]).move_by_offset(0, 20)
    drag.move_to_element_with_offset(grips[1], 0, 14).pause(0.2).release().perform()
    me.sees("#relations [data-row]:first-child", "FEL-2")
    me.driver.find_element(By.CSS_SELECTOR, "#relations [data-main]").click()
    wait_until(lambda: related(ctx, wool) == [needles, buttons])
    me.axe()
    me.open("/relations")
    me.sees("h1", "Kinds of relation")
    me.axe()


def test_files_come_into_a_product_in_pieces(at_screen: Person, ctx, tmp_path):
    me = at_screen
    product_id = make_product(ctx, "FEL-1")
    file = tmp_path / "film.bin"
    file.write_bytes(bytes(range(256)) * 40_000)  # more than a piece
    me.open(f"/products/{product_id}")
    me.sees("#downloads")
    me.driver.find_element(By.CSS_SELECTOR, "#downloads input[type=file]").send_keys(str(file))
    me.sees("#downloads td", "film.bin")
    me.axe()
    (used,) = ctx.db.run(lambda tx: downloads.of_product(tx, product_id))
    assert used.download.newest["bytes"] == 256 * 40_000
    me.driver.find_element(By.LINK_TEXT, "film.bin").click()
    me.sees("h1", "film.bin")
    me.fill("#in-name", "A film of dyeing")
    me.fill("#in-times", "many")
    me.driver.find_element(By.ID, "in-times").send_keys(Keys.CONTROL, "s")
    me.sees("#wrong-times", "Write a number from 1")
    me.axe()
    me.fill("#in-times", "3")
    me.driver.find_element(By.ID, "in-times").send_keys(Keys.CONTROL, "s")
    me.sees("h1", "A film of dyeing")
    assert downloads.read(ctx, SYSTEM, used.download.id).download.row["times"] == 3
    me.open("/downloads")
    me.sees("table", "A film of dyeing")
    me.axe()


def test_pictures_of_an_article_are_looked_at_large_by_keys(at_screen: Person, ctx):
    me = at_screen
    files = [media.take(ctx, SYSTEM, f"{colour}.jpg", jpeg(700, f"#{colour}")) for colour in ("8C7AA0", "1D5C57")]
    shown = tuple(Picture(file.id, f"Skein {number}") for number, file in enumerate(files, 1))
    product_id = make_product(ctx, "FEL-1", pictures=shown)
    me.open(f"/shop/p/{product_id}-x")
    me.driver.find_element(By.CSS_SELECTOR, "a.larger").send_keys(Keys.ENTER)
    me.sees("#gallery p", "Skein 1 1 / 2")
    me.axe()
    me.driver.switch_to.active_element.send_keys(Keys.ARROW_RIGHT)
    me.sees("#gallery p", "Skein 2 2 / 2")
    me.driver.switch_to.active_element.send_keys(Keys.ESCAPE)
    me.gone("#gallery")
    assert "Skein 2" in me.driver.switch_to.active_element.get_attribute("aria-label")
    me.open("/searches")
    me.sees("h1", "Searches")
    me.axe()


def test_a_kit_is_put_together_priced_by_its_parts_and_bought_with_a_pick(at_screen: Person, ctx):
    me = at_screen
    made = [
        make_product(ctx, sku, price=Decimal(10), name=f"Yarn {sku}", stock=8) for sku in ("MOSS", "RUST", "RIBBON")
    ]
    kit = make_product(ctx, "KIT", name="Hat kit", price=Decimal(1))
    me.open(f"/products/{kit}")
    for sku in ("MOSS", "RUST", "RIBBON"):
        me.fill("#find-part", sku)
        me.sees("#found-parts", sku)
        me.axe()
        me.driver.find_element(By.CSS_SELECTOR, "#found-parts button").click()
        me.sees("#kit tbody", sku)
    quantities, picks = (
        me.driver.find_elements(By.CSS_SELECTOR, f"#kit [name={name}]") for name in ("quantities", "picks")
    )
    for field, text in ((quantities[1], "2"), (picks[0], "Colour"), (picks[1], "Colour"), (quantities[2], "lots")):
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(text)
    Select(me.driver.find_element(By.ID, "kit-priced")).select_by_value("parts")
    me.fill("#kit-percent", "10")
    me.driver.find_element(By.ID, "kit-percent").send_keys(Keys.CONTROL, "s")
    me.sees("#kit .wrong", "is no quantity")
    me.axe()
    assert [one.get_attribute("value") for one in me.driver.find_elements(By.CSS_SELECTOR, "#kit [name=picks]")] == [
        "Colour", "Colour", "",
    ]  # fmt: skip
    last = me.driver.find_elements(By.CSS_SELECTOR, "#kit [name=quantities]")[2]
    last.send_keys(Keys.CONTROL, "a")
    last.send_keys("0.5", Keys.CONTROL, "s")
    me.sees("#kit h2", "3 parts, enough for 8")
    me.sees("#mirror .cost", "€13.50")
    me.axe()
    wait_until(lambda: not me.driver.find_elements(By.CSS_SELECTOR, ".htmx-request"))
    _closes_the_tab_and_comes_back(me, kit)
    me.press("as a buyer")
    me.sees("#kit", "0.5 × Yarn RIBBON")
    Select(me.sees("#choices select")).select_by_visible_text("Yarn RUST +€9.00")
    me.sees("#together", "€22.50")
    me.axe()
    me.press("Into the basket")
    me.sees("table.lines", "Yarn RUST")
    assert len(made) == 3


def _closes_the_tab_and_comes_back(me: Person, kit: int) -> None:
    """What is typed into the parts of a kit is offered again where the page is opened next."""
    typed = "#kit tr:nth-child(3) [name=quantities]"
    me.fill(typed, "0.75")
    wait_until(lambda: "0.75" in str(me.driver.execute_script("return JSON.stringify(Object.entries(localStorage))")))
    me.driver.switch_to.new_window("tab")
    me.open(f"/products/{kit}")
    me.sees(".note.kept", "was not saved")
    me.press("Put it back")
    assert me.sees(typed).get_attribute("value") == "0.75"
    me.driver.close()
    me.driver.switch_to.window(me.driver.window_handles[0])
    me.fill(typed, "0.5")
    me.sees("#kit h2", "3 parts, enough for 8")


def test_many_relations_are_made_as_lines_and_by_categories_and_replaced(at_screen: Person, ctx):
    me = at_screen
    wool, needles, hook = (make_product(ctx, sku) for sku in ("FEL-1", "NDL-4", "HOOK-5"))
    me.open("/relations/lines")
    me.fill("#in-text", "FEL-1, Accessories, NDL-9\n")
    me.press("Look what it does")
    me.sees(".wrongs", "NDL-9")
    me.axe()
    me.fill("#in-text", "FEL-1, Accessories, NDL-4\n")
    me.press("Look what it does")
    me.press("Make 1 relation")
    me.sees("#says", "Relations brought in: 1 new one")
    assert related(ctx, wool) == [needles]
    me.open(f"/products/{needles}/relations/replace?q=hook")
    me.axe()
    me.press("Look")
    me.press("Put it in 1 place")
    me.sees("#replacing .note", "Nothing refers to it")
    assert related(ctx, wool) == [hook]
    me.open("/relations")
    for name, text in (("of_category", "Yarn"), ("rule_kind", "Accessories"), ("other_category", "Yarn > Aran")):
        Select(me.driver.find_element(By.ID, f"in-{name}")).select_by_visible_text(text)
    me.press("Add the rule")
    me.sees("#relation-kinds table", "Yarn > Aran")
    me.axe()
    me.size(400, 800)
    for path in ("/relations", "/relations/lines", f"/products/{needles}/relations/replace", "/reviews"):
        me.open(path)
        me.sees("h1")
        assert me.driver.execute_script("return document.documentElement.scrollWidth") <= 400, path
