"""What somebody types is not lost, overwrites nothing, and is made once: tried as hands do it."""

from dataclasses import replace
from decimal import Decimal
from pathlib import Path

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.expected_conditions import staleness_of
from selenium.webdriver.support.ui import WebDriverWait

from graupel.core.attributes import AttributeKind
from graupel.core.richtext import link_address
from graupel.core.roles import SYSTEM
from graupel.features.products import many, saving
from graupel.features.products import service as products
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.attributes import Definition
from tests.browser.conftest import Person, wait_until
from tests.making import jpeg, make_product
from tests.needles import by_label, colour, needles, size

__all__ = ["colour", "needles", "size"]


def read(ctx, product_id):
    return products.read(ctx, SYSTEM, product_id)


def change(ctx, product_id, **given):
    """What a colleague saves meanwhile."""
    product = read(ctx, product_id)
    saving.save(ctx, SYSTEM, product_id, replace(product.values, **given), product.version)


def keys(me: Person, *pressed: str) -> None:
    ActionChains(me.driver).send_keys(*pressed).perform()


def ctrl_s(me: Person) -> None:
    ActionChains(me.driver).key_down(Keys.CONTROL).send_keys("s").key_up(Keys.CONTROL).perform()


def run(me: Person, script: str, *given):
    return me.driver.execute_script(f"return {script}", *given)


def kept(me: Person) -> str:
    """What the browser keeps of what was typed."""
    return str(run(me, "JSON.stringify(Object.entries(localStorage))"))


def in_another_tab(me: Person, path: str) -> None:
    me.driver.switch_to.new_window("tab")
    me.open(path)


def back(me: Person) -> None:
    me.driver.close()
    me.driver.switch_to.window(me.driver.window_handles[0])


def test_what_is_offered_again_holds_only_what_was_typed_and_asks_about_the_rest(at_screen: Person, ctx):
    product_id = make_product(ctx, "FEL", name="Fellside aran", price=Decimal("9.80"))
    me = at_screen
    me.open(f"/products/{product_id}")
    me.fill("#in-meta_title", "Typed and lost")
    me.fill("#in-mpn", "CM-1")
    wait_until(lambda: "CM-1" in kept(me))
    change(ctx, product_id, mpn="CM-2", price=Decimal("11.00"))
    in_another_tab(me, f"/products/{product_id}")
    me.sees(".note.kept", "was not saved (2 fields)")
    me.press("Put it back")
    assert me.sees("#in-meta_title").get_attribute("value") == "Typed and lost"
    me.sees(".note.kept", "saved by somebody meanwhile as “CM-2”. You typed “CM-1”")
    me.axe()
    me.press("Keep what is saved")
    me.press("Save")
    me.sees("[data-said]", "Saved: Meta title")
    assert (read(ctx, product_id).values.price, read(ctx, product_id).values.mpn) == (Decimal("11.00"), "CM-2")
    assert "CM-1" not in kept(me)
    back(me)


def test_a_new_product_is_made_once_and_its_typing_is_not_offered_again(at_screen: Person, ctx):
    me = at_screen
    me.open("/products/new")
    me.fill("#in-name", "Fellside aran")
    run(me, "document.querySelector('button[data-main]').click(), document.querySelector('button[data-main]').click()")
    me.sees("[data-said]", "Made.")
    me.open("/products/new")
    me.sees("#in-name")
    assert me.driver.find_elements(By.CSS_SELECTOR, ".note.kept") == []
    me.fill("#in-name", "Second")
    ctrl_s(me)
    ctrl_s(me)
    me.sees("[data-said]", "Made.")
    names = [one.values.name for one in many.list_after(ctx, SYSTEM, after=0, limit=9)]
    assert names == ["Fellside aran", "Second"]


