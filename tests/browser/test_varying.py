"""Products that vary and the table as a spreadsheet, by mouse and keyboard."""

from decimal import Decimal

from selenium.webdriver import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from graupel.core.attributes import AttributeKind
from graupel.core.roles import SYSTEM
from graupel.features.products import service as products
from graupel.features.variants import making, setting
from graupel.features.variants.making import Wish
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.attributes import Definition
from tests.browser.conftest import Person, wait_until
from tests.making import counted, make_product

COLOURS = ["Heather", "Oat", "Rust"]


def keys(me: Person, *pressed) -> None:
    ActionChains(me.driver).send_keys(*pressed).perform()


def varying(ctx) -> int:
    """A product in three colours by two put-ups."""
    colour = attributes.make(ctx, SYSTEM, Definition("Colour", AttributeKind.COLOUR, choices=COLOURS)).id
    putup = attributes.make(ctx, SYSTEM, Definition("Put-up", AttributeKind.ONE_CHOICE, choices=["50 g", "100 g"])).id
    words = vocabulary.read(ctx).attributes
    product_id = make_product(ctx, "FEL", name="Fellside aran")
    axes = tuple((key, tuple(choice.id for choice in words[key].choices)) for key in (colour, putup))
    making.make(ctx, SYSTEM, product_id, Wish(axes, {key: choices[0] for key, choices in axes}))
    return product_id


def read(ctx, product_id):
    return products.read(ctx, SYSTEM, product_id)


def test_what_a_product_differs_by_is_chosen_looked_at_and_made(at_screen: Person, ctx):
    attributes.make(ctx, SYSTEM, Definition("Colour", AttributeKind.COLOUR, choices=COLOURS))
    product_id = make_product(ctx, "FEL", name="Fellside aran", code="FEL")
    me = at_screen
    me.open(f"/products/{product_id}")
    me.press("It comes in several")
    # An attribute that is there, with a value that is not; then one of this product's own, made on the spot.
    me.sees("#add_axis").send_keys("Colour")
    me.sees(".axis legend", "Colour")
    me.fill(".axis input[name^=values-]", "Peat")
    keys(me, Keys.ENTER)
    me.sees(".tick", "Peat")
    for label in ("Heather", "Oat"):
        me.sees(".tick", label).click()
    me.sees(".axis select").send_keys("Heather")
    me.fill("#new_name", "Put-up")
    me.fill("#new_values", "50 g, 100 g")
    me.press("Add it")
    me.sees(".axis legend", "Put-up")
    me.driver.find_elements(By.CSS_SELECTOR, ".axis select")[1].send_keys("100 g")
    me.axe()
    me.press("See the grid")
    me.sees(".planned h3", "5 variants would be made")
    me.sees(".sketch [aria-label='Oat, 50 g']").send_keys(Keys.ENTER)
    me.axe()
    me.press("Make 4 variants")
    me.sees("#h-variants small", "5 variants")
    me.sees("#prices small", "what variants have until they are given their own")
    product = read(ctx, product_id)
    assert sorted(v.sku for v in product.variants) == ["FEL", "FEL-HEA-50", "FEL-OAT-100", "FEL-PEA-100", "FEL-PEA-50"]
    me.sees(".grid td.gap").send_keys(Keys.ENTER)
    me.sees("#h-variants small", "6 variants")
    me.axe()


