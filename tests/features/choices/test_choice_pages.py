"""The pages of choices, over HTTP."""

import pytest

from graupel.core.attributes import AttributeKind
from graupel.core.roles import SYSTEM, Role
from graupel.features.choices import reading, service, uses
from graupel.features.products import service as products
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary.attributes import Definition
from tests.forms import form_of
from tests.making import make_product
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser"]


@pytest.fixture
def wrap(ctx) -> int:
    entries = [{"label": "No", "state": "default"}, {"label": "Paper", "adds": "+2.50", "once": "yes"}]
    return service.save(ctx, SYSTEM, None, {"name": "Gift wrap", "kind": "one"}, entries)


def one(ctx, choice_id):
    return reading.read(ctx, SYSTEM, choice_id).choice


def test_a_choice_is_made_on_its_page_and_then_listed(ctx, browser):
    assert "nothing is asked of buyers yet" in browser.get("/choices").text
    form = form_of(browser.get("/choices/new").text, "/choices")
    made = browser.write("/choices", form | {"name": "Gift wrap", "entry_label": "Paper", "adds": "+2.50"})
    assert made.headers["HX-Redirect"].startswith("/choices/")
    listed = browser.get("/choices").text
    assert "Gift wrap" in listed
    assert "+2.50" in listed


def test_a_refused_choice_is_shown_again_as_it_was_typed_and_its_marks_stay(ctx, browser, wrap):
    path = f"/choices/{wrap}"
    form = form_of(browser.get(path).text, path)
    bad = form | {"adds": ["", "ten", ""], "help": "Typed", "kind": "several", "least": "1"}
    refused = browser.write(path, bad)
    assert refused.status_code == 422
    assert "“ten”" in refused.text
    again = form_of(refused.text, path)
    assert (again["help"], again["adds"], again["kind"]) == (["Typed"], ["", "ten"], ["several"])
    service.save(ctx, SYSTEM, wrap, {"name": "Gift wrap", "kind": "one", "help": "Theirs"}, [{"label": "Box"}])
    met = browser.write(path, again | {"adds": ["", "3", ""]})
    assert met.status_code == 409
    assert "Theirs" in met.text


def test_it_stands_beside_its_form_as_a_buyer_sees_it_and_works(ctx, browser, wrap):
    path = f"/choices/{wrap}"
    form = form_of(browser.get(path).text, path)
    tried = browser.write("/choices/try", form | {"c1": "2"}).text
    assert "and €2.50 once" in tried
    assert "€3.50" in browser.write("/choices/try", form | {"c1": "2", "adds": ["", "+3.50", ""]}).text
    day = form | {"kind": "day", "needed": "yes", "message": "Say when.", "c1": ""}
    assert "Say when." in browser.write("/choices/try", day).text
    assert one(ctx, wrap).kind == "one", "nothing was written"
    free = form | {
        "kind": "several",
        "adds": ["", "-100 %", "-1"],
        "entry_label": ["No", "Half", "Off"],
        "once": [""] * 3,
    }
    assert "it would cost nothing" in browser.write("/choices/try", free | {"c1": ["2"]}).text


def test_choices_are_asked_and_made_in_the_part_of_the_editor(ctx, browser, wrap):
    product = make_product(ctx, "FEL-1")
    path = f"/products/{product}/choices"
    form = form_of(browser.get(f"/products/{product}").text, path)
    part = browser.write(path, form | {"add": str(wrap)}).text
    assert "1 choice that buyers are asked" in part
    made = browser.write("/choices", {"name": "Initials", "kind": "line", "adds": "3", "product": str(product)})
    assert made.headers["HX-Redirect"] == f"/products/{product}#choices"
    assert browser.write("/choices", {"name": "initials", "kind": "text", "product": str(product)}).status_code == 422
    page = browser.get(f"/products/{product}").text
    assert "this product’s alone" in page
    form = form_of(page, path)
    browser.write(path, form | {"choices": form["choices"][::-1]})
    asked = ctx.db.run(lambda tx: reading.of_product(tx, product))
    assert [found.name for found in asked] == ["Initials", "Gift wrap"]
    assert products.read(ctx, SYSTEM, product).version > 1


def test_one_is_taken_away_or_made_reusable_from_its_page(ctx, browser, wrap):
    product = make_product(ctx, "FEL-1")
    own = service.save(ctx, SYSTEM, None, {"name": "Gift wrap", "kind": "line"}, [], product_id=product)
    taken = browser.write(f"/choices/{own}/reusable")
    assert taken.status_code == 422
    assert "Rename this one first" in taken.text
    uses.ask(ctx, SYSTEM, product, [own, wrap], "Yarn")
    assert browser.write(f"/choices/{wrap}/delete").headers["HX-Redirect"] == "/choices"
    assert browser.write(f"/choices/{own}/reusable").status_code == 200
    assert browser.write(f"/choices/{own}/delete").headers["HX-Redirect"] == "/choices"
    assert browser.get(f"/choices/{own}").status_code == 404


def test_viewers_see_them_and_can_change_nothing(ctx, as_role, wrap):
    viewer = as_role(Role.VIEWER)
    assert "Gift wrap" in viewer.get("/choices").text
    page = viewer.get(f"/choices/{wrap}").text
    assert "data-main" not in page.split('id="choice-form"')[1].split("</form>")[0]
    assert viewer.get("/choices/new").status_code == 403
    assert viewer.write(f"/choices/{wrap}/delete").status_code == 403


def test_where_a_choice_repeats_an_attribute_it_is_said_what_the_difference_is(ctx, browser):
    attributes.make(ctx, SYSTEM, Definition("Colour", AttributeKind.COLOUR, choices=["Oat", "Rust"]))
    form = form_of(browser.get("/choices/new").text, "/choices")
    typed = form | {"name": "Which one", "entry_label": "Oat"}
    assert "is an attribute too" not in browser.write("/choices/try", typed).text
    told = browser.write("/choices/try", typed | {"name": "Colour"}).text
    assert "“Colour” is an attribute too" in told
    assert "stock is counted for variants only" in told


def test_a_choice_may_have_500_entries_and_no_more(ctx, browser):
    rows = [{"label": f"Entry {number}", "adds": f"{number}.00"} for number in range(1, 501)]
    big = service.save(ctx, SYSTEM, None, {"name": "Big", "kind": "several"}, rows)
    path = f"/choices/{big}"
    form = form_of(browser.get(path).text, path)
    assert browser.write("/choices/try", form).status_code == 200
    assert browser.write(path, form | {"help": "One of many"}).status_code == 200
    assert (one(ctx, big).help, len(one(ctx, big).entries)) == ("One of many", 500)
    more = form | {"entry_label": [*form["entry_label"][:-1], "One too many"]}
    refused = browser.write(path, more)
    assert refused.status_code == 422
    assert "At most 500 entries are kept." in refused.text
