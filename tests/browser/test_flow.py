"""The whole way as a merchant walks it: from an empty catalogue to a product that a marketplace has taken."""

from decimal import Decimal
from pathlib import Path

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from graupel.core.roles import SYSTEM, Role
from graupel.features.listings import connecting
from graupel.features.products import many, saving
from graupel.features.products import service as products
from graupel.features.vocabulary import service as vocabulary
from tests.browser.conftest import Person
from tests.conftest import person
from tests.making import bring_in, jpeg, make_product
from tests.ostlerby import KEY, Hall, hall

__all__ = ["hall"]


def test_a_product_is_made_shown_to_buyers_and_taken_by_a_marketplace(
    at_screen: Person, hall: Hall, ctx, tmp_path: Path
):
    connecting.connect(ctx, SYSTEM, "ostlerby", hall.address, KEY)
    picture = tmp_path / "heather.jpg"
    picture.write_bytes(jpeg(700))
    me = at_screen

    # Made on one page: a first save is refused and loses nothing, the category is made in place.
    me.press("Add product")
    me.fill("#in-name", "Fellside aran, Heather, 100 g")
    me.fill("#in-sku", "FEL-AR-HEA")
    me.fill("#in-price", "9,8o")
    me.fill("#in-weight_g", "0,1 kg")
    me.sees("#in-category_id-ts-control").send_keys("Yarn > Aran")
    me.sees(".ts-dropdown .create").click()
    me.sees(".ts-control .item", "Yarn > Aran")
    me.sees(".ProseMirror").click()
    ActionChains(me.driver).send_keys("Springy wool from hill flocks.").send_keys(Keys.ENTER).perform()
    me.press("•")
    ActionChains(me.driver).send_keys("160 m to 100 g").perform()
    me.driver.find_element(By.ID, "in-file").send_keys(str(picture))
    me.sees(".tile [name=alt]").send_keys("A skein of heather wool")
    me.sees("#mirror .cost", "no price")
    me.axe()
    ActionChains(me.driver).key_down(Keys.CONTROL).send_keys("s").key_up(Keys.CONTROL).perform()
    me.sees("#wrong-price-1", "is not a price")
    assert me.sees("#in-price").get_attribute("value") == "9,8o"
    assert "160 m" in me.sees(".ProseMirror ul").text
    me.sees(".tile [name=alt]", "A skein of heather wool")
    me.axe()
    me.fill("#in-price", "9,80 €")
    me.sees("#mirror .cost", "€9.80")
    me.press("Save as draft")
    me.sees(".bar .state", "Draft")
    me.sees("[data-said]", "Made.")

    # A preview for us, nothing for buyers; then live.
    me.driver.find_element(By.ID, "in-price").click()
    me.press("as a buyer")
    me.sees(".preview", "buyers don’t see it")
    assert me.driver.current_url.endswith("#prices"), "at the place of what was being edited"
    me.press("Back to the editor")
    me.press("Put live")
    me.sees("[data-said]", "Status Draft → Live")
    me.press("as a buyer")
    me.sees(".article .cost", "€9.80")
    me.axe()
    assert me.driver.find_elements(By.CSS_SELECTOR, ".preview") == []
    me.press("Yarn")
    me.sees(".shelf a", "Fellside aran")
    me.axe()

    # What the channel still lacks is said, mended, and the product sent; the answer comes by itself.
    product = many.list_after(ctx, SYSTEM, after=0, limit=1)[0]
    me.open(f"/products/{product.id}#channels")
    me.sees("#channels .todo", "An identifier is needed")
    assert me.sees("#channels .btn.main", "Send to Ostlerby").get_attribute("disabled")
    me.fill("#in-gtin", "9521234567890")
    ActionChains(me.driver).key_down(Keys.CONTROL).send_keys("s").key_up(Keys.CONTROL).perform()
    me.sees("#wrong-gtin-1", "should be 9, not 0")
    me.fill("#in-gtin", "9521234567899")
    ActionChains(me.driver).key_down(Keys.CONTROL).send_keys("s").key_up(Keys.CONTROL).perform()
    me.sees("[data-said]", "Saved: GTIN")
    me.sees("#channels select option[value=H111]").click()
    me.sees("#channels .state", "Nothing is missing")
    me.press("Send to Ostlerby")
    me.sees("#channels .head .state", "Under review")
    me.axe()
    hall.forward(61)
    me.sees("#channels .head .state", "On sale")
    assert hall.counts()["writes"] == 1

    # A changed price goes there by itself; then the listing is ended.
    me.fill("#in-price", "10.50")
    me.sees("[data-unsaved]", "1 change not saved")
    ActionChains(me.driver).key_down(Keys.CONTROL).send_keys("s").key_up(Keys.CONTROL).perform()
    me.sees("[data-said]", "Price 9.80 → 10.50")
    me.sees("#channels .head .state", "Under review")
    hall.forward(61)
    me.sees("#channels .head .state", "On sale")
    me.press("Take down")
    me.driver.switch_to.alert.accept()
    me.sees("#channels .head .state", "Taken down")
    assert hall.listings()[0]["state"] == "ended"


