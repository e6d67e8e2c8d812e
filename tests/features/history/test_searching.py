"""History is searched, says what was changed, gathers what followed each other, and names what is gone."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from decimal import Decimal

import pytest

from graupel.core.pictures import Picture
from graupel.core.roles import SYSTEM
from graupel.features.history import service as history
from graupel.features.history.service import Asked
from graupel.features.media import service as media
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.variants import setting
from tests.making import add_german, bring_in, counted, jpeg, make_product, roll_back_newest
from tests.needles import by_label, colour, needles, size
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser", "colour", "needles", "size"]


def change(ctx, product_id, actor=SYSTEM, **given):
    product = products.read(ctx, SYSTEM, product_id)
    saving.save(ctx, actor, product_id, replace(product.values, **given), product.version)


def found(ctx, **asked):
    return [one["title"] for one in history.list_change_sets(ctx, SYSTEM, asked=Asked(**asked)).change_sets]


@pytest.fixture
def yarn(ctx):
    return make_product(ctx, "FEL", name="Fellside aran", price=Decimal("9.80"))


def test_a_line_says_what_was_changed(ctx, yarn):
    change(ctx, yarn, price=Decimal("10.20"))
    change(ctx, yarn, mpn="CM-1", meta_title="T", meta_description="D", brand="Carrow Mill")
    newest, before = said(ctx)
    assert before == "Price 9.80 → 10.20"
    assert newest.endswith("and 2 more")


def test_a_line_names_the_field_and_for_whom_a_value_was_written(ctx, yarn):
    add_german(ctx)
    change(ctx, yarn, own={".de.name": "Aran vom Hang"})
    assert said(ctx)[0] == "Name (German) added"
    change(ctx, yarn, own={".de.name": "Hanggarn"})
    assert said(ctx)[0] == "Name (German) Aran vom Hang → Hanggarn"
    change(ctx, yarn, own={})
    assert said(ctx)[0] == "Name (German) taken away"


def said(ctx):
    """What the two newest acts did, each as the newest of its own page."""
    sets = history.list_change_sets(ctx, SYSTEM).change_sets[:2]
    return [history.list_change_sets(ctx, SYSTEM, before=one["id"] + 1).gathered[0].said for one in sets]


def test_acts_that_follow_each_other_are_gathered(ctx, yarn, editor):
    for price in ("1.00", "2.00", "3.00"):
        change(ctx, yarn, price=Decimal(price))
    change(ctx, yarn, editor, price=Decimal("4.00"))
    gathered = history.list_change_sets(ctx, SYSTEM).gathered
    assert [len(one.sets) for one in gathered[:2]] == [1, 3]
    assert gathered[1].said == "Price 2.00 → 3.00"
    ctx.db.run(lambda tx: tx.run("UPDATE change_set SET made_at = made_at + INTERVAL id HOUR"))
    assert {len(one.sets) for one in history.list_change_sets(ctx, SYSTEM).gathered} == {1}


def test_it_is_searched_by_words_person_time_field_kind_and_product(ctx, yarn, needles, editor):
    change(ctx, yarn, editor, price=Decimal("10.20"))
    change(ctx, needles, name="Short needles")
    assert found(ctx, text="changed: fellside") == ["Product changed: Fellside aran"]
    assert found(ctx, text="100%") == []
    assert found(ctx, who=editor.name[:6]) == ["Product changed: Fellside aran"]
    assert found(ctx, field="product.name") == ["Product changed: Short needles"]
    assert found(ctx, field="variant.price", text="changed: Fellside") == ["Product changed: Fellside aran"]
    assert found(ctx, kind="product.save", text="needles") == ["Product changed: Short needles"]
    now = datetime.now(UTC).replace(tzinfo=None)
    assert found(ctx, since=now + timedelta(days=1)) == []
    assert len(found(ctx, until=now + timedelta(days=1), since=now - timedelta(days=1))) > 4
    setting.save_one(ctx, SYSTEM, by_label(ctx, needles)["Rust, 4 mm"].id, {"stock": counted(4)})
    assert found(ctx, product=needles)[:2] == ["Variant changed: Short needles", "Product changed: Short needles"]
    assert found(ctx, product=yarn) == ["Product changed: Fellside aran", "Product made: Fellside aran"]


def test_what_is_gone_is_called_as_it_was(ctx, needles, colour):
    """Values of a language, pictures and what they show, taken away: all have names."""
    file = media.take(ctx, SYSTEM, "skein.jpg", jpeg())
    picture = Picture(file.id, "A skein", "", (colour.choices[0].id,))
    change(ctx, needles, own={".de.name": "Nadeln"}, pictures=(picture,), name="Needles")
    change(ctx, needles, own={}, pictures=())
    newest, before = (one["id"] for one in history.list_change_sets(ctx, SYSTEM).change_sets[:2])
    for number in (newest, before):
        rows = history.read(ctx, SYSTEM, number).rows
        words = [row.shown.title for row in rows] + [word for row in rows for told in row.fields for word in told[1:]]
        assert not [word for word in words if word.startswith("number ")]
        titles = {row.kind: row.shown.title for row in rows}
        assert "Name (German)" in titles["Value for a language or destination"]
        assert "Heather" in titles["Picture belongs to"]


def test_the_page_carries_the_search_on(browser, ctx, yarn, monkeypatch):
    monkeypatch.setattr("graupel.features.history.store.PAGE", 2)
    for number in range(4):
        change(ctx, yarn, name=f"Fellside {number}")
    page = browser.get("/history?q=fellside&who=&kind=product.save").text
    assert "q=fellside&amp;kind=product.save" in page
    assert 'value="fellside"' in page
    assert "Name Fellside 2 → Fellside 3" in page
    assert browser.get("/history?until=9999-12-31&field=nonsense&kind=y").status_code == 200
    assert "“since” can’t be read: it is a day such as 2026-11-30." in browser.get("/history?since=someday").text
    assert "Nothing fits" in browser.get("/history?q=zebra").text


def test_a_file_that_was_rolled_back_says_so(browser, ctx):
    bring_in(ctx, "sku,name\nA,Wool\n")
    assert "Brought in" in browser.get("/files").text
    roll_back_newest(ctx)
    listed = browser.get("/files").text
    assert "Rolled back" in listed
    assert "Brought in" not in listed
