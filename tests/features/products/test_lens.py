"""A product through a lens: written there alone, shown with its origin, taken back, rolled back; by sets as by one."""

import random
import re
from dataclasses import replace
from decimal import Decimal
from pathlib import Path

import pytest

from graupel.core import products as rules
from graupel.core.products import Status
from graupel.core.quantities import format_money
from graupel.core.resolve import (
    DEFAULT_LENS,
    OF_VARIANT,
    Lens,
    Level,
    ValuePlace,
    money_places,
    places,
    places_of,
    resolve,
)
from graupel.core.roles import SYSTEM, Role
from graupel.core.tables import TableState
from graupel.features.destinations import service as destinations
from graupel.features.destinations import shops
from graupel.features.history import service as history
from graupel.features.listings import connecting, sending
from graupel.features.listings import standing as standings
from graupel.features.products import resolving, saving, table
from graupel.features.products import service as products
from graupel.features.variants import copying, setting, taking
from graupel.features.variants import service as variants
from tests.making import add_german, add_outlet, make_product, roll_back_newest, set_status
from tests.needles import by_label, colour, needles, size
from tests.serving import app, as_role, browser, stranger

__all__ = ["app", "as_role", "browser", "colour", "needles", "size", "stranger"]


@pytest.fixture
def outlet(ctx) -> str:
    """The lens' code of a second shop; its own language is German."""
    return f"s{add_outlet(ctx)}"


@pytest.fixture
def yarn(ctx, outlet) -> int:
    """Named in German, and otherwise in the outlet, where it is cheaper."""
    add_german(ctx)
    own = {".de.name": "Garn", f"{outlet}.de.name": "Restgarn", f"{outlet}..price": "7.00"}
    return make_product(ctx, "FEL-1", name="Yarn", short_text="Of wool", own=own)


def test_a_page_shows_what_the_lens_shows_and_where_it_comes_from(browser, ctx, yarn, outlet):
    plain = browser.get(f"/products/{yarn}").text
    assert "through" not in plain.split('id="parts"')[1]
    assert "as <b>" not in plain
    german = browser.get(f"/products/{yarn}?lens=de").text
    assert 'name="own-.de.name" value="Garn"' in german
    assert "written in German" in german
    assert 'placeholder="Of wool"' in german
    assert "German is missing: English shown" in german
    assert "Short text: German is missing." in german
    sale = browser.get(f"/products/{yarn}?lens={outlet}").text
    assert f'name="own-{outlet}.de.name" value="Restgarn"' in sale
    assert "set for Last Skeins" in sale
    assert f'name="own-{outlet}..price" value="7.00"' in sale
    assert "7,00" in sale, "money follows the language"


def test_what_is_written_under_a_lens_holds_there_alone_and_goes_back(browser, ctx, yarn, outlet):
    page = f"/products/{yarn}?lens=de"
    version = products.read(ctx, SYSTEM, yarn).version
    sent = {"version": version, "status": "live", "own-.de.short_text": "Aus Wolle", "own-.de.name": ""}
    answer = browser.write(page, sent)
    assert answer.status_code == 200, answer.text
    values = products.read(ctx, SYSTEM, yarn).values
    assert (values.name, values.short_text) == ("Yarn", "Of wool")
    assert rules.seen(values, Lens("", ("de", ""))).short_text == "Aus Wolle"
    assert ".de.name" not in values.own, "a blank field is inherited again"
    roll_back_newest(ctx)
    again = products.read(ctx, SYSTEM, yarn).values
    assert again.own[".de.name"] == "Garn"
    assert ".de.short_text" not in again.own
    wrong = browser.write(f"/products/{yarn}?lens={outlet}", {"version": 0, f"own-{outlet}..price": "a lot"})
    assert wrong.status_code == 422
    assert "is not a price" in wrong.text
    assert 'value="a lot"' in wrong.text, "what was typed is kept"


def test_two_who_write_under_a_lens_at_once_are_shown_both_values(browser, ctx, yarn):
    seen = products.read(ctx, SYSTEM, yarn)
    saving.save(ctx, SYSTEM, yarn, replace(seen.values, own={**seen.values.own, ".de.name": "Wolle"}), seen.version)
    mine = replace(seen.values, own={**seen.values.own, ".de.name": "Faden", ".de.meta_title": "Titel"})
    with pytest.raises(saving.SaveConflict) as raised:
        saving.save(ctx, SYSTEM, yarn, mine, seen.version, rules.flat(seen.values))
    assert [(c.field, c.mine, c.theirs) for c in raised.value.merge.conflicts] == [("own-.de.name", "Faden", "Wolle")]
    assert raised.value.merge.values["own-.de.meta_title"] == "Titel"