def test_ctrl_s_saves_all_of_the_page_and_points_at_what_it_can_not(at_screen: Person, ctx, needles):
    vocabulary.make(ctx, SYSTEM, "tag", "Winter")
    me = at_screen
    me.open(f"/products/{needles}")
    ActionChains(me.driver).double_click(me.sees("#variants [data-grid] td[data-id]")).perform()
    me.fill("#v-price", "7.10")
    me.fill("#in-meta_title", "Needles")
    me.sees("#in-tags-ts-control").send_keys("wint")
    me.sees("#in-mpn").click()
    assert me.sees("#in-tags-ts-control").get_attribute("value") == "wint", "text that is not chosen stays"
    run(me, "document.querySelector('#facts details').open = true")
    me.fill("#in-new-name", "Twist")
    me.sees("[data-unsaved]", "a new attribute")
    ctrl_s(me)
    # One tag begins like it: that is asked, and nothing is saved without an answer.
    me.sees(".near", "much like “Winter”")
    me.axe()
    me.press("Take Winter")
    ctrl_s(me)
    me.sees("[data-said]", "Meta title")
    me.sees("[data-unsaved]", "typed and not done: a new attribute")
    assert me.sees("#in-new-name").get_attribute("value") == "Twist"
    product = read(ctx, needles)
    assert (product.values.meta_title, product.values.tags) == ("Needles", ("Winter",))
    assert by_label(ctx, needles)["Heather, 3 mm"].price == Decimal("7.10")
    me.sees("#variant-form")  # what was open is open
    # Enter in the attribute's name adds the attribute.
    me.fill("#in-new-name", "Twist")
    keys(me, Keys.ENTER)
    me.sees("#facts .field label", "Twist")


def test_a_save_leaves_everything_where_it_was(at_screen: Person, ctx, needles):
    me = at_screen
    me.open(f"/products/{needles}")
    for css in ("#in-meta_title", "#in-categories-ts-control", "#rich-description"):
        field = me.sees(css)
        run(me, "arguments[0].scrollIntoView({block: 'center'})", field)
        field.click()
        keys(me, "x" if css != "#in-categories-ts-control" else Keys.ESCAPE)
        place = "[document.activeElement.id, Math.round(arguments[0].getBoundingClientRect().top)]"
        before = run(me, place, field)
        if css == "#in-meta_title":  # what is above it is one line shorter when the look at what was typed comes back
            me.gone("#preview .help")
            assert run(me, place, field) == before
        me.gone(".htmx-request")
        editor = me.driver.find_element(By.ID, "editor")
        ctrl_s(me)
        WebDriverWait(me.driver, 45, 0.03).until(staleness_of(editor))
        field = me.sees(css)
        after = run(me, place, field)
        assert after[0] == before[0]
        assert abs(after[1] - before[1]) <= 2, css


def test_a_tables_tools_are_there_where_a_table_is(at_screen: Person, needles):
    me = at_screen
    me.open(f"/products/{needles}")
    rich = me.sees("#rich-description")
    assert rich.get_attribute("lang") == "en"
    rich.click()
    gone = "[aria-label='Take out this row of the table']"
    assert not me.driver.find_element(By.CSS_SELECTOR, gone).is_displayed()
    me.sees("[aria-label='Table of 3 by 3']").click()
    me.sees(gone).click()
    keys(me, "Gauge")
    ctrl_s(me)
    me.sees("[data-said]", "Description")
    assert len(me.driver.find_elements(By.CSS_SELECTOR, "#rich-description tr")) == 2
    assert "Gauge" in me.sees("#rich-description table").text


#: Addresses as people type them, good ones and those that must not pass.
TYPED_LINKS = (
    *("https://yarn.example/a?b=1#c", "HTTP://YARN.EXAMPLE", "mailto:a@yarn.example", "/shop/p/12", "#care", "/"),
    *("yarn.example", "yarn.example/care", "wölle.example", "my-yarn.co.example?x", "a@yarn.example", " /shop "),
    *("//evil.example", "/\\evil.example", "javascript:alert(1)", "data:text/html,x", "ftp://yarn.example", "yarn"),
    *("", "two words", "https://a b", "1.5", "a@b", "http:/yarn.example", "yarn.example:80", "https://"),
)


