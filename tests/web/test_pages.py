"""Files, jobs, history and channels over HTTP: what a person is told."""

import re
from dataclasses import replace

from graupel.core.roles import SYSTEM, Role
from graupel.features.files import service as files
from graupel.features.history import rolling_back
from graupel.features.history import service as history
from graupel.features.jobs import service as jobs
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.jobs import JobRequest, enqueue
from tests.making import bring_in, catalogue, make_product, plan_file, work_off
from tests.serving import app, as_role, browser, stranger

__all__ = ["app", "as_role", "browser", "stranger"]
CSV = b"sku,name,price\nFEL-1,Fellside,9.80\nFEL-2,,1\n"


def test_a_file_goes_from_the_door_to_the_result(browser, ctx):
    uploaded = browser.write("/files", files={"file": ("C:\\goods.csv", CSV)})
    address = uploaded.headers["location"]
    assert "goods.csv" in browser.get(address).text
    form = {"column_0": "sku", "column_1": "name", "column_2": "price", "new_as": "draft"}
    assert browser.write(f"{address}/plan", form).status_code == 200
    assert "Waiting for its turn" in browser.get(address, headers={"HX-Request": "true"}).text
    assert (
        ctx.db.run(lambda tx: tx.value("SELECT COUNT(*) FROM job WHERE kind = 'files.plan' AND state = 'waiting'")) == 1
    )
    work_off(ctx)
    dry = browser.get(address).text
    assert "“FEL-2” is new and needs a name." in dry
    assert dry.count("needs a name") == 1
    refused = browser.write(f"{address}/apply", {})
    assert refused.status_code == 422
    assert "Correct the file" in refused.text
    browser.write(f"{address}/apply", {"leave_out": "yes"})
    work_off(ctx)
    assert "1 product made" in browser.get(address).text
    table = browser.get(f"{address}/refused.csv")
    assert table.text.startswith("line,reason,sku")
    assert browser.write("/files/out", {"form": "csv", "fields": ["name", "price"]}).status_code == 303
    assert "Waiting for its turn" in browser.get("/files/out").text
    work_off(ctx)
    (link,) = re.findall(r'href="(/files/out/\d+)"', browser.get("/files/out").text)
    assert browser.get(link).text.splitlines() == ["sku,name,price", "FEL-1,Fellside,9.80"]
    again = browser.write(f"{address}/plan", {"column_0": "sku", "column_1": "name"})
    assert "brought in already" in again.text


def test_what_can_not_be_done_is_said_on_the_same_page(browser, ctx):
    assert "Choose a file first" in browser.write("/files", {"x": "y"}).text
    assert "This file is empty" in browser.write("/files", files={"file": ("a.csv", b"")}).text
    address = browser.write("/files", files={"file": ("a.csv", CSV)}).headers["location"]
    for columns, says in (
        ({"column_0": "name"}, "which column holds the SKU"),
        ({"column_0": "sku"}, "Match at least one column"),
        ({"column_0": "sku", "column_1": "sku"}, "Two columns are matched to SKU"),
    ):
        answer = browser.write(f"{address}/plan", columns)
        assert (answer.status_code, says in answer.text) == (422, True)
    assert browser.get("/files/999").status_code == 404


def test_what_can_not_be_set_for_many_is_said_before_anything_is_planned(browser, ctx):
    product_id = make_product(ctx, "FEL-1")
    for form, says in (
        ({"field": "status", "value": "gone"}, "A status is draft, live or archived."),
        ({"field": "shop_on", "value": "Nowhere"}, "There is no shop “Nowhere”."),
        ({"field": "nothing", "value": "1"}, "“field” can’t be read: it is none of those that can be chosen."),
        ({"field": "status", "value": "live", "ids": ""}, "Choose the products first."),
        ({"field": "status", "value": "live", "ids": "x"}, "“ids” can’t be read: it is a whole number."),
    ):
        answer = browser.write("/products/bulk", {"ids": str(product_id), **form})
        assert answer.status_code == 422
        assert says in answer.text


def test_a_roll_back_is_asked_for_followed_and_shown(browser, ctx):
    file = bring_in(ctx, "sku,name\nFEL-1,Fellside\n")
    address = f"/history/{file.row['change_set_id']}"
    assert "Roll back 2 records" in browser.get(f"{address}/plan").text
    following = browser.write(f"{address}/rollback").headers["location"]
    assert "it goes on" in browser.get(following).text
    work_off(ctx)
    ended = browser.get(following, headers={"HX-Request": "true"})
    assert ended.status_code == 204
    assert "This rolled back" in browser.get(ended.headers["hx-redirect"]).text
    assert "was rolled back by" in browser.get(address).text
    assert "Rolled back" in browser.get("/history?kind=files.apply").text
    assert "everything is as it was before this" in browser.get(f"{address}/plan").text
    again = browser.write(f"{address}/rollback").headers["location"]
    work_off(ctx)
    assert "Nothing went back" in browser.get(again).text
    assert catalogue(ctx) == {}


