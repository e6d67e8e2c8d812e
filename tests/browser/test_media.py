"""Pictures dragged in, put in order, given to variants, found again in the library and replaced everywhere."""

from pathlib import Path

from selenium.webdriver import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from graupel.core.roles import SYSTEM
from graupel.features.media import service as media
from graupel.features.products import service as products
from tests.browser.conftest import Person, wait_until
from tests.making import jpeg, make_product
from tests.needles import by_label, colour, needles, size

__all__ = ["colour", "needles", "size"]


def drag_in(me: Person, *paths: Path) -> None:
    """Several files at once."""
    me.driver.find_element(By.ID, "in-file").send_keys("\n".join(map(str, paths)))


def written(folder: Path, **colours: str) -> dict[str, Path]:
    """Pictures in files, by name."""
    for name, shade in colours.items():
        (folder / f"{name}.jpg").write_bytes(jpeg(600, shade))
    return {name: folder / f"{name}.jpg" for name in colours}


def in_order(me: Person) -> list[str]:
    return [e.text for e in me.driver.find_elements(By.CSS_SELECTOR, ".tile .facts a")]


def test_pictures_are_ordered_by_mouse_and_by_keyboard(at_screen: Person, ctx, tmp_path: Path):
    product_id = make_product(ctx, "FEL-1")
    files = written(tmp_path, first="#111111", second="#777777", third="#DDDDDD")
    (tmp_path / "broken.jpg").write_bytes(b"MZ no picture")
    me = at_screen
    me.open(f"/products/{product_id}")
    for name in files:
        drag_in(me, files[name])
        me.sees(".tile .facts", f"{name}.jpg")
    tiles = me.driver.find_elements(By.CSS_SELECTOR, ".tile [data-grip]")
    me.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", tiles[1])
    ActionChains(me.driver).click_and_hold(tiles[0]).move_by_offset(3, 10).move_to_element(tiles[1]).move_by_offset(
        0, 30
    ).release().perform()
    me.sees(".tile:nth-child(1) .facts", "second.jpg")
    me.sees('[aria-label="Move third.jpg forward"]').send_keys(Keys.ENTER)
    me.sees(".tile:nth-child(2) .facts", "third.jpg")
    drag_in(me, tmp_path / "broken.jpg")
    me.sees("[data-uploads] .wrong", "“broken.jpg” is not a picture: inside it is a program")
    me.axe()
    me.press("Save")
    me.sees("[data-said]", "Saved: Pictures")
    me.open(f"/products/{product_id}")
    assert in_order(me) == ["second.jpg", "third.jpg", "first.jpg"]


def test_pictures_find_their_variants_and_alt_texts_are_one_press(at_screen: Person, ctx, needles, tmp_path: Path):
    files = written(tmp_path, drawer="#111111", heather="#8C7AA0", oat="#CDBE9C", rust="#A8552F")
    me = at_screen
    me.open(f"/products/{needles}")
    drag_in(me, *files.values())
    wait_until(lambda: sorted(in_order(me)) == ["drawer.jpg", "heather.jpg", "oat.jpg", "rust.jpg"])
    me.sees(".tile .ts-control .item", "Heather")
    me.sees(".tile .ts-control .item", "Oat")
    # By hand: rust is for one variant alone.
    rust = next(e for e in me.driver.find_elements(By.CSS_SELECTOR, ".tile") if "rust.jpg" in e.text)
    chooser = rust.find_element(By.CSS_SELECTOR, ".ts-control input")
    chooser.send_keys(Keys.BACKSPACE, "Rust, 4 mm", Keys.ENTER)
    me.sees(".tile .ts-control .item", "Rust, 4 mm")
    me.driver.find_element(By.CSS_SELECTOR, ".tile [name=title]").send_keys("In the drawer")
    me.sees("#alts", "4 of 4 have no alt text")
    me.axe()
    me.press("Take the suggestions")
    me.sees("#alts", "All have an alt text")
    ActionChains(me.driver).key_down(Keys.CONTROL).send_keys("s").key_up(Keys.CONTROL).perform()
    me.sees("[data-said]", "Saved: Pictures")
    product = products.read(ctx, SYSTEM, needles)
    said = {file.file_name: one for file, one in zip(product.pictures, product.values.pictures, strict=True)}
    assert said["heather.jpg"].alt == "Fellside aran NDL, Heather"
    assert said["rust.jpg"].variants == (by_label(ctx, needles)["Rust, 4 mm"].id,)
    assert said["drawer.jpg"].is_for_all
    assert product.values.pictures[0].title == "In the drawer"
    me.open(f"/shop/p/{needles}?v={by_label(ctx, needles)['Rust, 4 mm'].id}")
    me.sees(".views figure:first-child img")
    first = me.driver.find_element(By.CSS_SELECTOR, ".views figure:first-child img")
    assert first.get_attribute("alt") == "Fellside aran NDL, Rust, 4 mm"
    assert "/fellside-aran-ndl-rust-4-mm.webp" in first.get_attribute("src")
    me.axe()