def test_a_file_is_brought_in_looked_at_first_and_rolled_back(at_screen: Person, ctx, tmp_path: Path):
    make_product(ctx, "FEL-1", name="Fellside", price=Decimal("9.80"))
    path = tmp_path / "prices.csv"
    path.write_text(
        "Artikelnummer;Bezeichnung;Verkauf;Warengruppe;Netto\nFEL-1;;10,50;;0,1\n"
        "NEW-1;New wool;5,00;Yarn > Lace;0,05\nBAD-1;Bad;lots;;\n"
    )
    me = at_screen
    me.go("In and out", "Files")
    me.axe()
    me.driver.find_element(By.ID, "in-file").send_keys(str(path))
    me.sees(".tally", "3\nrefused")
    me.sees("#columns summary", "left out: Netto")
    me.axe()
    for column, field in ((2, "price"), (4, "weight_g")):
        me.sees(f"select[name=column_{column}] option[value={field}]").click()
    me.sees("#understood-4", "has no unit")
    me.sees("#how-4 summary", "as it is").click()
    me.sees("#unit-4 option[value=kg]").click()
    me.sees("#how-4 summary", "in kg")
    me.sees("#understood-4", "50 g")
    me.sees(".tally", "1\nrefused")
    me.sees("td", "“lots” is not a price")
    me.axe()
    me.sees(".tally a[href*='show=changed']", "1").click()
    me.sees(".before", "9.80")
    me.sees(".after", "10.50")
    me.axe()
    me.press("Leave out the refused row")
    me.press("Bring in 2 products")
    me.sees(".note.good", "1 product made, 1 changed, 1 refused row left out")
    me.axe()
    me.press("See each change")
    me.sees(".panel", "records go back")
    me.axe()
    me.press("Roll back")
    me.sees(".note", "This rolled back")
    assert {p.values.sku: p.values.price for p in many.list_after(ctx, SYSTEM, after=0, limit=9)} == {
        "FEL-1": Decimal("9.80")
    }
    me.go("Record", "Jobs")
    me.sees("#board td", "Roll back: File brought in: prices.csv")
    me.axe()


def test_the_table_is_searched_narrowed_and_walked_by_keyboard(at_screen: Person, ctx):
    bring_in(
        ctx,
        "sku,name,price,category\n"
        + "".join(f"P-{n:03d},Wool {n:03d},{n + 1},Yarn > Shelf {n % 3}\n" for n in range(120)),
    )
    make_product(ctx, "NDL-1", name="Needle, birch")
    me = at_screen
    me.open("/products")
    me.sees(".list-head h1", "121 products")
    me.axe()
    me.press("Draft")
    me.sees(".list-head h1", "120 products")
    me.press("Price EUR")
    me.sees("#goods tbody tr", "Wool 000")
    me.press("Later")
    me.sees(".pages", "Page 2 of 3")
    me.sees("#goods tbody tr", "Wool 050")
    assert "status=draft" in me.driver.current_url
    assert "sort=price" in me.driver.current_url
    ActionChains(me.driver).send_keys("//").send_keys("wool 11").perform()
    me.sees(".list-head h1", "10 products")
    assert "q=wool" in me.driver.current_url
    me.sees(".fv[aria-pressed=true]", "Draft")
    ActionChains(me.driver).send_keys(Keys.ARROW_DOWN, Keys.ARROW_DOWN, Keys.ENTER).perform()
    me.sees(".bar h1", "Wool 111")
    me.driver.back()
    me.sees(".list-head h1", "10 products")
    me.fill("#find", "zebra")
    me.sees(".empty", "Nothing fits")
    me.axe()


def test_two_people_save_the_same_product_and_the_second_chooses(at_screen: Person, ctx):
    product_id = make_product(ctx, "FEL-1", name="Before")
    me = at_screen
    me.open(f"/products/{product_id}")
    me.fill("#in-name", "Mine")
    values = products.read(ctx, SYSTEM, product_id).values
    saving.save(ctx, SYSTEM, product_id, type(values)(**{**vars(values), "name": "Theirs", "weight_g": 250}), None)
    me.press("Save")
    me.sees("#conflict", "Graupel saved this product while you were working on it.")
    me.sees("#conflict", "Taken over from there: Weight")
    me.axe()
    me.sees("#conflict label", "Theirs").click()
    me.press("Save")
    me.sees(".bar h1", "Theirs")
    assert products.read(ctx, SYSTEM, product_id).values.weight_g == 250