def test_cells_of_the_grid_are_selected_by_keyboard_and_given_a_price_and_back_to_inherited(at_screen: Person, ctx):
    product_id = varying(ctx)
    me = at_screen
    me.open(f"/products/{product_id}/variants?by=price")
    cells = me.driver.find_elements(By.CSS_SELECTOR, ".grid td[data-id]")
    assert [cell.text for cell in cells] == ["9.80"] * 6
    cells[0].click()
    ActionChains(me.driver).key_down(Keys.SHIFT).send_keys(Keys.ARROW_RIGHT, Keys.ARROW_DOWN).key_up(
        Keys.SHIFT
    ).perform()
    me.sees("[data-count]", "4 variants selected")
    me.fill("#set-value", "12,50")
    keys(me, Keys.ENTER)
    me.sees("#grid-plan", "4 variants change")
    me.axe()
    keys(me, Keys.ENTER)
    me.sees("#h-variants small", "€9.80 to €12.50")
    assert sorted(v.price for v in read(ctx, product_id).variants if v.price) == [Decimal("12.50")] * 4
    # All of one value, whatever is selected; a value that is none is refused in place.
    me.sees("#with_choice").send_keys("all Rust")
    me.fill("#set-value", "twelve")
    me.press("Set")
    me.sees("#grid-plan .note.bad", "is not a price")
    me.press("Back to inherited")
    me.sees("#grid-plan", "2 have it already")
    # One variant: its own value, the product's beside it.
    me.sees(".grid td[data-id]").click()
    keys(me, Keys.ENTER)
    me.sees(".one .origin", "back to inherited: 9.80").find_element(By.TAG_NAME, "button").click()
    me.fill("#v-gtin", "9521234567890")
    me.press("Save variant")
    me.sees(".one .wrong", "should be 9, not 0")
    me.axe()
    me.fill("#v-gtin", "9521234567899")
    me.press("Save variant")
    me.sees("#variants .toast-line", "Variant saved")
    first = read(ctx, product_id).variants[0]
    assert (first.price, first.gtin) == (None, "9521234567899")


def test_taking_a_value_away_says_what_goes(at_screen: Person, ctx):
    product_id = varying(ctx)
    ids = [v.id for v in read(ctx, product_id).variants]
    setting.set_values(ctx, SYSTEM, product_id, ids[2:3], "stock", counted(4))
    me = at_screen
    me.open(f"/products/{product_id}/variants")
    me.press("Take away a value")
    me.press("Oat ×")
    me.sees("#give-plan", "1 variant is deleted: FEL-OAT-100")
    me.sees("#give-plan", "4 pieces in stock")
    me.axe()
    me.press("Take away 2 variants")
    me.sees("#h-variants small", "4 variants")
    assert len(read(ctx, product_id).variants) == 5


def test_the_table_is_edited_like_a_spreadsheet_and_narrowed_by_a_view(at_screen: Person, ctx):
    product_id = varying(ctx)
    for number in range(3):
        make_product(ctx, f"N-{number}", name=f"Needle {number}", tags=("tools",))
    me = at_screen
    me.open("/products?sort=name")
    me.sees("[data-unfold]").click()
    me.sees(".variant-row", "Heather, 50 g")
    me.axe()
    cell = me.sees(f"[data-cell='p{product_id}:price']")
    cell.click()
    keys(me, "10,5", Keys.ENTER)
    me.sees(f"[data-cell='p{product_id}:price']", "10.50")
    me.sees(".variant-row .inherited", "10.50")
    # A pasted column is shown first, then saved in one go.
    cell = me.sees("[data-cell$=':price'][data-cell^='v']")
    cell.click()
    paste = "const d = new DataTransfer(); d.setData('text', '1.50\\n2.50\\n'); arguments[0].dispatchEvent("
    me.driver.execute_script(paste + "new ClipboardEvent('paste', {clipboardData: d, bubbles: true}))", cell)
    me.sees("#paste-bar", "2 pasted cells, not saved")
    me.press("Save them")
    me.sees(f"[data-cell='p{product_id}:price']", "1.50 – 10.50")
    keys(me, Keys.ESCAPE)
    first = me.sees(f"[data-cell='p{product_id}:name'] a.open")
    me.driver.execute_script("arguments[0].focus()", first)
    keys(me, Keys.F2)
    keys(me, Keys.HOME, "New ", Keys.TAB)
    me.sees(f"[data-cell='p{product_id}:name']", "New Fellside aran")
    # Facets, a view with a name, and one value for all that match.
    me.open("/products")
    me.press("tools")
    me.sees(".list-head h1", "3 products")
    me.fill("#view-name", "Tools")
    me.press("Keep")
    me.sees(".view a[aria-current]", "Tools")
    me.sees("[data-tick-page]").click()
    me.sees("#bulk-field").send_keys("Brand")
    vocabulary.make(ctx, SYSTEM, "brand", "Carow Mill")
    me.sees("#bulk-value-ts-control").send_keys("Carrow Mill")
    me.press("See what changes")
    me.sees(".near", "“Carrow Mill” is much like “Carow Mill” (a typing slip)")
    me.press("Make Carrow Mill")
    me.press("See what changes")
    me.sees("h1", "Brand: Carrow Mill")
    me.sees(".note.caution", "Makes the brand Carrow Mill")
    me.sees(".tally", "3")
    me.axe()
    me.press("Change 3 products")
    me.sees("#bulk", "roll it back")
    me.press("Back to the products")
    me.sees(".facet", "Carrow Mill")
    me.press("Columns")
    me.sees(".columns label", "Brand").click()
    me.axe()
    me.press("Show these")
    me.sees("#goods th", "Brand")
    assert [read(ctx, product_id).values.brand, read(ctx, product_id + 1).values.brand] == ["", "Carrow Mill"]