def test_a_translation_is_out_of_date_when_its_original_changes_until_somebody_says_it_holds(browser, ctx, yarn):
    before = products.read(ctx, SYSTEM, yarn)
    saving.save(ctx, SYSTEM, yarn, replace(before.values, name="Soft yarn"), before.version)
    page = browser.get(f"/products/{yarn}?lens=de").text
    assert "May be out of date" in page
    assert "<ins>Soft" in page
    version = products.read(ctx, SYSTEM, yarn).version
    browser.write(f"/products/{yarn}?lens=de", {"version": version, "own-.de.name": "Garn", "still-own-.de.name": "1"})
    assert "May be out of date" not in browser.get(f"/products/{yarn}?lens=de").text
    assert products.read(ctx, SYSTEM, yarn).sources[".de.name"] == "Soft yarn"


def test_every_address_of_a_page_carries_the_lens_and_the_default_one_none(browser, ctx, yarn, outlet):
    page = browser.get(f"/products?lens={outlet}.en").text
    for address in (
        f"/products/{yarn}?lens={outlet}.en",
        f"/categories?lens={outlet}.en",
        f"/products?sort=name&amp;columns=usual&amp;lens={outlet}.en",
    ):
        assert f'href="{address}"' in page
    assert 'href="/products?lens="' in page, "back to the default lens"
    assert "/static/app.css?lens" not in page
    assert "lens=" not in browser.get("/products").text.replace('lens="', "").split('class="lens')[0]
    moved = browser.write(
        "/products/views", {"name": "Mine", "query": ""}, headers={"HX-Current-URL": "http://x/products?lens=de"}
    )
    assert moved.headers["HX-Redirect"] == "/products?lens=de"
    assert browser.get("/products?lens=%22%3E%3Cscript").text.count("<script src") > 0
    assert "lens=%22" not in browser.get('/products?lens="><script').text


def test_a_merchant_with_one_shop_and_one_language_sees_nothing_of_it(browser, ctx):
    make_product(ctx, "FEL-1")
    for path in ("/products", "/categories"):
        page = browser.get(path).text
        assert 'class="lens' not in page
        assert "/translate" not in page


def test_templates_make_their_links_so_that_they_carry_the_lens():
    plain = re.compile(r'\s(?:href|action|hx-get)="(?:[/?]|\{\{ (?!to\(|lens_address\(|static ))')
    found = [path for path in Path("graupel").rglob("templates/*.html") if "shop" not in path.parts]
    assert len(found) > 50
    assert [str(path) for path in found if plain.search(path.read_text())] == []


def test_the_table_follows_the_lens_and_its_cells_are_written_for_it(browser, ctx, yarn, outlet):
    other = make_product(ctx, "FEL-2", name="Other yarn")
    seen = destinations.see(ctx, outlet)
    rows = {row["id"]: row for row in table.read(ctx, SYSTEM, TableState(), seen).rows}
    assert (rows[yarn]["name"], rows[yarn]["price_low"], rows[yarn]["own"]["price"]) == (
        "Restgarn",
        Decimal("7.00"),
        "7.00",
    )
    assert (rows[other]["name"], rows[other]["is_missing"]) == ("Other yarn", True)
    assert rows[other]["origin"] == "German is missing: English shown"

    def found(word: str, lens: str) -> list[int]:
        state = TableState.read({"q": [word]})
        return [row["id"] for row in table.read(ctx, SYSTEM, state, destinations.see(ctx, lens)).rows]

    assert found("restgarn", outlet) == found("garn", "de") == [yarn]
    assert found("restgarn", "de") == [], "words of another shop are not searched"
    cells = """[{"cell": "p%d:price", "text": "6,50", "was": "7.00"},
                {"cell": "p%d:name", "text": "Anderes Garn", "was": ""}]"""
    here = {"HX-Current-URL": f"http://x/products?lens={outlet}"}
    assert browser.write("/products/cells", {"cells": cells % (yarn, other)}, headers=here).status_code == 200
    one, two = (products.read(ctx, SYSTEM, key).values for key in (yarn, other))
    assert (one.price, one.own[f"{outlet}..price"], two.name, two.own[f"{outlet}.de.name"]) == (
        Decimal("9.80"),
        "6.50",
        "Other yarn",
        "Anderes Garn",
    )
    late = browser.write("/products/cells", {"cells": cells % (yarn, other)}, headers=here)
    assert late.status_code == 422
    assert "meanwhile" in late.text


