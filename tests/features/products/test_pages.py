"""The editor and the table over HTTP."""

import re
from decimal import Decimal
from html import unescape

from graupel.core.attributes import Fact
from graupel.core.product_types import Need
from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.features.products import many, saving, service
from graupel.features.variants import setting
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary import types
from graupel.features.vocabulary.types import Member
from tests.making import counted, jpeg, make_product, work_off
from tests.needles import colour, needles, size
from tests.serving import app, as_role, browser, stranger

__all__ = ["app", "as_role", "browser", "colour", "needles", "size", "stranger"]


def form_of(text: str) -> dict[str, str]:
    """The fields of the product form as the page sends them."""
    found = {}
    for control in re.findall(r"<input[^>]*>", text):
        told = dict(re.findall(r'(\w[\w-]*)="([^"]*)"', control))
        kept = told.get("name", "").startswith(("version", "seen", "status", "theirs"))
        if told.get("form") == "product-form" or kept:
            found[told.get("name", "")] = told.get("value", "")
    found |= dict(re.findall(r'<textarea[^>]*name="(\w+)"[^>]*>(.*?)</textarea>', text, re.S))
    for name, options in re.findall(
        r'<select form="product-form" id="in-\w+" name="(\w+)".*?>(.*?)</select>', text, re.S
    ):
        chosen = re.search(r'<option(?: value="(\d+)")? selected>([^<]*)', options)
        found[name] = (chosen[1] or chosen[2]) if chosen else ""
    found = {name: unescape(value) for name, value in found.items() if not name.startswith(("choose_", "has"))}
    return found


def test_a_refused_save_keeps_everything_that_was_typed_and_names_each_field(browser, ctx):
    make_product(ctx, "TAKEN", name="The owner")
    answer = browser.write(
        "/products",
        {
            "name": "New <yarn>",
            "sku": "TAKEN",
            "price": "12,x",
            "weight_g": "2 stone",
            "gtin": "123",
            "description": "<p>Typed</p>",
            "then": "draft",
        },
    )
    assert answer.status_code == 422
    assert "<html" not in answer.text
    typed = form_of(answer.text)
    assert (typed["name"], typed["sku"], typed["price"], typed["weight_g"], typed["gtin"]) == (
        "New <yarn>",
        "TAKEN",
        "12,x",
        "2 stone",
        "123",
    )
    assert typed["description"] == "<p>Typed</p>"
    for field in ("price", "weight_g", "gtin"):
        assert f'id="wrong-{field}-1"' in answer.text
    mended = browser.write("/products", {"name": "New", "sku": "TAKEN", "price": "12,5"})
    assert "belongs to “The owner” already" in mended.text


def test_a_new_product_with_a_picture_leads_to_its_editor(browser, ctx):
    taken = browser.write("/media", files={"file": ("my skein.jpg", jpeg(700))}).json()
    row = browser.get(f"/products/picture-row/new?media={taken['id']}&alt=Skein").text
    media_id = re.search(r'name="picture" value="(\d+)"', row)[1]
    assert 'value="Skein"' in row
    category = browser.write("/categories", {"path": "Yarn > Aran"}).json()
    answer = browser.write(
        "/products",
        {
            "name": "New",
            "sku": "N-1",
            "price": "12,50",
            "weight_g": "1.2 kg",
            "category_id": category["value"],
            "picture": media_id,
            "alt": "A skein",
            "then": "live",
        },
    )
    assert answer.status_code == 204
    product = many.list_after(ctx, SYSTEM, after=0, limit=1)[0]
    assert answer.headers["hx-redirect"] == f"/products/{product.id}?made=1"
    values = service.read(ctx, SYSTEM, product.id).values
    assert (values.price, values.weight_g, values.status, values.pictures[0].alt) == (
        Decimal("12.50"),
        1200,
        Status.LIVE,
        "A skein",
    )
    work_off(ctx)
    small = browser.get(taken["face"])
    assert small.headers["content-type"] == "image/webp"
    assert "immutable" in small.headers["cache-control"]


