"""Words through their pages: asked about before there are two of them, made in place, kept in a type, joined."""

import re

import pytest

from graupel.core import units
from graupel.core.attributes import AttributeKind, Fact
from graupel.core.product_types import Need
from graupel.core.roles import SYSTEM, Role
from graupel.features.products import service as products
from graupel.features.vocabulary import attributes, service, types
from graupel.features.vocabulary.attributes import Definition
from tests.making import add_german, make_product, roll_back_newest
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser"]


def names(ctx, kind):
    return [one.name for one in service.list_named(ctx, SYSTEM, kind)]


def attribute(ctx, name="Colour", *labels):
    made = attributes.make(ctx, SYSTEM, Definition(name, AttributeKind.ONE_CHOICE, choices=labels))
    return attributes.read(ctx, SYSTEM, made.id).attribute


@pytest.mark.parametrize(("which", "kind"), [("brands", "brand"), ("tags", "tag"), ("types", "type")])
def test_a_name_much_like_another_is_asked_about_and_made_only_by_who_is_sure(browser, ctx, which, kind):
    assert browser.write(f"/vocabulary/{which}", {"name": "Carrow Mill"}).status_code in (200, 204)
    asked = browser.write(f"/vocabulary/{which}", {"name": "Carrow Mil"})
    assert "is much like" in asked.text
    assert 'value="Carrow Mil"' in asked.text, "what was typed is still there"
    assert names(ctx, kind) == ["Carrow Mill"]
    browser.write(f"/vocabulary/{which}", {"name": "Carrow Mil", "sure": "1"})
    assert names(ctx, kind) == ["Carrow Mil", "Carrow Mill"]
    # The exact name is no question: it is there already, once.
    browser.write(f"/vocabulary/{which}", {"name": "Carrow Mill"})
    assert names(ctx, kind) == ["Carrow Mil", "Carrow Mill"]
    empty = browser.write(f"/vocabulary/{which}", {"name": "  "})
    assert empty.status_code == 422
    assert 'id="field-name"' in empty.text


def test_the_same_is_asked_where_a_word_is_made_in_place(browser, ctx):
    made = browser.write("/vocabulary/brands/in-place", {"name": "Carrow Mill"}).json()
    assert made == {"value": "Carrow Mill", "text": "Carrow Mill"}
    near = browser.write("/vocabulary/brands/in-place", {"name": "CARROW  MIL"}).json()
    assert [one["text"] for one in near["near"]] == ["Carrow Mill"]
    kind = browser.write("/vocabulary/types/in-place", {"name": "Yarn"}).json()
    assert types.read(ctx, SYSTEM, int(kind["value"])).type.name == "Yarn"
    refused = browser.write("/vocabulary/tags/in-place", {"name": "x" * 300})
    assert refused.status_code == 422
    assert "characters" in refused.json()["problem"]
    assert browser.write("/vocabulary/nothing/in-place", {"name": "x"}).status_code == 404
    colour = attribute(ctx, "Colour", "Heather", "Oat")
    address = f"/vocabulary/attributes/{colour.id}/in-place"
    assert browser.write(address, {"name": "Rust"}).json()["text"] == "Rust"
    assert browser.write(address, {"name": "Heathers"}).json()["near"][0]["text"] == "Heather"
    known = browser.write(address, {"name": "oat"}).json()
    assert known == {"value": str(colour.choices[1].id), "text": "Oat"}
    assert browser.write(address, {"name": "Heathers", "sure": "1"}).json()["text"] == "Heathers"
    labels = [c.label for c in attributes.read(ctx, SYSTEM, colour.id).attribute.choices]
    assert labels == ["Heather", "Oat", "Rust", "Heathers"]


def test_an_attribute_is_made_renamed_given_choices_in_another_order_and_refused_with_a_reason(browser, ctx):
    made = browser.write("/vocabulary/attributes", {"name": "Fibre", "kind": "one_choice", "choices": "Wool, Silk"})
    here = made.headers["hx-redirect"]
    attribute_id = int(here.rpartition("/")[2])
    added = browser.write(f"{here}/choices", {"choices": "Linen\nwool"}).text
    assert "Linen" in added
    wool, silk, linen = attributes.read(ctx, SYSTEM, attribute_id).attribute.choices
    form = {
        "name": "Fibres",
        "help": "As on the band.",
        "choice": [linen.id, wool.id, silk.id],
        "label": ["Linen", "Wool", "Mulberry silk"],
        "code": ["LIN", "WOO", "SIL"],
        "swatch": ["", "", ""],
        "picture": ["", "", ""],
    }
    assert "Saved." in browser.write(here, form).text
    found = attributes.read(ctx, SYSTEM, attribute_id).attribute
    assert (found.name, found.help) == ("Fibres", "As on the band.")
    assert [(c.id, c.label) for c in found.choices] == [
        (linen.id, "Linen"), (wool.id, "Wool"), (silk.id, "Mulberry silk"),
    ]  # fmt: skip
    for wrong, says in (({"name": ""}, "name"), ({"label": ["Wool", "Wool", "Silk"]}, "Wool")):
        refused = browser.write(here, form | wrong)
        assert refused.status_code == 422
        assert says in refused.text
    assert attributes.read(ctx, SYSTEM, attribute_id).attribute == found
    double = browser.write("/vocabulary/attributes", {"name": "Fibres", "kind": "one_choice"})
    assert double.status_code in (409, 422)
    assert "/vocabulary/attributes" in browser.get("/vocabulary", follow_redirects=False).headers["location"]