def test_variants_are_priced_and_named_for_a_destination_one_by_one_and_many_at_once(browser, ctx, needles, outlet):
    first = by_label(ctx, needles)["Heather, 3 mm"]
    lens = destinations.see(ctx, outlet).lens
    ids = [variant.id for variant in by_label(ctx, needles).values()][:3]
    assert len(setting.plan_setting(ctx, SYSTEM, needles, ids, "price", Decimal("4.00"), lens).changing) == 3
    assert setting.set_values(ctx, SYSTEM, needles, ids, "price", Decimal("4.00"), lens) == 3
    newest = history.list_change_sets(ctx, SYSTEM).change_sets[0]["id"]
    titles = {row.shown.title for row in history.read(ctx, SYSTEM, newest).rows}
    assert all(title.endswith(": Price (Last Skeins)") for title in titles)
    product = products.read(ctx, SYSTEM, needles)
    assert product.prices.is_one, "elsewhere nothing changed"
    through = products.through(product, lens)
    assert (through.prices.low, through.prices.high) == (Decimal("4.00"), Decimal("6.40"))
    panel = browser.get(f"/products/{needles}/variants/{first.id}?lens={outlet}").text
    assert f'name="own-{outlet}..price" value="4.00"' in panel
    browser.write(
        f"/products/{needles}/variants/{first.id}?lens={outlet}",
        {f"own-{outlet}..price": "", f"own-{outlet}.de.name": "Heide"},
    )
    own = by_label(ctx, needles)["Heather, 3 mm"].own
    assert own == {f"{outlet}.de.name": "Heide"}
    assert setting.set_values(ctx, SYSTEM, needles, ids, "price", None, lens) == 2
    roll_back_newest(ctx)
    assert sum(f"{outlet}..price" in v.own for v in products.read(ctx, SYSTEM, needles).variants) == 2
    assert "4.00" in browser.get(f"/products/{needles}/variants/rows?columns=price&lens={outlet}.en").text


def test_readiness_and_what_is_sent_follow_a_channel_and_its_language(ctx, yarn, owner):
    channel = connecting.connect(ctx, owner, "ostlerby", "http://127.0.0.1:9", "key")
    connecting.set_language(ctx, owner, channel, "de")
    before = products.read(ctx, SYSTEM, yarn)
    own = {**before.values.own, f"c{channel}.de.name": "Garn für den Markt", f"c{channel}..price": "10.40"}
    saving.save(ctx, SYSTEM, yarn, replace(before.values, own=own), before.version)
    standings.set_details(ctx, SYSTEM, yarn, channel, "", "")
    listing = ctx.db.run(lambda tx: tx.value("SELECT id FROM listing"))
    sent = ctx.db.run(lambda tx: sending.dispatch(ctx, tx, listing)).payload
    assert sent["title"] == "Garn für den Markt"
    assert "10.40" in str(sent)
    standing = standings.standings(ctx, SYSTEM, products.read(ctx, SYSTEM, yarn))[0]
    assert standing.title == "Garn für den Markt"
    seen = destinations.see(ctx, f"c{channel}")
    assert (seen.destination.name, seen.language) == ("Ostlerby", "de")


def test_a_shop_with_a_currency_of_its_own_lacks_a_price_until_one_is_written(browser, ctx, owner, yarn):
    shop_id = shops.make_shop(ctx, owner, {"name": "Peaks", "languages": "de", "currency": "CHF"})
    page = browser.get(f"/products/{yarn}?lens=s{shop_id}").text
    assert "A price is needed before the product can go live" in page
    version = products.read(ctx, SYSTEM, yarn).version
    browser.write(f"/products/{yarn}?lens=s{shop_id}", {"version": version, f"own-s{shop_id}..price": "CHF 12"})
    page = browser.get(f"/products/{yarn}?lens=s{shop_id}").text
    assert "A price is needed" not in page
    assert "12,00" in page.split('id="mirror"')[1]
    assert "CHF" in page.split('id="mirror"')[1]


def test_a_deleted_products_words_come_back_with_it_and_a_copy_has_its_own(ctx, yarn):
    set_status(ctx, make_product(ctx, "KEEP"), Status.LIVE)
    draft = make_product(ctx, "D-1", status=Status.DRAFT, own={".de.name": "Entwurf", ".de.address_part": "entwurf"})
    copy = products.read(ctx, SYSTEM, copying.copy(ctx, SYSTEM, draft)).values
    assert copy.own == {".de.name": "Entwurf"}
    saving.delete(ctx, SYSTEM, draft)
    roll_back_newest(ctx)
    assert products.read(ctx, SYSTEM, draft).values.own[".de.name"] == "Entwurf"


