"""The products table as it was at a moment."""

from datetime import timedelta
from decimal import Decimal

import pytest

from graupel.core.errors import Refused
from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.core.tables import TableState
from graupel.features.destinations import service as destinations
from graupel.features.history import rolling_back
from graupel.features.products import past_table, saving
from graupel.features.products import service as products
from tests.features.pricing.test_asked import on, sale
from tests.features.products.test_past import moment, save
from tests.making import add_german, add_outlet, bring_in, make_product
from tests.needles import colour
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser", "colour"]


def now_of(ctx):
    return ctx.db.run(ctx.now)


def backdate(ctx, days):
    """Everything that was done so far was done so many days ago."""
    ctx.db.run(lambda tx: tx.run("UPDATE change_set SET made_at = made_at - INTERVAL %s DAY", [days]))


#: What the table shows here.
COLUMNS = ("code", "status", "category", "brand", "price", "stock", "variants", "tags")


def table_then(ctx, days, lens="", **asked):
    """The table as it was so many days ago, or will be."""
    state = TableState.read({name: [text] for name, text in asked.items()} | {"columns": [".".join(COLUMNS)]})
    seen = destinations.see(ctx, lens)
    return past_table.read(ctx, SYSTEM, state, now_of(ctx) - timedelta(days=days), seen)


def lines(ctx, days, **asked):
    return {one.now.name: one for one in table_then(ctx, days, **asked).lines}


def cells(row):
    """What a row says, by column."""
    return {name: ", ".join(cell.chips) or cell.text for name, cell in zip(COLUMNS, row.cells, strict=True)}


def otherwise(line):
    """What a line said then and says now, where that differs."""
    then, now = cells(line.then), cells(line.now)
    return {COLUMNS[at]: (then[COLUMNS[at]], now[COLUMNS[at]]) for at in line.differing}


def test_each_product_says_what_was_otherwise_and_which_were_not_there_yet(ctx, colour):
    aran = make_product(ctx, "FEL-1", name="Aran", price=Decimal("9.80"), brand="Carrow")
    bring_in(ctx, "product code,sku,name,colour,price\nVAR,V-1,Varied,Oat,5\nVAR,V-2,,Peat,7\n")
    backdate(ctx, 10)
    values = products.read(ctx, SYSTEM, aran).values
    saving.save(ctx, SYSTEM, aran, saving.replace(values, name="Aran wool", status=Status.ARCHIVED), None)
    bring_in(ctx, "sku,price\nFEL-1,12\nV-1,6\n")
    bring_in(ctx, "sku,name\nNEW-1,New\n")
    found = lines(ctx, 5)
    assert found["New"].then is None
    assert (found["Aran wool"].is_renamed, found["Aran wool"].then.name) == (True, "Aran")
    assert otherwise(found["Aran wool"]) == {"status": ("Live", "Archived"), "price": ("9.80", "12.00")}
    assert otherwise(found["Varied"]) == {"price": ("5.00 – 7.00", "6.00 – 7.00")}
    assert cells(found["Varied"].then)["variants"] == "2"
    assert all(one.then is None for one in lines(ctx, 20).values())
    assert set(lines(ctx, 5, q="varied")) == {"Varied"}


def test_products_that_are_gone_since_stand_below_and_lead_to_where_they_come_back(ctx, browser):
    aran = make_product(ctx, "FEL-1", name="Aran", price=Decimal("9.80"), status=Status.DRAFT)
    moss = make_product(ctx, "FEL-2", name="Moss")
    bring_in(ctx, "product code,sku,name,price\nVAR,V-1,Varied,5\n")
    backdate(ctx, 10)
    later = make_product(ctx, "NEW-1", name="Later", status=Status.DRAFT)
    for product_id in (aran, later):
        saving.delete(ctx, SYSTEM, product_id)
    found = table_then(ctx, 5, q="moss")
    assert [one.product_id for one in found.lines] == [moss]
    gone = [(one.product_id, one.then.name, cells(one.then)) for one in found.gone]
    assert [(key, name, said["price"], said["variants"]) for key, name, said in gone] == [(aran, "Aran", "9.80", "1")]
    assert table_then(ctx, 20).gone == []
    page = browser.get("/products/as-of").text
    assert "1 product gone since" in page
    assert f'href="/history/of/product/{aran}"' in page
    assert browser.get(f"/history/of/product/{aran}").status_code == 200
    gone = ctx.db.run(lambda tx: tx.value("SELECT MIN(id) FROM change_set WHERE title LIKE 'Product deleted%%'"))
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, gone))
    assert "gone since" not in browser.get("/products/as-of").text


def test_what_a_file_brought_and_its_roll_back_took_is_gone_too(ctx):
    file = bring_in(ctx, "sku,name,price\nA-1,Ay,5\nB-1,Bee,6\n")
    backdate(ctx, 10)
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, file.row["change_set_id"]))
    bring_in(ctx, "sku,name,price\nA-1,Ay once more,9\n")
    found = table_then(ctx, 5)
    said = [(one.then.name, cells(one.then)["price"], cells(one.then)["code"]) for one in found.gone]
    assert said == [("Bee", "6.00", "B-1"), ("Ay", "5.00", "A-1")], "also where others have their codes now"


def test_it_is_seen_through_the_lens_with_what_stock_and_words_were(ctx):
    add_german(ctx)
    outlet = add_outlet(ctx)
    aran = make_product(ctx, "FEL-1", name="Aran", price=Decimal("9.80"), stock=7, tags=("warm",))
    save(ctx, aran, stock=Decimal(5), own={".de.name": "Aranwolle", f"s{outlet}..price": "8.00"})
    sale(ctx, on(aran), "10 %")
    at = moment(ctx)
    own = {".de.name": "Dicke Wolle", f"s{outlet}..price": "7.00"}
    save(ctx, aran, stock=Decimal(2), own=own, tags=("warm", "summer"), price=Decimal(20))

    def line(lens):
        state = TableState.read({"columns": [".".join(COLUMNS)]})
        return past_table.read(ctx, SYSTEM, state, at, destinations.see(ctx, lens)).lines[0]

    assert otherwise(line("")) == {
        "price": ("8.82", "18.00"), "stock": ("5", "2"), "tags": ("warm", "summer, warm")
    }  # fmt: skip
    in_german = line("s1.de")
    assert (in_german.then.name, in_german.now.name) == ("Aranwolle", "Dicke Wolle")
    assert otherwise(line(f"s{outlet}"))["price"] == ("7,20", "6,30")


def test_what_is_ahead_is_refused_and_the_page_leads_from_the_table(ctx, browser):
    make_product(ctx, "FEL-1", name="Aran")
    with pytest.raises(Refused, match="still to come"):
        table_then(ctx, -1)
    assert "/products/as-of?of=" in browser.get("/products").text
    page = browser.get("/products/as-of?of=q%3Daran")
    assert (page.status_code, "was not there yet" in page.text) == (200, True)
    assert browser.get("/products/as-of?at=2999-01-01T00:00").status_code == 422
    assert browser.get("/products/as-of?at=soon").status_code == 422
