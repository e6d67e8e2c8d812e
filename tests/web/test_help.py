"""Help stands where one is, and the guide is made of the same texts."""

from pathlib import Path

import graupel
from graupel.web import help, navigation
from tests.making import make_product
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser"]


def test_every_page_that_one_goes_to_has_help_of_five_sentences():
    places = [place for section in navigation.ALL for place in section.places if place.address != "/shop"]
    for place in places:
        found = help.of(place.address)
        assert found, place.label
        assert len(found.sentences) == 5


def test_a_page_below_has_the_help_that_is_nearest(browser, ctx):
    made = make_product(ctx, "P-1")
    assert [help.of(path).title for path in ("/products", f"/products/{made}", "/vocabulary/tags/3")] == [
        "Products",
        "A product",
        "Vocabulary",
    ]
    assert help.of("/nowhere") is None
    assert "One page for all that is said of a product" in browser.get(f"/products/{made}").text
    assert "The table of everything you sell" in browser.get("/products").text


def test_the_guide_is_made_of_the_same_texts():
    """Made anew by: python -c "from graupel.web import help; print(help.guide(), end='')" > docs/guide.md"""
    assert (Path(graupel.__file__).parents[1] / "docs/guide.md").read_text() == help.guide()