def test_the_field_takes_for_a_link_what_is_kept_as_one(at_screen: Person, needles):
    me = at_screen
    me.open(f"/products/{needles}")
    me.sees("#rich-description")
    script = """const done = arguments[1];
        import("/static/rich.js").then((rich) => done(arguments[0].map(rich.linkAddress)))"""
    assert me.driver.execute_async_script(script, TYPED_LINKS) == [link_address(one) or "" for one in TYPED_LINKS]


def test_a_session_that_ended_goes_on_in_place(at_screen: Person, ctx):
    product_id = make_product(ctx, "FEL", name="Fellside aran", price=Decimal("9.80"))
    me = at_screen
    me.open(f"/products/{product_id}")
    me.fill("#in-meta_title", "Typed")
    ctx.db.run(lambda tx: tx.run("DELETE FROM session"))
    ctrl_s(me)
    me.sees("#session", "Your session has ended")
    me.axe()
    me.fill("#session-password", "wrong")
    me.press("Sign in and go on")
    me.sees("#session .wrong", "don't belong together")
    me.fill("#session-password", "a-long-password")
    me.press("Sign in and go on")
    me.sees("[data-said]", "Saved: Meta title")
    # A cell of the table, and a session that began again in another tab.
    me.open("/products")
    cell = me.sees(f"[data-cell='p{product_id}:name']")
    ctx.db.run(lambda tx: tx.run("DELETE FROM session"))
    in_another_tab(me, "/sign-in")
    me.fill("#email", "editor@skeinwright.example")
    me.fill("#password", "a-long-password")
    me.press("Sign in")
    me.sees("#today h1")
    back(me)
    ActionChains(me.driver).double_click(cell).perform()
    keys(me, "Named in a cell", Keys.ENTER)
    me.sees(f"[data-cell='p{product_id}:name']", "Named in a cell")
    assert me.driver.find_elements(By.ID, "session") == []


def test_a_pasted_column_waits_whole_and_ticks_go_along(at_screen: Person, ctx):
    ids = [make_product(ctx, f"F-{n:02}", name=f"Fellside {n:02}", price=Decimal("1.00")) for n in range(60)]
    me = at_screen
    me.open("/products?sort=name")
    first = me.sees(f"[data-cell='p{ids[0]}:price']")
    first.click()
    rows = len(me.driver.find_elements(By.CSS_SELECTOR, "#goods tbody tr"))
    run(
        me,
        """(() => { const data = new DataTransfer(); data.setData("text", arguments[0]);
        document.activeElement.dispatchEvent(
          new ClipboardEvent("paste", {clipboardData: data, bubbles: true, cancelable: true})) })()""",
        "2.00\nnone\n" + "3.00\n" * rows,
    )
    me.sees("[data-paste-count]", f"{rows} pasted cells, not saved; 2 lines below the last row not taken, from “3.00”")
    me.press("Save them")
    me.sees(f"[data-cell='p{ids[1]}:price'] .cell-wrong", "is not a price")
    ActionChains(me.driver).double_click(me.sees(f"[data-cell='p{ids[1]}:price']")).perform()
    keys(me, "2.50", Keys.ENTER)
    me.sees("[data-paste-count]", f"{rows} pasted cells, not saved")
    me.press("Save them")
    me.gone("#paste-bar")
    assert [read(ctx, one).values.price for one in ids[:3]] == [Decimal("2.00"), Decimal("2.50"), Decimal("3.00")]
    me.sees(f"[name=chosen][value='{ids[0]}']").click()
    me.sees(f"[name=chosen][value='{ids[1]}']").click()
    me.press("Later")
    me.sees(".pages", "Page 2")
    me.sees("[data-bulk-count]", "2 products chosen, all of them out of sight")
    me.sees("#goods [name=chosen]").click()
    me.sees("[data-bulk-count]", "3 products chosen, 2 of them out of sight")
    me.axe()
    me.press("Choose none")
    me.gone("#bulk-bar")


