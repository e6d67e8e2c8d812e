"""What no page of ours sends: answered with a sentence, never with a fault."""

import base64

import pytest

from graupel.features.vocabulary import service as vocabulary
from tests.making import make_product
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser"]

DEEP = "[" * 100_000
ENDLESS = "9" * 4_400


@pytest.mark.parametrize(
    ("form", "status"),
    [
        ({"version": ENDLESS}, 422),
        ({"picture": ENDLESS}, 422),
        ({"version": "0", "seen": DEEP}, 422),
        ({"version": "1", "has": "categories", "categories": "x"}, 422),
        ({"version": "1", "category_id": "x"}, 422),
        ({"version": "1", "type_id": "-4"}, 422),
        ({"version": "1", "has": "fact-x", "fact-x": "y"}, 422),
    ],
)
def test_an_odd_form_of_a_product_is_refused_or_read_as_far_as_it_goes(browser, ctx, form, status):
    product_id = make_product(ctx, "FEL-1")
    assert browser.write(f"/products/{product_id}", {"name": "Yarn", **form}).status_code == status


@pytest.mark.parametrize(
    ("name", "raw"),
    [
        ("name", DEEP),
        ("name", "[1, {}]"),
        ("price", '{"a": 1}'),
        ("tags", "5"),
        ("categories", "[5]"),
        ("pictures", "5"),
        ("pictures", '[{"a": 1}]'),
    ],
)
def test_a_chosen_value_of_somebody_else_that_our_page_did_not_write_is_refused(browser, ctx, name, raw):
    product_id = make_product(ctx, "FEL-1")
    form = {"version": 1, "name": "Yarn", f"theirs_{name}": raw, f"choose_{name}": "theirs"}
    page = browser.write(f"/products/{product_id}", form)
    assert page.status_code == 422
    assert "can’t be read: it is not what our page sends" in page.text


def test_odd_places_marks_and_cells_are_no_fault(browser, ctx):
    for place in (b"[" * 3_000, b'["a", 1e999, 0]', b"{}"):
        assert browser.get("/products", params={"at": base64.urlsafe_b64encode(place).decode()}).status_code == 200
    assert browser.get("/media", params={"tag": ENDLESS}).status_code == 422
    assert browser.write("/products/cells", {"cells": DEEP}).status_code == 422
    brand = vocabulary.make(ctx, browser.actor, "brand", "Carrow Mill").id
    for marks in (DEEP, "[1]", '{"name": 5}'):
        assert browser.write(f"/vocabulary/brands/{brand}", {"name": "Carrow", "marks": marks}).status_code < 500