def test_what_a_large_set_would_give_back_is_worked_out_by_a_job(browser, ctx, monkeypatch):
    monkeypatch.setattr(rolling_back, "AT_ONCE", 1)
    file = bring_in(ctx, "sku,name\nFEL-1,Fellside\n")
    address = f"/history/{file.row['change_set_id']}"
    assert "worked out in the background" in browser.get(f"{address}/plan").text
    following = browser.write(f"{address}/plan").headers["location"]
    work_off(ctx)
    assert "2 records would go back" in browser.get(following).text
    assert set(catalogue(ctx)) == {"FEL-1"}


def test_what_stays_is_named_field_by_field(browser, ctx):
    product_id = make_product(ctx, "FEL-1", name="First", mpn="A")
    for name, mpn in (("Second", "B"), ("Third", "B")):
        values = products.read(ctx, SYSTEM, product_id).values
        saving.save(ctx, SYSTEM, product_id, replace(values, name=name, mpn=mpn), None)
    number = history.list_change_sets(ctx, SYSTEM).change_sets[1]["id"]
    said = browser.get(f"/history/{number}/plan").text
    assert "something was changed since; that stays" in said
    assert re.search(r"Name</td>.*Second</td>.*Third</td>", said, re.S)


def test_history_has_pages_and_names_what_a_field_refers_to(browser, ctx):
    make_product(ctx, "FEL-1", category="Yarn > Aran")
    for number in range(45):
        make_product(ctx, f"P-{number}", category=None, status="draft")
    first = browser.get("/history").text
    older = browser.get(first.split('rel="next" href="')[1].split('"')[0]).text
    assert "Product made: Fellside aran FEL-1" in older
    detail = browser.get(older.split("Product made: Fellside aran FEL-1")[0].rsplit('href="', 1)[1].split('"')[0]).text
    assert ">Aran<" in detail
    assert "(empty)" not in detail


def test_the_board_cancels_and_tries_again(browser, ctx):
    file = plan_file(ctx, "sku,name\nFEL-1,Fellside\n")
    job_id = files.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    assert "Bring in goods.csv" in browser.get("/jobs").text
    assert (
        browser.write(f"/jobs/{job_id}/cancel", {"back": f"/files/{file.id}"}).headers["location"]
        == f"/files/{file.id}"
    )
    assert "Cancelled before it began" in browser.get("/jobs", headers={"HX-Request": "true"}).text
    assert browser.write(f"/jobs/{job_id}/again", {"back": "//evil.example"}).headers["location"] == "/jobs"
    work_off(ctx)
    assert jobs.read(ctx, SYSTEM, job_id)["state"] == "done"
    assert browser.write(f"/jobs/{job_id}/again").status_code == 422


def test_the_board_lists_what_somebody_asked_for_and_of_the_rest_what_did_not_go_well(browser, ctx):
    file = plan_file(ctx, "sku,name\nFEL-1,Fellside\n")
    work_off(ctx)
    assert [job["state"] for job in jobs.board(ctx, SYSTEM).ended] == [], "the dry run was asked for by nobody"
    files.request_apply(ctx, browser.actor, file.id, leave_out=False)
    ctx.db.run(lambda tx: enqueue(tx, SYSTEM, JobRequest("nobody.knows", "Odd work", {})))
    work_off(ctx)
    board = jobs.board(ctx, SYSTEM)
    assert [job["title"] for job in board.ended] == ["Bring in goods.csv"]
    assert [job["title"] for job in board.failed] == ["Odd work"]


def test_connecting_a_channel_says_what_is_wrong_with_the_address(as_role, ctx):
    owner = as_role(Role.OWNER)
    answer = owner.write("/channels", {"kind": "ostlerby", "address": "nowhere", "secret": ""})
    assert answer.status_code == 422
    assert "Write the whole address" in answer.text
    assert "The key that the channel gave you" in answer.text
    placed = owner.write("/channels", {"kind": "ostlerby", "address": "http://127.0.0.1:9", "secret": "very-secret"})
    work_off(ctx)
    page = owner.get(placed.headers["location"]).text
    assert "be reached" in page
    assert "very-secret" not in page + owner.get("/channels").text
    product_id = make_product(ctx, "FEL-1")
    part = owner.get(f"/products/{product_id}/channels").text
    assert "has not answered yet" in part
    assert owner.write(f"/products/{product_id}/channels/1/end").status_code in (404, 422)
