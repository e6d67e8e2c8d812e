"""The interface for programs: the same services, errors that name the field, no lost updates."""

from decimal import Decimal

import pytest

from graupel.core.roles import SYSTEM, Role
from graupel.features.categories import service as categories
from graupel.features.products import many, service
from graupel.features.users import service as users
from tests.making import catalogue, make_product
from tests.needles import colour, needles, size
from tests.programs import client, client_of

__all__ = ["client", "client_of", "colour", "needles", "size"]


def test_a_product_is_made_read_changed_and_archived(client, ctx):
    category = categories.make(ctx, SYSTEM, "Yarn > Aran")
    made = client.post(
        "/products",
        json={
            "name": "Fellside aran",
            "sku": "FEL-1",
            "price": {"amount": "9.80", "currency": "EUR"},
            "weight_g": 100,
            "category_id": category.id,
            "status": "live",
            "description": "<p>Wool</p><script>x</script>",
        },
    )
    assert made.status_code == 201
    address = made.headers["location"].removeprefix("/api/v1")
    read = client.get(address)
    assert read.json() == made.json()
    assert read.json()["description"] == "<p>Wool</p>"
    assert read.json()["variants"][0]["price"] == {"amount": "9.80", "currency": "EUR"}
    changed = client.patch(
        address,
        json={"brand": "Carrow Mill", "price": None, "status": "draft"},
        headers={"If-Match": read.headers["etag"]},
    )
    assert changed.status_code == 200
    assert changed.json()["variants"][0]["price"] is None
    assert changed.json()["name"] == "Fellside aran"
    archived = client.post(f"{address}/archive", headers={"If-Match": changed.headers["etag"]})
    assert archived.json()["status"] == "archived"
    assert client.get("/categories").json()[1]["path"] == "Yarn > Aran"


def test_a_change_without_if_match_or_with_an_old_one_is_refused(client, ctx):
    product_id = make_product(ctx, "FEL-1")
    old = client.get(f"/products/{product_id}").headers["etag"]
    missing = client.patch(f"/products/{product_id}", json={"name": "x"})
    assert (missing.status_code, missing.headers["content-type"]) == (428, "application/problem+json")
    assert client.patch(f"/products/{product_id}", json={"name": "First"}, headers={"If-Match": old}).status_code == 200
    late = client.patch(f"/products/{product_id}", json={"name": "Second"}, headers={"If-Match": old})
    assert late.status_code == 412
    assert service.read(ctx, SYSTEM, product_id).values.name == "First"


def test_a_variant_is_read_and_changed_by_its_own_address(client, ctx):
    product = service.read(ctx, SYSTEM, make_product(ctx, "FEL-1"))
    read = client.get(f"/variants/{product.variants[0].id}")
    changed = client.patch(
        f"/variants/{product.variants[0].id}",
        json={"price": {"amount": "5.00", "currency": "EUR"}, "gtin": "9521234567899"},
        headers={"If-Match": read.headers["etag"]},
    )
    assert changed.json()["price"]["amount"] == "5.00"
    assert service.read(ctx, SYSTEM, product.id).values.price == Decimal("5.00")
    assert (
        client.post(
            f"/variants/{product.variants[0].id}/archive", headers={"If-Match": changed.headers["etag"]}
        ).status_code
        == 200
    )
    assert service.read(ctx, SYSTEM, product.id).values.status == "archived"


@pytest.mark.parametrize(
    ("body", "field"),
    [
        ({"name": "x", "code": "C 🧶"}, "code"),
        ({"name": "x", "sku": "FEL-🧶"}, "sku"),
        ({"name": "x", "sku": "TAKEN"}, "sku"),
        ({"name": "x", "sku": "x", "price": {"amount": "1", "currency": "EUR"}}, "price.amount"),
        ({"name": "x", "sku": "x", "price": {"amount": "1.00", "currency": "USD"}}, "price"),
        ({"name": "x", "sku": "x", "gtin": "9521234567890"}, "gtin"),
        ({"name": "x", "sku": "x", "weight_g": -1}, "weight_g"),
        ({"name": "x", "sku": "x", "category_id": 999}, "category_id"),
        ({"name": "x", "sku": "x", "status": "live"}, "price"),
        ({"name": "x", "sku": "x", "colour": "red"}, "colour"),
        ({"name": " ", "sku": "x"}, "name"),
    ],
)
def test_every_refusal_is_problem_json_that_names_the_field(client, ctx, body, field):
    make_product(ctx, "TAKEN")
    answer = client.post("/products", json=body)
    assert (answer.status_code, answer.headers["content-type"]) == (422, "application/problem+json")
    assert field in [error.get("field") for error in answer.json()["errors"]]
    assert set(catalogue(ctx)) == {"TAKEN"}


