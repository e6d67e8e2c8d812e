"""What varies, through its pages: from a product of one variant to a grid and back, as the forms send it."""

import re
from decimal import Decimal

import pytest

from graupel.core.roles import SYSTEM, Role
from graupel.features.products import service as products
from graupel.features.vocabulary import attributes, types
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.types import Member
from tests.making import make_product
from tests.needles import by_label, colour, needles, size
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser", "colour", "needles", "size"]


@pytest.fixture
def yarn(ctx, colour):
    """A product of one variant, of a type whose goods may differ by colour."""
    kind = vocabulary.make(ctx, SYSTEM, "type", "Yarn").id
    types.save(ctx, SYSTEM, kind, "Yarn", "", [Member(colour.id, may_differ=True)])
    return make_product(ctx, "FEL", type_id=kind, price=Decimal("9.80"))


def named(attribute, *labels):
    """The ids of choices, as a form has them."""
    return [str(c.id) for label in labels for c in attribute.choices if c.label == label]


def hidden(html, name):
    """The value of a hidden field."""
    return re.search(rf'name="{name}" value="([^"]*)"', html).group(1)


def test_the_builder_proposes_what_the_type_differs_by_and_adds_takes_out_and_makes_attributes(
    browser, ctx, yarn, colour, size
):
    here = f"/products/{yarn}/variants/build"
    begun = browser.get(here).text
    assert "1. Colour" in begun
    assert "2. " not in begun
    typed = {"axis": [colour.id], f"choice-{colour.id}": named(colour, "Oat", "Rust")}
    wider = browser.write(here, typed | {"add_axis": size.id}).text
    assert wider.index("1. Colour") < wider.index("2. Size")
    assert wider.count("checked") == 2
    narrower = browser.write(here, {**typed, "axis": [colour.id, size.id], "take_out": colour.id}).text
    assert "1. Size" in narrower
    # A value typed beside an attribute is made and ticked; one that is there already only ticked.
    more = browser.write(here, typed | {f"values-{colour.id}": "Moss, oat"}).text
    assert more.count("checked") == 3
    assert [c.label for c in attributes.read(ctx, SYSTEM, colour.id).attribute.choices][-1] == "Moss"
    own = browser.write(here, typed | {"new_name": "Put-up", "new_values": "50 g, 100 g"}).text
    assert own.count("checked") == 4
    assert [a.name for a in vocabulary.read(ctx, yarn).attributes.values() if a.product_id == yarn] == ["Put-up"]
    refused = browser.write(here, typed | {"new_name": "Put-up", "new_values": "x"})
    assert 'role="alert"' in refused.text
    assert "1. Colour" in refused.text, "what was chosen is still there"
    assert len(products.read(ctx, SYSTEM, yarn).variants) == 1, "nothing is made before the grid was seen"


def test_the_grid_is_seen_first_a_place_left_out_and_what_was_not_shown_is_not_made(browser, ctx, yarn, colour, size):
    here = f"/products/{yarn}/variants"
    typed = {
        "axis": [colour.id, size.id],
        f"choice-{colour.id}": named(colour, "Oat", "Rust"),
        f"choice-{size.id}": named(size, "3 mm", "4 mm"),
    }
    unsaid = browser.write(f"{here}/plan", typed)
    assert unsaid.status_code == 422
    assert 'role="alert"' in unsaid.text
    typed |= {f"given-{colour.id}": named(colour, "Oat"), f"given-{size.id}": named(size, "3 mm")}
    seen = browser.write(f"{here}/plan", typed).text
    assert "3 variants would be made" in seen
    assert "<code>FEL-RUS-4</code>" in seen
    shown = hidden(seen, "shown")
    last = shown.split()[-1]
    grown = browser.write(f"{here}/make", typed | {"shown": shown, "left_out": last})
    assert "2 variants made." in grown.text
    assert len(by_label(ctx, yarn)) == 3
    assert "Made." in browser.write(f"{here}/fill", {"combination": last}).text
    assert len(by_label(ctx, yarn)) == 4
    assert "It is there already." in browser.write(f"{here}/fill", {"combination": last}).text
    assert len(by_label(ctx, yarn)) == 4
    # More was ticked after the grid was seen: what was not in it is not made.
    wider = typed | {f"choice-{colour.id}": named(colour, "Oat", "Rust", "Peat")}
    assert "0 variants made." in browser.write(f"{here}/make", wider | {"shown": shown}).text
    assert len(by_label(ctx, yarn)) == 4