def test_a_type_keeps_order_groups_and_needs_of_its_attributes(browser, ctx):
    names = ("Fibre", "Length", "Pattern", "Care")
    fibre, length, pattern, care = (attribute(ctx, name, "One", "Two") for name in names)
    kind = service.make(ctx, SYSTEM, "type", "Yarn").id
    here, one = f"/vocabulary/types/{kind}", fibre.choices[0].id
    form = {
        "name": "Yarns",
        "code_prefix": "YRN",
        "attribute": [length.id, fibre.id],
        f"group-{length.id}": "Sizes",
        f"need-{length.id}": f"when:{one}",
        f"group-{fibre.id}": "Material",
        f"need-{fibre.id}": "always",
        f"differ-{fibre.id}": "on",
        "add": [pattern.id, care.id],
    }
    assert "Saved." in browser.write(here, form).text
    found = types.read(ctx, SYSTEM, kind).type
    assert (found.name, [m.attribute.name for m in found.attributes]) == (
        "Yarns",
        ["Length", "Fibre", "Pattern", "Care"],
    )
    first, second, third, _ = found.attributes
    assert (first.group, first.need, first.when) == ("Sizes", Need.WHEN, (fibre.id, one))
    assert (second.group, second.need, second.may_differ) == ("Material", Need.ALWAYS, True)
    assert third.group == "Material", "a new one stands in the group of the last"
    page = browser.get(here).text
    offered = page.split(f'name="need-{fibre.id}"')[1].split("</select>")[0]
    assert ("when Length is One" in offered, "when Fibre is One" in offered) == (True, False)
    itself = browser.write(here, form | {f"need-{fibre.id}": f"when:{one}", "add": []})
    assert (itself.status_code, "a value of another one" in itself.text) == (422, True)


def test_joining_shows_first_where_a_word_is_used_and_then_changes_it_there(browser, ctx):
    product_id = make_product(ctx, "FEL-1", brand="Carrow Mil")
    keep = service.make(ctx, SYSTEM, "brand", "Carrow Mill").id
    gone = next(one.id for one in service.list_named(ctx, SYSTEM, "brand") if one.name == "Carrow Mil")
    assert "Carrow Mil<" in browser.get("/vocabulary/doubles").text
    here = f"/vocabulary/join/brand/{gone}"
    alone = browser.get(here).text
    assert "1 product will have none" in alone
    plan = browser.get(f"{here}?into={keep}").text
    assert "1 product changes from <b>Carrow Mil</b> to <b>Carrow Mill</b>" in plan
    assert products.read(ctx, SYSTEM, product_id).values.brand == "Carrow Mil"
    done = browser.write(here, {"into": keep})
    assert done.headers["hx-redirect"] == "/vocabulary/brands"
    assert products.read(ctx, SYSTEM, product_id).values.brand == "Carrow Mill"
    assert names(ctx, "brand") == ["Carrow Mill"]
    assert browser.get(here).status_code == 404
    assert browser.get("/vocabulary/join/nothing/1").status_code == 404
    assert browser.write("/vocabulary/join/nothing/1", {}).status_code == 404


def test_an_attribute_of_one_product_becomes_everybodys(browser, ctx):
    product_id = make_product(ctx, "FEL-1")
    own = attributes.make(
        ctx, SYSTEM, Definition("Put-up", AttributeKind.ONE_CHOICE, choices=["50 g"], product_id=product_id)
    ).id
    assert "Put-up" in browser.get("/vocabulary/attributes").text
    assert "Put-up" in browser.get(f"/vocabulary/attributes/{own}/share").text
    shared = browser.write(f"/vocabulary/attributes/{own}/share").headers["hx-redirect"]
    assert attributes.read(ctx, SYSTEM, int(shared.rpartition("/")[2])).attribute.product_id is None


def test_who_may_only_look_finds_no_form_and_is_refused(as_role, ctx):
    looker = as_role(Role.VIEWER)
    colour, kind = attribute(ctx, "Colour", "Oat"), service.make(ctx, SYSTEM, "type", "Yarn").id
    brand = service.make(ctx, SYSTEM, "brand", "Carrow").id
    for address in (f"attributes/{colour.id}", f"types/{kind}", f"brands/{brand}", "brands", "attributes"):
        page = looker.get(f"/vocabulary/{address}", headers={"HX-Request": "true"}).text
        assert all("readonly" in one for one in re.findall(r'<input[^>]* name="name"[^>]*>', page))
        assert 'class="btn main"' not in page
        assert looker.write(f"/vocabulary/{address}", {"name": "Other", "kind": "date"}).status_code == 403
    assert looker.write(f"/vocabulary/join/brand/{brand}", {}).status_code == 403
    assert looker.write("/vocabulary/brands/in-place", {"name": "New"}).status_code == 403
    assert names(ctx, "brand") == ["Carrow"]


def test_a_unit_that_is_fixed_is_read_by_everybody_and_others_in_their_region_s(browser, ctx):
    add_german(ctx)
    made = attributes.make(ctx, SYSTEM, Definition("Wash at", AttributeKind.NUMBER, unit="temperature:°F")).id
    heat = Fact(quantity=units.parse("86 °F", units.FAMILIES["temperature"], "°F"))
    sold = make_product(ctx, "W-1", facts={made: heat})
    german = f"/shop/de/p/{sold}"
    assert "30\u00a0°C" in browser.get(german).text.replace("30 °C", "30\u00a0°C")
    here, form = f"/vocabulary/attributes/{made}", {"name": "Wash at", "unit": "temperature:°F"}
    assert "Saved." in browser.write(here, form | {"unit_fixed": "yes"}).text
    assert "86\u00a0°F" in browser.get(german).text.replace("86 °F", "86\u00a0°F")
    roll_back_newest(ctx)
    assert not service.read(ctx).attributes[made].unit_fixed
