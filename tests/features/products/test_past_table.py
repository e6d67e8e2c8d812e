"""The products table as it was at a moment."""

from datetime import timedelta
from decimal import Decimal

import pytest

from graupel.core.errors import Refused
from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.core.tables import TableState
from graupel.features.history import rolling_back
from graupel.features.products import past_table, saving
from graupel.features.products import service as products
from tests.making import bring_in, make_product
from tests.needles import colour
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser", "colour"]


def now_of(ctx):
    return ctx.db.run(ctx.now)


def backdate(ctx, days):
    """Everything that was done so far was done so many days ago."""
    ctx.db.run(lambda tx: tx.run("UPDATE change_set SET made_at = made_at - INTERVAL %s DAY", [days]))


def lines(ctx, days, **asked):
    state = TableState.read({name: [text] for name, text in asked.items()})
    found = past_table.read(ctx, SYSTEM, state, now_of(ctx) - timedelta(days=days))
    return {one.now["name"]: one for one in found.lines}


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
    then, now = found["Aran wool"].then, found["Aran wool"].now
    assert {name: (then[name], now[name]) for name in found["Aran wool"].differing} == {
        "name": ("Aran", "Aran wool"),
        "status": ("Live", "Archived"),
        "price": ("9.80", "12.00"),
    }
    assert (found["Varied"].then["price"], found["Varied"].now["price"]) == ("5.00–7.00", "6.00–7.00")
    assert found["Varied"].then["variants"] == "2"
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
    found = past_table.read(ctx, SYSTEM, TableState.read({"q": ["moss"]}), now_of(ctx) - timedelta(days=5))
    assert [one.product_id for one in found.lines] == [moss]
    assert [(one.product_id, one.then["name"], one.then["price"], one.then["variants"]) for one in found.gone] == [
        (aran, "Aran", "9.80", "1")
    ]
    assert past_table.read(ctx, SYSTEM, TableState.read({}), now_of(ctx) - timedelta(days=20)).gone == []
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
    found = past_table.read(ctx, SYSTEM, TableState.read({}), now_of(ctx) - timedelta(days=5))
    assert [(one.then["name"], one.then["price"]) for one in found.gone] == [("Bee", "6.00"), ("Ay", "5.00")]


def test_what_is_ahead_is_refused_and_the_page_leads_from_the_table(ctx, browser):
    make_product(ctx, "FEL-1", name="Aran")
    with pytest.raises(Refused, match="still to come"):
        past_table.read(ctx, SYSTEM, TableState.read({}), now_of(ctx) + timedelta(days=1))
    assert "/products/as-of?of=" in browser.get("/products").text
    page = browser.get("/products/as-of?of=q%3Daran")
    assert (page.status_code, "was not there yet" in page.text) == (200, True)
    assert browser.get("/products/as-of?at=2999-01-01T00:00").status_code == 422
    assert browser.get("/products/as-of?at=soon").status_code == 422
