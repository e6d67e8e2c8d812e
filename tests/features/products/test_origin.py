"""Country of origin, a field that is declared once: the same wherever a field of goods is met."""

import csv
from dataclasses import replace

import pytest

from graupel.core.products import Status
from graupel.core.resolve import DEFAULT_LENS
from graupel.core.roles import SYSTEM, Role
from graupel.core.tables import TableState
from graupel.features.bulk import service as bulk
from graupel.features.destinations import shops
from graupel.features.files import exporting
from graupel.features.history import service as history
from graupel.features.products import many, saving, service, table
from graupel.features.users import service as users
from graupel.features.variants import setting
from graupel.features.variants.reading import read_value
from tests.conftest import person
from tests.making import bring_in, make_product, roll_back_newest, work_off
from tests.needles import by_label, colour, needles, size
from tests.serving import app, as_role, browser, stranger

__all__ = ["app", "as_role", "browser", "colour", "needles", "size", "stranger"]


def origins(ctx, product_id):
    """What holds for each variant."""
    product = service.read(ctx, SYSTEM, product_id)
    return [one.origin_country or product.values.origin_country for one in product.variants]


@pytest.fixture
def yarn(ctx):
    return make_product(ctx, "FEL-1", origin_country="IE")


def test_variants_inherit_it_and_may_have_their_own(ctx, needles):
    values = service.read(ctx, SYSTEM, needles).values
    saving.save(ctx, SYSTEM, needles, replace(values, origin_country="PT"), None)
    assert set(origins(ctx, needles)) == {"PT"}
    one = by_label(ctx, needles)["Heather, 3 mm"].id
    setting.set_values(ctx, SYSTEM, needles, [one], "origin_country", read_value("origin_country", "Irland", "EUR"))
    assert sorted(origins(ctx, needles)) == ["IE", *["PT"] * 5]
    setting.set_values(ctx, SYSTEM, needles, [one], "origin_country", None, DEFAULT_LENS)
    assert set(origins(ctx, needles)) == {"PT"}


def test_table_facet_and_history_say_it_in_words(ctx, yarn, needles):
    other = make_product(ctx, "FEL-2", origin_country="PT")
    found = table.read(ctx, SYSTEM, TableState(chosen={"origin_country": ("IE",)}))
    assert [(row["id"], row["origin_country"]) for row in found.rows] == [(yarn, "Ireland")]
    facet = next(one for one in found.facets if one.key == "origin_country")
    assert {(one.label, one.count, one.chosen) for one in facet.values} == {
        ("Ireland", 1, True),
        ("Portugal", 1, False),
    }
    saving.save(ctx, SYSTEM, other, replace(service.read(ctx, SYSTEM, other).values, origin_country="IE"), None)
    (row,) = history.read(ctx, SYSTEM, history.list_change_sets(ctx, SYSTEM).change_sets[0]["id"]).rows
    assert row.fields == [("Country of origin", "Portugal", "Ireland")]
    assert table.read(ctx, SYSTEM, TableState(chosen={"origin_country": ("IE",)})).total == 2
    roll_back_newest(ctx)
    assert table.read(ctx, SYSTEM, TableState(chosen={"origin_country": ("IE",)})).total == 1


def test_it_is_given_in_bulk_to_products_that_vary_and_those_that_do_not(ctx, yarn, needles):
    number = bulk.request_plan(ctx, SYSTEM, "origin_country", "Portugal", ids=[yarn, needles])
    plan = bulk.read(ctx, SYSTEM, number)
    assert {(now, then) for _, _, now, then in plan.rows} == {("Ireland", "Portugal"), ("none", "Portugal")}
    bulk.request_apply(ctx, SYSTEM, number)
    work_off(ctx)
    assert set(origins(ctx, yarn) + origins(ctx, needles)) == {"PT"}
    again = bulk.read(ctx, SYSTEM, bulk.request_plan(ctx, SYSTEM, "origin_country", "PT", ids=[yarn, needles]))
    assert again.changing == 0
    roll_back_newest(ctx)
    assert set(origins(ctx, yarn)) == {"IE"}
    assert set(origins(ctx, needles)) == {None}


def test_it_comes_and_goes_with_files_and_programs(ctx, yarn, tmp_path, stranger):
    exporting.export(ctx, SYSTEM, tmp_path / "out.csv")
    with (tmp_path / "out.csv").open() as file:
        (row,) = csv.DictReader(file)
    assert row["country of origin"] == "IE"
    bring_in(ctx, "sku,name,made in\nFEL-1,,Portugal\nNEW-1,New yarn,ie\n")
    assert origins(ctx, yarn) == ["PT"]
    made = many.list_after(ctx, SYSTEM, after=yarn, limit=1)[0].id
    assert origins(ctx, made) == ["IE"]
    token = users.make_token(ctx, person(ctx, Role.EDITOR), "Test", Role.EDITOR)
    api = {"Authorization": f"Bearer {token}"}
    read = stranger.get(f"/api/v1/products/{yarn}", headers=api)
    assert read.json()["variants"][0]["origin_country"] == "PT"
    asked = {"origin_country": "IE"}
    answer = stranger.patch(f"/api/v1/products/{yarn}", json=asked, headers=api | {"If-Match": read.headers["ETag"]})
    assert (answer.status_code, answer.json()["variants"][0]["origin_country"]) == (200, "IE")
    wrong = stranger.patch(f"/api/v1/products/{yarn}", json={"origin_country": "QQ"}, headers=api | {"If-Match": "*"})
    assert (wrong.status_code, "is no country" in wrong.text) == (422, True)


def test_it_is_typed_in_the_editor_and_seen_by_buyers(ctx, yarn, browser, stranger):
    page = browser.get(f"/products/{yarn}").text
    assert '<option value="IE" selected>Ireland</option>' in page
    typed = {"name": "Fellside", "sku": "FEL-1", "price": "9.80", "origin_country": "PT", "then": "draft"}
    browser.write(f"/products/{yarn}", typed)
    assert origins(ctx, yarn) == ["PT"]
    live = replace(service.read(ctx, SYSTEM, yarn).values, status=Status.LIVE)
    saving.save(ctx, SYSTEM, yarn, live, None)
    shops.add_language(ctx, SYSTEM, "de")
    assert "<dt>Country of origin</dt><dd>Portugal</dd>" in stranger.get(f"/shop/p/{yarn}").text
    saving.save(ctx, SYSTEM, yarn, replace(live, origin_country="IE"), None)
    assert "<dt>Herkunftsland</dt><dd>Irland</dd>" in stranger.get(f"/shop/de/p/{yarn}").text
