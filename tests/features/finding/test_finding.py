"""One search over everything: what it finds, in which order, and for whom."""

import pytest

from graupel.core.roles import SYSTEM, Role
from graupel.features.finding import service
from graupel.features.media import service as media
from graupel.features.products import service as products
from graupel.web import navigation
from tests.making import bring_in, jpeg, make_product
from tests.needles import colour, needles, size
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser", "colour", "needles", "size"]

PLACES = [place for section in navigation.ALL for place in section.places]


def found(ctx, text, actor=SYSTEM):
    return {group.label: [one.title for one in group.found] for group in service.find(ctx, actor, text, PLACES)}


def test_each_kind_is_found_by_what_it_is_called(ctx, needles):
    make_product(ctx, "FEL-1", name="Fellside aran", category="Yarn > Aran", brand="Ärmel & Co", tags=("arctic",))
    media.take(ctx, SYSTEM, "aran-skein.jpg", jpeg())
    bring_in(ctx, "sku,name\nNEW-1,Brought in\n")
    of_aran = found(ctx, "aran")
    labels = ("Products", "Categories", "Media")
    assert [of_aran[label] for label in labels] == [
        ["Fellside aran", "Fellside aran NDL"],
        ["Yarn > Aran"],
        ["aran-skein.jpg"],
    ]
    assert found(ctx, "ar")["Vocabulary"] == ["arctic", "Ärmel & Co"]
    assert found(ctx, "heath")["Vocabulary"] == ["Heather"]
    assert found(ctx, "goods.c")["Files brought in"] == ["goods.csv"]
    assert "File brought in: goods.csv" in found(ctx, "goods.csv")["Changes"]
    assert found(ctx, "hist")["Pages"] == ["History"]
    assert found(ctx, "add prod")["What can be done"] == ["Add a product"]


def test_goods_are_found_by_the_id_that_another_system_knows_them_by(ctx):
    product = make_product(ctx, "FEL-1", name="Aran", elsewhere="100482/b")
    make_product(ctx, "FEL-2", elsewhere="1004")
    groups = {group.label: group.found for group in service.find(ctx, SYSTEM, "100482", PLACES)}
    assert [one.title for one in groups["Products"]] == ["Aran"]
    assert [(one.title, one.note) for one in groups["Variants"]] == [("FEL-1", "Aran, elsewhere 100482/b")]
    assert products.read(ctx, SYSTEM, product).values.elsewhere == "100482/b"


def test_variants_are_found_by_sku_and_gtin(ctx, needles):
    product = products.read(ctx, SYSTEM, needles)
    sku = product.for_sale[3].sku
    assert sku in found(ctx, sku.lower())["Variants"]
    (only,) = found(ctx, "9521234567899")["Variants"]
    assert only in [one.sku for one in product.variants]


def test_names_that_begin_so_and_short_ones_stand_first_and_archived_goods_last(ctx):
    for sku, name in (("A", "Hat of wool"), ("B", "Wool"), ("C", "Wool wash"), ("D", "Soft wool")):
        make_product(ctx, sku, name=name)
    assert found(ctx, "wool")["Products"] == ["Wool", "Wool wash", "Soft wool", "Hat of wool"]
    assert found(ctx, "wolo") == {"Products": ["Wool", "Wool wash", "Soft wool", "Hat of wool"]}, "one slip"


@pytest.mark.parametrize("typed", ["", "   ", "%", "_", "\\", "x" * 5000, "🧶", "' OR 1=1"])
def test_what_finds_nothing_and_odd_signs_are_answered(browser, ctx, typed):
    make_product(ctx, "FEL-1")
    assert browser.get("/find", params={"q": typed}).status_code == 200


def test_everybody_is_offered_what_they_may_do(as_role, ctx):
    assert ">Add a product<" in as_role(Role.EDITOR).get("/find?q=add").text
    viewer = as_role(Role.VIEWER)
    assert ">Add a product<" not in viewer.get("/find?q=add").text
    assert ">People<" not in viewer.get("/find?q=people").text