def test_a_price_is_set_for_chosen_variants_or_all_with_a_choice_and_taken_back(browser, ctx, needles, colour):
    here, found = f"/products/{needles}/variants", by_label(ctx, needles)
    two = ".".join(str(found[label].id) for label in ("Oat, 3 mm", "Oat, 4 mm"))
    plan = browser.write(f"{here}/set/plan", {"ids": two, "field": "price", "value": "7,10"}).text
    assert "2 variants change" in plan
    assert "inherited" in plan
    browser.write(f"{here}/set", {"ids": two, "field": "price", "value": "7,10"})
    rust = {"with_choice": named(colour, "Rust")[0], "field": "price"}
    assert "2 variants change" in browser.write(f"{here}/set/plan", rust | {"value": "8"}).text
    assert "Set." in browser.write(f"{here}/set", rust | {"value": "8"}).text
    prices = {label: variant.price for label, variant in by_label(ctx, needles).items()}
    assert prices == {
        "Heather, 3 mm": None, "Heather, 4 mm": None, "Oat, 3 mm": Decimal("7.10"), "Oat, 4 mm": Decimal("7.10"),
        "Rust, 3 mm": Decimal(8), "Rust, 4 mm": Decimal(8),
    }  # fmt: skip
    assert "has it already" in browser.write(
        f"{here}/set/plan", {"ids": str(found["Rust, 3 mm"].id), "field": "price", "value": "8.00"}
    ).text.replace("have it", "has it")
    browser.write(f"{here}/set", {"ids": two, "field": "price", "inherit": "1"})
    assert by_label(ctx, needles)["Oat, 3 mm"].price is None


@pytest.mark.parametrize(
    ("form", "says"),
    [
        ({"field": "price", "value": ""}, "Type a value, or press Back to inherited."),
        ({"field": "price", "value": "cheap"}, "cheap"),
        ({"field": "sku", "value": "X"}, "“field” can’t be read"),
        ({"field": "stock", "value": "+-3"}, "says no number"),
    ],
)
def test_what_can_not_be_set_is_said_and_nothing_is_written(browser, ctx, needles, form, says):
    before = by_label(ctx, needles)
    ids = ".".join(str(one.id) for one in before.values())
    for address in ("set/plan", "set"):
        answer = browser.write(f"/products/{needles}/variants/{address}", {"ids": ids, **form})
        assert answer.status_code == 422
        assert says in answer.text
    assert by_label(ctx, needles) == before


def test_variants_go_as_the_dry_run_said_and_an_attribute_is_given_up(browser, ctx, needles, colour, size):
    here, found = f"/products/{needles}/variants", by_label(ctx, needles)
    chosen = {"ids": str(found["Rust, 4 mm"].id)}
    plan = browser.write(f"{here}/take/plan", chosen).text
    assert "1 variant is deleted:" in plan
    done = browser.write(f"{here}/take", chosen | {"signature": hidden(plan, "signature")})
    assert "Taken away. History can bring them back." in done.text
    kept = browser.write(f"{here}/take/plan", {"choice": named(colour, "Heather")[0]}).text
    assert "7 pieces in stock" in kept, "what holds something is archived, and why is said"
    dropping = {"axis": str(size.id), "keep": named(size, "3 mm")[0]}
    plan = browser.write(f"{here}/take/plan", dropping).text
    assert "3 variants stay." in plan
    assert f"Give up {size.name}" in plan
    moved = browser.write(f"{here}/take", dropping | {"signature": "1/2"})
    assert moved.status_code in (409, 422), "another dry run than the one that was seen"
    browser.write(f"{here}/take", dropping | {"signature": hidden(plan, "signature")})
    assert set(by_label(ctx, needles)) == {"Heather", "Oat", "Rust"}


def test_who_may_only_look_sees_the_grid_and_no_way_to_change_it(as_role, ctx, needles):
    looker = as_role(Role.VIEWER)
    seen = looker.get(f"/products/{needles}/variants", headers={"HX-Request": "true"}).text
    assert "NDL-OAT-3" in looker.get(f"/products/{needles}/variants/rows").text + seen
    assert "/take/plan" not in seen
    assert looker.get(f"/products/{needles}/variants/build").status_code == 403
    assert looker.write(f"/products/{needles}/variants/set", {"ids": "1", "value": "1"}).status_code == 403
