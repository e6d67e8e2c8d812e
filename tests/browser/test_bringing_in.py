"""A file of products with several variants, brought in by hand: attributes made in place, slips mended."""

import os
from pathlib import Path

import xlsxwriter
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from graupel.core.attributes import AttributeKind
from graupel.core.roles import SYSTEM
from graupel.features.files import profiles, reading_aside, sources
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary.attributes import Definition
from tests.browser.conftest import Person, wait_until
from tests.making import catalogue, make_product, plan_file


def test_variants_come_in_by_product_code_and_what_the_file_lacks_is_archived(at_screen: Person, ctx, tmp_path: Path):
    attributes.make(ctx, SYSTEM, Definition("Colour", AttributeKind.COLOUR, choices=["Heather", "Oatmeal"]))
    make_product(ctx, "OLD-1", name="Old wool")
    path = tmp_path / "yarn.csv"
    path.write_text(
        "style number,sku,name,colour,put_up,price\nTARN,,Tarnbeck,,,9.80\nTARN,T-HEA,,Heather,50 g ball,\n"
        "TARN,T-OAT,,Oatmael,50 g ball,17.90\nBAD,B-1,Bad,Heather,,5\nBAD,B-2,Bad,Heather,,lots\n"
    )
    me = at_screen
    me.go("In and out", "Files")
    me.driver.find_element(By.ID, "in-file").send_keys(str(path))
    me.sees(".tally", "2\nrefused")
    me.sees("select[name=column_4] option[value=new-choice]").click()
    me.sees("#says", "Attribute made: Put up")
    me.sees("#columns summary", "6 fields")
    me.sees(".note.caution", "Oatmael: much like Oatmeal")
    me.axe()
    me.press("Read it as Oatmeal")
    me.gone(".note.caution")
    me.sees(".narrowing", "is not a price")
    me.axe()
    me.press("Leave out the 2 refused rows")
    me.press("Bring in 1 product")
    me.sees(".note.good", "1 product and 2 variants made")
    me.axe()
    me.press("See these products")
    me.sees(".list-head", "touched by “File brought in: yarn.csv”")
    me.axe()
    path.write_text("sku,price\nT-HEA,9.80\nT-OAT,18.00\n")
    me.go("In and out", "Files")
    me.driver.find_element(By.ID, "in-file").send_keys(str(path))
    me.sees(".tally", "1\nchanged")
    me.press("Columns")
    me.sees("#way option[value=equal]").click()
    me.sees("#among")
    me.sees(".tally", "1\nto be archived")
    me.axe()
    me.fill("#confirm-archive", "7")
    me.press("Bring in 1 product, archive 1")
    me.sees(".note.bad", "Type that number")
    me.fill("#confirm-archive", "1")
    me.press("Bring in 1 product, archive 1")
    me.sees(".note.good", "1 archived")
    assert {sku: row[5] for sku, row in catalogue(ctx).items()} == {
        "OLD-1": "archived",
        "T-HEA": "draft",
        "T-OAT": "draft",
    }


def test_a_large_spreadsheet_is_read_while_its_page_waits(at_screen: Person, tmp_path: Path):
    path = tmp_path / "autumn.xlsx"
    with xlsxwriter.Workbook(path) as book:
        for name, number in (("Autumn", 9), ("Leftovers", 1)):
            sheet = book.add_worksheet(name)
            sheet.write_row(0, 0, ["sku", "name", "note"])
            for line in range(1, number + 1):
                sheet.write_row(line, 0, [f"{name}-{line}", f"Skein {line}", os.urandom(16_000).hex()])
            for line in range(number + 1, 40):
                sheet.write_row(line, 5, [os.urandom(16_000).hex()])
    assert path.stat().st_size > reading_aside.MOST_AT_ONCE
    me = at_screen
    me.go("In and out", "Files")
    me.driver.find_element(By.ID, "in-file").send_keys(str(path))
    me.sees(".tally", "new, as drafts")
    me.sees("summary", "sheet “Autumn”")
    me.axe()
    me.press("What was read")
    Select(me.sees("#in-part")).select_by_visible_text("Leftovers")
    me.press("Read it so")
    me.sees("summary", "sheet “Leftovers”")
    me.sees(".tally", "1\nnew, as drafts")


def test_the_table_is_copied_and_pasted_back_with_other_prices(at_screen: Person, ctx):
    make_product(ctx, "TARN-1", name="Tarnbeck", price="10")
    make_product(ctx, "TARN-2", name="Tarnbeck fine", price="12")
    me = at_screen
    me.driver.execute_cdp_cmd("Browser.grantPermissions", {"permissions": ["clipboardReadWrite"]})
    me.go("Goods", "Products")
    me.press("Copy")
    me.sees("#says .good", "2 rows copied")
    me.axe()
    me.go("In and out", "Files")
    me.sees("#paste-text").send_keys(Keys.CONTROL, "v")
    typed = me.driver.find_element(By.ID, "paste-text")
    wait_until(lambda: "TARN-2" in typed.get_property("value"))
    text = typed.get_property("value")
    me.driver.execute_script("arguments[0].value = arguments[1]", typed, text.replace("12.00", "14.00"))
    me.press("See what they would do")
    me.sees(".tally", "1\nchanged")
    me.press("Bring in 1 product")
    me.sees(".note.good", "1 changed")
    me.go("In and out", "Files")
    me.driver.execute_cdp_cmd("Browser.grantPermissions", {"permissions": ["clipboardReadWrite"]})
    me.sees("h1").click()
    ActionChains(me.driver).key_down(Keys.CONTROL).send_keys("v").key_up(Keys.CONTROL).perform()
    me.sees(".tally", "1\nchanged")  # it says 12 again
    me.axe()


def test_a_file_that_comes_by_itself_waits_where_too_many_prices_would_change(at_screen: Person, ctx):
    make_product(ctx, "TARN-1", name="Tarnbeck", price="10")
    profiles.keep(ctx, SYSTEM, plan_file(ctx, "sku,price\nTARN-1,10\n").id, "Prices of the mill")
    path = ctx.folder(sources.INCOMING) / "mill-1.csv"
    path.write_text("sku,price\nTARN-1,12\n")
    os.utime(path, (path.stat().st_mtime - 60,) * 2)
    me = at_screen
    me.go("In and out", "Files")
    me.press("Files that come by themselves")
    me.sees("#source-list", "None yet.")
    me.fill("#in-name", "The mill")
    me.fill("#in-place", "mill-*.csv")
    me.fill("#in-at", "half past six")
    me.press("Add")
    me.sees("#field-at", "Say when")
    me.axe()
    me.fill("#in-at", "06:30")
    me.press("Add")
    me.sees("#source-list", "each day, 06:30")
    me.press("Look now")
    me.sees("#source-list", "1 of 1 prices would change, more than 5 per cent.")
    me.axe()
    me.press("See the file")
    me.press("Bring in 1 product")
    me.sees(".note.good", "1 changed")