def test_every_page_with_typed_text_is_kept_and_warned_of(at_screen: Person, ctx):
    made = attributes.make(ctx, SYSTEM, Definition("Twist", AttributeKind.ONE_CHOICE, choices=["Left", "Right"]))
    brand = vocabulary.make(ctx, SYSTEM, "brand", "Carrow Mill").id
    me = at_screen
    places = [
        (f"/vocabulary/attributes/{made.id}", "#in-help"),
        (f"/vocabulary/attributes/{made.id}", "#in-choices"),
        (f"/vocabulary/brands/{brand}", "#in-name"),
        ("/vocabulary/tags", "form[hx-post] input[name=name]"),
        ("/account", "form[action*=tokens] input[name=name]"),
    ]
    for path, css in places:
        me.open(path)
        me.sees(css).send_keys(" typed")
        stays = run(me, "!window.dispatchEvent(new Event('beforeunload', {cancelable: true}))")
        assert stays, f"{path} can be left without a warning"
        wait_until(lambda: " typed" in kept(me))
        in_another_tab(me, path)
        me.sees(".note.kept", "was not saved")
        me.press("Put it back")
        assert me.sees(css).get_attribute("value").endswith(" typed")
        back(me)
        me.open(path)
        me.press("Drop it")
        me.gone(".note.kept")
        assert " typed" not in kept(me)
    # The order of rows and what stands in them come back together.
    me.open(f"/vocabulary/attributes/{made.id}")
    me.sees("[aria-label='Move Left down']").click()
    me.fill("[aria-label='Label of Left']", "Lefthand")
    wait_until(lambda: "Lefthand" in kept(me))
    in_another_tab(me, f"/vocabulary/attributes/{made.id}")
    me.press("Put it back")
    me.press("Save")
    me.sees(".toast-line", "Saved")
    choices = attributes.read(ctx, SYSTEM, made.id).attribute.choices
    assert [one.label for one in choices] == ["Right", "Lefthand"]
    back(me)


def test_pictures_stand_in_the_order_in_which_they_were_chosen(at_screen: Person, ctx, tmp_path: Path):
    product_id = make_product(ctx, "FEL")
    files = []
    for number, side in enumerate([1800, 300, 301, 302, 303]):  # the first takes longest
        path = tmp_path / f"{number}.jpg"
        path.write_bytes(jpeg(side, colour=f"#{number}{number}4455"))
        files.append(path)
    me = at_screen
    me.open(f"/products/{product_id}")
    me.driver.find_element(By.ID, "in-file").send_keys("\n".join(map(str, files)))
    wait_until(lambda: len(me.driver.find_elements(By.CSS_SELECTOR, ".tile")) == len(files))
    shown = [one.text for one in me.driver.find_elements(By.CSS_SELECTOR, ".tile .facts a")]
    assert shown == [path.name for path in files]
    me.press("Save")
    me.sees("[data-said]", "Pictures")


def test_what_was_typed_into_a_part_that_comes_later_is_offered_with_its_page(at_screen: Person, ctx, needles):
    other = make_product(ctx, "PLAIN")
    me = at_screen
    me.open(f"/products/{needles}")
    me.press("Add values or another attribute")
    me.fill("#pattern", "ND-{number}")
    wait_until(lambda: "ND-{number}" in kept(me))
    in_another_tab(me, f"/products/{other}")
    me.press("It comes in several")
    me.sees("#builder-form")
    assert not me.driver.find_elements(By.CSS_SELECTOR, ".note.kept"), "it was typed for another product"
    me.open(f"/products/{needles}")
    me.sees(".note.kept", "What you typed in “what it differs by”")
    me.axe()
    me.press("Put it back")
    me.sees("#pattern", "ND-{number}")
    me.gone(".note.kept")
    back(me)
    me.open(f"/products/{other}")
    me.open(f"/products/{needles}")
    me.press("Drop it")
    ActionChains(me.driver).double_click(me.sees("#variants [data-grid] td[data-id]")).perform()
    me.fill("#v-price", "7.15")
    wait_until(lambda: "7.15" in kept(me))
    in_another_tab(me, f"/products/{needles}")
    me.press("Put it back")
    me.sees("#v-price", "7.15")
    back(me)