def test_what_was_typed_is_offered_again_after_a_closed_tab_and_words_are_made_in_place(at_screen: Person, ctx):
    product_id = make_product(ctx, "FEL", name="Fellside aran", brand="Carrow Mill")
    kind = vocabulary.make(ctx, SYSTEM, "type", "Yarn").id
    me = at_screen
    me.open(f"/products/{product_id}")
    me.fill("#in-short_text", "Typed and lost")
    me.sees("[data-unsaved]", "1 change not saved")
    wait_until(lambda: me.driver.execute_script("return localStorage.length"))
    me.driver.switch_to.new_window("tab")
    me.open(f"/products/{product_id}")
    me.sees(".note.kept", "was not saved (1 field)")
    me.axe()
    me.press("Put it back")
    assert me.sees("#in-short_text").get_attribute("value") == "Typed and lost"
    # A brand much like one that is there is asked about; a type brings its facts; an attribute is made here.
    me.sees("#field-brand .ts-control").click()
    keys(me, "Carow Mill")
    me.sees(".ts-dropdown .create", "Carow Mill").click()
    me.sees(".near", "is much like “Carrow Mill” (a typing slip)")
    me.axe()
    me.press("Take Carrow Mill")
    me.sees("#in-type_id-ts-control").send_keys("Yarn")
    me.sees(".ts-dropdown .option", "Yarn").click()
    me.sees("#facts small", "of the type Yarn")
    me.press("Add an attribute")
    me.fill("#in-new-name", "Fibre")
    me.sees("#in-new-kind").send_keys("One choice")
    me.fill("#in-new-choices", "Wool, Linen")
    me.sees("label.check", "for every Yarn").click()
    me.driver.find_element(By.XPATH, "//button[text()='Add attribute']").click()
    me.sees("#facts .field label", "Fibre")
    me.sees("[id^=in-fact-][id$=-ts-control]").send_keys("Silk")
    me.sees(".ts-dropdown .create", "Silk").click()
    me.sees("#facts .item", "Silk")
    me.sees("#mirror .facts-list", "Silk")
    me.axe()
    me.press("Save")
    me.sees("[data-said]", "Saved:")
    values = read(ctx, product_id).values
    assert (values.short_text, values.type_id, values.brand) == ("Typed and lost", kind, "Carrow Mill")
    fibre = next(a for a in vocabulary.read(ctx).attributes.values() if a.name == "Fibre")
    assert [c.label for c in fibre.choices if c.id in values.facts[fibre.id].choices] == ["Silk"]
    me.open(f"/products/{product_id}")
    me.gone(".note.kept")
    me.driver.close()
    me.driver.switch_to.window(me.driver.window_handles[0])