def test_the_list_is_searched_and_paged_by_cursor(client, ctx):
    ids = [make_product(ctx, f"FEL-{n}", name=f"Fellside {n}") for n in range(5)]
    make_product(ctx, "NDL-1", name="Needle")
    seen, cursor = [], None
    while True:
        page = client.get(
            "/products", params={"q": "fellside", "limit": 2, **({"cursor": cursor} if cursor else {})}
        ).json()
        seen += [item["id"] for item in page["items"]]
        cursor = page["next"]
        if cursor is None:
            break
    assert seen == ids
    assert len(client.get("/variants", params={"limit": 200}).json()["items"]) == 6
    assert [one["id"] for one in client.get("/products", params={"q": "ndl", "status": "draft"}).json()["items"]] == []


@pytest.mark.parametrize("named", [1, 3, 5000], ids=["walked", "walked in parts", "asked for by their products"])
def test_variants_are_searched_by_their_products_however_many_there_are(client, ctx, needles, monkeypatch, named):
    monkeypatch.setattr(many, "MOST_NAMED", named)
    for n in range(4):
        make_product(ctx, f"FEL-{n}", name=f"Fellside {n}" if n % 2 else "Plain")
    of_needles = {one.id for one in service.read(ctx, SYSTEM, needles).variants}
    for typed, number in (("ndl", 6), ("fellside", 8), ("fel-2", 1), ("zebra", 0)):
        seen, cursor = [], None
        while True:
            asked = {"q": typed, "limit": 4, **({"cursor": cursor} if cursor else {})}
            page = client.get("/variants", params=asked).json()
            seen += [item["id"] for item in page["items"]]
            cursor = page["next"]
            if cursor is None:
                break
        assert (len(seen), seen) == (number, sorted(set(seen))), typed
        assert set(seen) == of_needles or typed != "ndl"
    assert client.get("/products", params={"limit": 1000}).status_code == 422


def test_without_a_token_nothing_is_said_and_a_viewers_token_writes_nothing(client_of, ctx):
    product_id = make_product(ctx, "FEL-1")
    viewer = client_of(Role.VIEWER)
    etag = viewer.get(f"/products/{product_id}").headers["etag"]
    before = catalogue(ctx)
    for answer in (
        viewer.post("/products", json={"name": "x", "sku": "x"}),
        viewer.patch(f"/products/{product_id}", json={"name": "x"}, headers={"If-Match": etag}),
        viewer.post(f"/products/{product_id}/archive", headers={"If-Match": etag}),
    ):
        assert (answer.status_code, answer.json()["title"]) == (403, "Not allowed")
    assert catalogue(ctx) == before
    for header in ({"Authorization": ""}, {"Authorization": "Bearer grp_wrong"}, {"Authorization": "Basic x"}):
        answer = viewer.get("/products", headers=header)
        assert (answer.status_code, answer.headers["www-authenticate"]) == (401, "Bearer")
    users.revoke_token(
        ctx, users.actor_by_email(ctx, "owner@skeinwright.example"), users.list_tokens(ctx, SYSTEM)[0]["id"]
    )
    assert viewer.get("/products").status_code == 401


def test_the_id_elsewhere_of_a_variant_is_one_line_and_an_empty_one_is_none(client, ctx, needles):
    variant = service.read(ctx, SYSTEM, needles).variants[0].id

    def given(text):
        answer = client.patch(f"/variants/{variant}", json={"elsewhere": text}, headers={"If-Match": "*"})
        assert answer.status_code == 200
        return answer.json()["elsewhere"]

    assert [given(text) for text in (" 100\n482 ", "", "A-7", None)] == ["100 482", None, "A-7", None]
    long = client.patch(f"/variants/{variant}", json={"elsewhere": "x" * 65}, headers={"If-Match": "*"})
    assert long.status_code == 422