def test_every_other_page_is_sound_for_everybody_and_small_screens(at_screen: Person, ctx):
    product_id = make_product(ctx, "FEL-1", name="W" * 120, picture_side=600)
    person(ctx, Role.OWNER)
    person(ctx, Role.VIEWER)
    ctx.db.run(lambda tx: tx.run("UPDATE change_set SET made_at = made_at - INTERVAL 45 MINUTE"))  # not "just now"
    me = at_screen
    me.open("/sign-in")
    for role in (Role.VIEWER, Role.OWNER):
        me.sign_in(role)
        me.sees(".list-head h1")
        for path in (
            "/account",
            "/channels",
            "/jobs",
            "/history",
            "/files",
            "/media",
            "/vocabulary/attributes",
            "/vocabulary/types",
            "/vocabulary/brands",
            "/vocabulary/units",
            "/vocabulary/doubles",
            f"/products/{product_id}",
            "/products",
            "/nowhere",
        ):
            me.open(path)
            me.sees("main")
            me.axe()
    for width in (1280, 400):
        me.size(width, 800)
        for path in (
            "/products",
            f"/products/{product_id}",
            f"/products/{product_id}/variants",
            "/media",
            "/vocabulary/attributes",
            "/vocabulary/doubles",
            "/files",
            "/history",
            "/account",
            "/channels",
            "/jobs",
            "/shop",
        ):
            me.open(path)
            me.sees("main")
            wide = me.driver.execute_script(
                "return document.documentElement.scrollWidth - document.documentElement.clientWidth"
            )
            assert wide <= 0, f"{path} at {width}"
    me.size(1280, 800)
    me.open("/account")
    me.fill("#token-name", "Till")
    me.press("Make token")
    me.sees("#new-token", "grp_")
    me.axe()
    me.driver.delete_all_cookies()
    me.open("/sign-in")
    me.axe()
    me.fill("#email", "owner@skeinwright.example")
    me.fill("#password", "wrong")
    me.press("Sign in")
    me.sees(".note.bad", "don't belong together")
    me.axe()


def test_anything_is_found_help_stands_where_one_is_and_an_act_ends_with_a_sentence(at_screen: Person, ctx):
    me = at_screen
    make_product(ctx, "FEL-1", name="Fellside aran")
    tag = vocabulary.make(ctx, SYSTEM, "tag", "Wintry").id
    me.open("/today")
    me.sees("#h-lately")
    me.axe()
    ActionChains(me.driver).send_keys("?").perform()
    me.sees("#keys", "This is where a day begins")
    me.axe()
    ActionChains(me.driver).send_keys(Keys.ESCAPE).key_down(Keys.CONTROL).send_keys("k").key_up(Keys.CONTROL).perform()
    me.sees("#everywhere-text").send_keys("fells")
    me.sees("#everywhere-found a", "Fellside aran")
    me.axe()
    ActionChains(me.driver).send_keys(Keys.ARROW_DOWN, Keys.ENTER).perform()
    me.sees(".bar h1", "Fellside aran")
    me.open(f"/vocabulary/join/tag/{tag}")
    me.press("Delete")
    me.sees("#says .note.good", "Wintry")
    me.axe()
    me.press("Look or take back")
    me.sees("h1", "Wintry")
    me.open("/today")
    ActionChains(me.driver).send_keys("/").perform()
    me.sees("#looked-at a", "Fellside aran")
    me.open("/find?q=fells")
    me.sees("#everywhere-found a", "Fellside aran")
    me.axe()


def test_a_new_product_is_made_sellable_from_the_list_of_what_is_missing(at_screen: Person, ctx):
    make_product(ctx, "OLD-1", category="Yarn > Sock")
    me = at_screen
    me.open("/products/new")
    me.fill("#in-name", "Thornfold sock yarn, merino, 50 g")
    me.sees("#mirror h2", "2 things missing")

    def go_on():
        ActionChains(me.driver).key_down(Keys.CONTROL).send_keys(".").key_up(Keys.CONTROL).perform()

    go_on()
    price = me.sees("#mending #in-price")
    me.axe()
    price.send_keys("12.50", Keys.ENTER)
    me.sees("#mending #in-category_id-ts-control").send_keys("Sock", Keys.ENTER)
    me.press("Take Yarn > Sock")
    # What was chosen goes back to its part, and what only would help comes next.
    me.sees("#mending [data-drop]")
    me.sees("#mirror h2", "ready, 3 would help")
    me.sees("#prices #in-price", "12.50")
    me.sees("#categories .ts-control .item", "Yarn > Sock")
    go_on()
    me.sees("#mending .ProseMirror").send_keys("A soft and strong yarn for socks, of merino and a little nylon.")
    me.axe()
    go_on()
    me.sees("#mending #in-weight_g").send_keys("50 g", Keys.ESCAPE)
    me.gone("#mending")
    assert me.driver.execute_script("return scrollY") < 100
    me.press("Save and put live")
    me.sees(".bar .state", "Live")
    me.sees("#mirror .mirror", "50 g")
    assert "of merino" in me.sees(".ProseMirror").text
