"""What goes with a product and what is downloaded with it, put together by a merchant; pictures large, for a buyer."""

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

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