def test_what_is_resolved_by_sets_is_what_is_resolved_one_by_one(ctx, needles, yarn, outlet):
    dice = random.Random(4)
    shop, names = outlet, ("name", "short_text", "address_part", "description")
    keys = [f"{where}.{lang}.{name}" for where in ("", shop) for lang in ("", "de") for name in names if where or lang]
    ids = [needles, yarn, make_product(ctx, "FEL-3", price=None, status=Status.DRAFT)]
    for product_id in ids:
        product = products.read(ctx, SYSTEM, product_id)
        own = {key: f"{key} {product_id}" for key in keys if dice.random() < 0.4}
        own |= {
            f"{shop}..{name}": f"{dice.randint(1, 99)}.50" for name in ("price", "list_price") if dice.random() < 0.5
        }
        saving.save(ctx, SYSTEM, product_id, replace(product.values, own=own), product.version)
    for variant in products.read(ctx, SYSTEM, needles).variants:
        own = {key: f"{key} v" for key in keys if key.endswith(("name", "short_text")) and dice.random() < 0.3}
        own |= {f"{shop}..price": "3.30"} if dice.random() < 0.5 else {}
        plain = {"price": Decimal("2.00")} if dice.random() < 0.5 else {"name": "Own name"}
        setting.save_one(ctx, SYSTEM, variant.id, plain, None, own)
    found = destinations.read_all(ctx)
    for lens in (
        DEFAULT_LENS,
        found.read("de"),
        found.read(shop),
        found.read(f"{shop}.en"),
        replace(found.read(shop), currency="CHF"),
    ):
        _compare(ctx, ids, lens)
    kept = _stop_varying(ctx, needles)
    for lens in (DEFAULT_LENS, found.read("de"), found.read(shop)):
        _compare(ctx, ids, lens)
    price = products.through(products.read(ctx, SYSTEM, needles), found.read(shop)).values.price
    assert format_money(price) == kept.own[f"{shop}..price"]


def _stop_varying(ctx, product_id):
    """Give up all axes; returns the variant that stays, one with a price of its own elsewhere, as it was."""
    ctx.db.run(lambda tx: tx.run("UPDATE stock SET counted = FALSE WHERE product_id = %s", [product_id]))
    product = products.read(ctx, SYSTEM, product_id)
    kept = next(one for one in product.for_sale if any(key.endswith("..price") for key in one.own))
    for axis, choice in zip(product.axes, kept.combination, strict=True):
        plan = taking.plan_dropping(ctx, SYSTEM, product_id, axis.attribute.id, choice)
        taking.drop_axis(ctx, SYSTEM, product_id, axis.attribute.id, choice, plan.signature)
    assert not products.read(ctx, SYSTEM, product_id).varies
    return kept


def _compare(ctx, ids, lens) -> None:
    fields = ("name", "short_text", "address_part", "description", "price", "list_price")

    def read(tx):
        reading = resolving.variants(tx, lens, fields, "en", ids)
        return list(reading.rows), reading.places

    rows, where = ctx.db.run(read)
    by_id = {row["variant_id"]: row for row in rows}
    known = [(products.read(ctx, SYSTEM, product_id)) for product_id in ids]
    assert len(by_id) == sum(len(product.for_sale) for product in known)
    for product in known:
        through = products.through(product, lens)
        for variant, shown in zip(product.variants, through.variants, strict=True):
            row = by_id[variant.id]
            for name in ("price", "list_price"):
                own, base = getattr(shown, name), getattr(through.values, name)
                assert row[name] == (base if own is None else own), (name, lens)
            texts = variants.texts_of(ctx, variant.id) if product.varies else {}
            for name in fields[:4]:
                held = {
                    ValuePlace(Level.PRODUCT): getattr(product.values, name),
                    ValuePlace(Level.VARIANT): texts.get(name, ""),
                }
                held |= places_of(product.values.own, name, Level.PRODUCT)
                held |= places_of(variant.own, name, Level.VARIANT)
                expected = resolve(held, places(lens, OF_VARIANT, worded=True))
                assert (row[name] or None) == expected.value, (name, lens)
                at = row[f"{name}_at"]
                assert (None if at is None else where[name][at]) == expected.place
    assert set(where["price"]) <= set(money_places(lens, OF_VARIANT))


def test_a_viewer_writes_nothing_under_any_lens(ctx, as_role, yarn):
    viewer = as_role(Role.VIEWER)
    assert viewer.write(f"/products/{yarn}?lens=de", {"version": 1, "own-.de.name": "X"}).status_code == 403
    page = viewer.get(f"/products/{yarn}?lens=de").text
    assert "Back to inherited" not in page