def test_two_people_see_both_values_and_the_choice_counts(browser, ctx):
    product_id = make_product(ctx, "FEL-1", name="Before", price=Decimal("1.00"))
    mine = form_of(browser.get(f"/products/{product_id}").text)
    saving.save(
        ctx,
        SYSTEM,
        product_id,
        service.read(ctx, SYSTEM, product_id).values.__class__(
            **{**vars(service.read(ctx, SYSTEM, product_id).values), "price": Decimal("3.00"), "brand": "Carrow Mill"}
        ),
        None,
    )
    answer = browser.write(f"/products/{product_id}", {**mine, "price": "2.00", "name": "Mine"})
    assert answer.status_code == 409
    assert "Graupel saved this product while you were working on it" in answer.text
    assert "Taken over from there: Brand" in answer.text
    shown = form_of(answer.text)
    assert (shown["name"], shown["price"], shown["brand"]) == ("Mine", "2.00", "Carrow Mill")
    for _ in range(3):  # however often it is saved without a choice, it is asked again and nothing is overwritten
        unchosen = browser.write(f"/products/{product_id}", shown)
        assert unchosen.status_code == 409
        assert "Choose which value stays" in unchosen.text
        shown = form_of(unchosen.text)
    refused = browser.write(f"/products/{product_id}", {**shown, "choose_price": "mine", "weight_g": "heavy"})
    assert refused.status_code == 422
    assert 'value="mine" checked' in refused.text, "the choice is still there"
    done = browser.write(f"/products/{product_id}", {**form_of(refused.text), "choose_price": "theirs", "weight_g": ""})
    assert done.status_code == 200
    values = service.read(ctx, SYSTEM, product_id).values
    assert (values.name, values.price, values.brand) == ("Mine", Decimal("3.00"), "Carrow Mill")


def test_the_mirror_shows_what_is_typed_and_writes_nothing(browser, ctx):
    answer = browser.write("/products/mirror/new", {"name": "Typed just now", "price": "12,5"})
    assert "Typed just now" in answer.text
    assert "€12.50" in answer.text
    assert "A category is needed" in answer.text
    assert many.list_after(ctx, SYSTEM, after=0, limit=1) == []


def test_the_mirror_doubts_prices_stock_and_gtins_and_takes_them_all_the_same(browser, ctx, needles):
    other = make_product(ctx, "G-1", name="Bone needle", gtin="9521234567806")
    typed = {"name": "Wool", "price": "0", "list_price": "0", "stock": "-2", "gtin": "9521234567806"}
    mirror = unescape(browser.write("/products/mirror/new", typed).text)
    for said in (
        "A price of 0.00 gives it away",
        "The list price is not above the price",
        "The stock is below 0",
        "9521234567806 is the GTIN of Bone needle too",
    ):
        assert said in mirror
    ids = [one.id for one in service.read(ctx, SYSTEM, needles).for_sale[:2]]
    setting.set_values(ctx, SYSTEM, needles, ids, "stock", counted(-1))
    page = unescape(browser.get(f"/products/{needles}").text)
    assert "2 variants: The stock is below 0" in page
    assert "gives it away" not in unescape(browser.get(f"/products/{other}").text)


def test_the_table_gives_htmx_the_results_and_a_person_the_page(browser, ctx):
    make_product(ctx, "FEL-1")
    fragment = browser.get("/products?q=fel", headers={"HX-Request": "true"})
    assert fragment.text.lstrip().startswith('<div id="results"')
    assert "<html" in browser.get("/products?q=fel").text


def test_a_session_that_ended_while_typing_leaves_the_page_as_it_is(stranger):
    answer = stranger.post("/products", data={"name": "Typed"}, headers={"HX-Request": "true"})
    assert answer.status_code == 401
    assert "what you typed is still on this page" in answer.text


def test_what_is_needed_under_a_condition_is_marked_while_it_holds(browser, ctx, colour, size):
    heather = colour.choices[0].id
    kind = vocabulary.make(ctx, SYSTEM, "type", "Needle").id
    members = [Member(colour.id), Member(size.id, need=Need.WHEN, when_choice_id=heather)]
    types.save(ctx, SYSTEM, kind, "Needle", "", members)

    def mark_of(facts):
        made = make_product(ctx, f"W-{len(facts)}", type_id=kind, facts=facts, status=Status.DRAFT)
        page = browser.get(f"/products/{made}").text
        return page.split(f'data-when="{colour.id} {heather}" ')[1].split(">(to go live)")[0]

    assert mark_of({}) == "hidden"
    assert mark_of({colour.id: Fact((heather,))}) == ""
