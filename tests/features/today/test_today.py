"""The first page: what waits for somebody, each line leading to where it is done."""

import html
import re
from datetime import timedelta

from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.db import Tx
from graupel.features.pricing import selling
from graupel.features.today import service
from graupel.jobs import JobRequest, enqueue
from tests.making import add_german, bring_in, make_product, plan_file, work_off
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser"]


def waits(ctx):
    return {one.title: one for one in service.read(ctx, SYSTEM).waits}


def test_drafts_say_what_they_lack_and_lead_to_themselves(browser, ctx):
    make_product(ctx, "D-1", status=Status.DRAFT, price=None)
    make_product(ctx, "D-2", status=Status.DRAFT, price=None, category=None)
    make_product(ctx, "D-3", status=Status.DRAFT)
    make_product(ctx, "L-1", stock=0)
    found = waits(ctx)
    line = found["2 drafts can’t go live yet"]
    assert line.note.startswith("Missing: 2 a price, 1 a category, 3 a picture")
    assert ">2 products<" in browser.get(line.link).text
    assert "1 draft could go live" in found
    (stock,) = service.read(ctx, SYSTEM).stock
    assert stock.title == "1 live product has something sold out"
    assert ">1 product<" in browser.get(stock.link).text


def test_what_failed_what_is_looked_at_and_what_is_to_be_translated_waits(ctx):
    make_product(ctx, "L-1")
    plan_file(ctx, "sku,name,price\nNEW-1,New,5\nNEW-2,,5\n")
    add_german(ctx)
    ctx.db.run(_failed_job)
    found = waits(ctx)
    assert found["The dry run of goods.csv is made"].note == "1 new, 1 refused; nothing is written yet"
    assert found["Counting the skeins failed"].note == "The scales are gone."
    assert any(title.startswith("German: ") for title in found)


def test_the_sales_of_the_week_are_named_and_lead_to_themselves(browser, ctx):
    made = make_product(ctx, "L-1", name="Lace")

    def sale(title, begins, ends):
        days = {"begins": begins, "ends": ends}
        at = {name: f"{ctx.db.run(ctx.now) + timedelta(days=day):%Y-%m-%dT%H:%M}" for name, day in days.items()}
        goods = selling.Goods(selling.Reach.PRODUCT, [made])
        return selling.plan(ctx, SYSTEM, {"amount": "10 %", "title": title, **at}, goods)

    now_on = sale("Autumn", -5, 2)
    sale("Winter", 3, 30)
    sale("Spring", 40, 50)
    ends, begins = service.read(ctx, SYSTEM).prices
    assert (ends.title, begins.title) == ("Autumn ends", "Winter begins")
    assert ends.link == f"/prices?sale={now_on}"
    assert 'value="Autumn"' in browser.get(ends.link).text
    assert "Prices this week" in browser.get("/today").text


def _failed_job(tx: Tx) -> None:
    job = enqueue(tx, SYSTEM, JobRequest("files.plan", "Counting the skeins", {"file_id": 0}))
    tx.run("UPDATE job SET state = 'failed', outcome = 'The scales are gone.' WHERE id = %s", [job])


def test_an_empty_shop_is_led_through_its_first_steps_and_the_first_goods_end_them(browser, ctx):
    page = html.unescape(browser.get("/today").text)
    assert "The first five steps" in page
    links = re.findall(r'<a class="btn small" href="([^"]*)">Begin', page)
    assert len(links) == 5
    assert all(browser.get(link, follow_redirects=True).status_code == 200 for link in links)
    bring_in(ctx, "sku,name\nNEW-1,New\n")
    work_off(ctx)
    page = browser.get("/today").text
    assert "The first five steps" not in page
    assert "File brought in: goods.csv" in page
    assert browser.get("/", follow_redirects=False).headers["location"] == "/today"
