"""A copy of a product has all of it, variants included, under codes of its own."""

from dataclasses import replace
from decimal import Decimal

import pytest

from graupel.core.attributes import AttributeKind, Fact
from graupel.core.errors import Refused
from graupel.core.pictures import Picture
from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.core.variants import label_of
from graupel.features.media import service as media
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.variants import copying, making, setting
from graupel.features.variants.copying import Wanted
from graupel.features.vocabulary import attributes, types
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.attributes import Definition
from tests.making import catalogue, jpeg, make_product, roll_back_newest
from tests.needles import by_label, colour, needles, size, wish
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser", "colour", "needles", "size"]


def read(ctx, product_id):
    return products.read(ctx, SYSTEM, product_id)


def shown(product):
    """What is compared of variants: by label, without what names one article alone."""
    return {
        label_of(product.axes, one.combination): (one.price, one.cost, one.weight_g, one.mpn, dict(one.own))
        for one in product.variants
    }


def test_a_copy_varies_as_the_original_with_skus_by_the_pattern(ctx, needles):
    rust = by_label(ctx, needles)["Rust, 4 mm"]
    own = {".de.name": "Rostrot"}
    setting.save_one(ctx, SYSTEM, rust.id, {"price": Decimal("7.10"), "weight_g": 12, "name": "Rusty"}, own=own)
    planned = copying.plan(ctx, SYSTEM, needles, Wanted())
    made = read(ctx, copying.copy(ctx, SYSTEM, needles))
    original = read(ctx, needles)
    assert shown(made) == shown(original)
    assert made.values.price == original.values.price
    assert [axis.ids for axis in made.axes] == [axis.ids for axis in original.axes]
    assert sorted(one.sku for one in made.variants) == sorted(planned.skus.values()), "as the dry run said"
    assert all(one.sku.startswith("NDL-C-") for one in made.variants)
    assert {one.gtin for one in made.variants} | {one.stock for one in made.variants} == {None}
    assert (made.values.status, made.values.code) == (Status.DRAFT, "NDL-C")
    copied = by_label(ctx, made.id)["Rust, 4 mm"]
    assert (
        ctx.db.run(lambda tx: tx.value("SELECT name FROM variant_text WHERE variant_id = %s", [copied.id])) == "Rusty"
    )


def test_pictures_show_the_same_variants_of_the_copy(ctx, needles, colour):
    heather = colour.choices[0].id
    rust = by_label(ctx, needles)["Rust, 4 mm"].id
    files = [media.take(ctx, SYSTEM, f"{c}.jpg", jpeg(colour=c)).id for c in ("#112233", "#445566")]
    before = read(ctx, needles)
    pictures = (Picture(files[0], "Heather", "", (heather,)), Picture(files[1], "Rust", "", (), (rust,)))
    saving.save(ctx, SYSTEM, needles, replace(before.values, pictures=pictures), before.version)
    made = read(ctx, copying.copy(ctx, SYSTEM, needles))
    copied = by_label(ctx, made.id)["Rust, 4 mm"].id
    assert made.values.pictures == (pictures[0], replace(pictures[1], variants=(copied,)))


def test_attributes_of_its_own_are_copied_with_their_choices(ctx):
    product_id = make_product(ctx, "BALL", code="BALL")
    put_up = attributes.make(
        ctx, SYSTEM, Definition("Put-up", AttributeKind.ONE_CHOICE, choices=["50 g", "100 g"], product_id=product_id)
    )
    note = attributes.make(ctx, SYSTEM, Definition("Note", AttributeKind.SHORT_TEXT, product_id=product_id))
    axis = attributes.read(ctx, SYSTEM, put_up.id).attribute
    making.make(ctx, SYSTEM, product_id, wish((axis, ["50 g", "100 g"])))
    before = read(ctx, product_id)
    values = replace(before.values, facts={note.id: Fact(text="By hand")})
    saving.save(ctx, SYSTEM, product_id, values, before.version)
    made = read(ctx, copying.copy(ctx, SYSTEM, product_id))
    assert shown(made).keys() == {"50 g", "100 g"}
    own = [one for one in made.vocabulary.attributes.values() if one.product_id == made.id]
    assert {one.name for one in own} == {"Put-up", "Note"}
    assert not {one.id for one in own} & {put_up.id, note.id}
    assert [fact.text for fact in made.values.facts.values()] == ["By hand"]


def test_a_code_of_the_types_scheme_is_proposed_and_used_up(ctx):
    kind = vocabulary.make(ctx, SYSTEM, "type", "Yarn").id
    types.save(ctx, SYSTEM, kind, "Yarn", "YRN", [])
    product_id = make_product(ctx, "FEL", code="FEL", type_id=kind)
    planned = copying.plan(ctx, SYSTEM, product_id, Wanted())
    first = read(ctx, copying.copy(ctx, SYSTEM, product_id, Wanted(code=planned.code)))
    second = read(ctx, copying.copy(ctx, SYSTEM, product_id))
    assert (planned.code, first.values.code, second.values.code) == ("YRN-0001", "YRN-0001", "YRN-0002")


def test_what_was_typed_counts_and_what_is_taken_is_refused(ctx, needles):
    make_product(ctx, "OTHER", code="OTHER")
    with pytest.raises(Refused, match="OTHER belongs to “"):
        copying.copy(ctx, SYSTEM, needles, Wanted(code="OTHER"))
    with pytest.raises(Refused, match="nonsense"):
        copying.copy(ctx, SYSTEM, needles, Wanted(pattern="{nonsense}"))
    with pytest.raises(Refused, match="can't hold “Ä”"):
        copying.copy(ctx, SYSTEM, needles, Wanted(code="ÄRMEL"))
    with pytest.raises(Refused, match="can't hold “Ä”"):
        copying.copy(ctx, SYSTEM, make_product(ctx, "PLAIN"), Wanted(sku="ÄRMEL"))
    made = read(ctx, copying.copy(ctx, SYSTEM, needles, Wanted("Short needles", "SHORT", "{code}.{number}")))
    assert (made.values.name, made.values.code) == ("Short needles", "SHORT")
    assert {one.sku for one in made.variants} == {f"SHORT.00{number}" for number in range(1, 7)}


def test_copies_are_numbered_and_a_roll_back_takes_one_away_whole(ctx, needles):
    before = catalogue(ctx)
    first = copying.copy(ctx, SYSTEM, needles)
    roll_back_newest(ctx)
    assert catalogue(ctx) == before
    first = copying.copy(ctx, SYSTEM, needles)
    second = copying.copy(ctx, SYSTEM, first)
    names = [read(ctx, one).values.name.rpartition(", ")[2] for one in (first, second)]
    assert names == ["copy", "copy 2"]


def test_the_page_shows_the_skus_for_what_is_typed_and_opens_the_copy(browser, ctx, needles):
    page = browser.get(f"/products/{needles}/copy").text
    assert "Make the copy with 6 variants" in page
    assert "NDL-C-" in page
    assert "GTINs" in page
    assert "SHORT-" in browser.write(f"/products/{needles}/copy/look", {"code": "SHORT"}).text
    refused = browser.write(f"/products/{needles}/copy", {"code": "a b ? c"})
    assert refused.status_code == 422
    assert "can&#39;t hold" in refused.text
    done = browser.write(f"/products/{needles}/copy", {"code": "SHORT", "name": "Short"})
    made = read(ctx, int(done.headers["HX-Redirect"].removeprefix("/products/").partition("?")[0]))
    assert (made.values.name, len(made.variants)) == ("Short", 6)