def test_what_was_typed_of_pictures_comes_back_after_a_closed_tab(at_screen: Person, ctx, needles, tmp_path: Path):
    me = at_screen
    me.open(f"/products/{needles}")
    drag_in(me, written(tmp_path, heather="#8C7AA0")["heather"])
    me.sees(".tile .ts-control .item", "Heather")
    me.fill(".tile [name=alt]", "Lilac wool")
    wait_until(lambda: "Lilac wool" in me.driver.execute_script("return JSON.stringify({...localStorage})"))
    me.open(f"/products/{needles}")
    me.press("Put it back")
    me.sees(".tile .ts-control .item", "Heather")
    assert me.sees(".tile [name=alt]").get_attribute("value") == "Lilac wool"


def test_the_library_shows_where_a_file_is_used_and_replaces_it_everywhere(at_screen: Person, ctx, tmp_path: Path):
    one, other = make_product(ctx, "FEL-1", name="Fellside"), make_product(ctx, "QUA-1", name="Quarry")
    files = written(tmp_path, skein="#8C7AA0", better="#3F6B57", loose="#111111")
    me = at_screen
    me.go("Goods", "Media")
    me.sees(".empty")
    me.axe()
    drag_in(me, files["skein"], files["loose"])
    me.sees(".media-tile .name", "skein.jpg")
    me.fill("#link-address", "https://films.example/winding")
    me.press("Add link")
    me.sees(".media-tile .name", "films.example/winding")
    me.axe()
    # Into one product from its page, into another from the library.
    me.open(f"/products/{one}")
    me.press("From the library")
    me.fill("#pick-search", "skein")
    me.gone("[data-name='loose.jpg']")
    me.axe()
    me.sees("[data-name='skein.jpg']").click()
    me.sees(".tile .facts", "skein.jpg")
    me.press("Save")
    me.sees("[data-said]", "Saved: Pictures")
    me.press("skein.jpg")
    me.sees("#media-one .panel", "Used in 1 place")
    me.fill("#use-search", "quarry")
    me.press("Use here")
    me.sees(".tile .facts a", "skein.jpg")
    me.press("skein.jpg")
    me.sees("#media-one .panel", "Used in 2 places")
    me.axe()
    me.driver.find_element(By.ID, "new-file").send_keys(str(files["better"]))
    me.press("Replace in 2 places")
    wait_until(lambda: _accept(me))
    me.sees(".head h1", "better.jpg")
    me.sees(".toast-line", "stands wherever the old one stood")
    shown = {products.read(ctx, SYSTEM, key).pictures[0].file_name for key in (one, other)}
    assert shown == {"better.jpg"}
    # What nothing uses is found and deleted.
    me.go("Goods", "Media")
    me.press("Not used anywhere")
    me.gone("[title='better.jpg']")
    me.press("Choose all here")
    me.press("Delete what is chosen")
    wait_until(lambda: _accept(me))
    me.sees(".empty", "Everything is in use")
    assert set(media.read_many(ctx, range(1, 99))) == {products.read(ctx, SYSTEM, one).pictures[0].id}


def _accept(me: Person) -> bool:
    """Answers the question that is asked."""
    try:
        me.driver.switch_to.alert.accept()
    except Exception:  # not asked yet
        return False
    return True


def test_a_picture_stands_as_swatch_and_is_taken_away_again(at_screen: Person, ctx, colour):
    media.take(ctx, SYSTEM, "felt.jpg", jpeg(200, "#8C7AA0"))
    me = at_screen
    me.open(f"/vocabulary/attributes/{colour.id}")
    me.sees('[aria-label="Picture as swatch of Oat"]').click()
    me.sees("[data-name='felt.jpg']").click()
    me.press("Save")
    me.sees(".swatch-picture img[alt='Swatch of Oat']")
    me.axe()
    me.open("/vocabulary/attributes")
    me.sees("img.swatch")
    me.open(f"/vocabulary/attributes/{colour.id}")
    me.sees('[aria-label="No picture for Oat"]').click()
    me.press("Save")
    me.sees(".toast-line", "Saved.")
    me.gone(".swatch-picture img")
