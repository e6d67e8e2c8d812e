"""Sales, promotions and delivery promises for programs: the same services, the same refusals."""

from datetime import timedelta
from decimal import Decimal

import pytest

from graupel.core.roles import SYSTEM, Role
from graupel.features.delivery import service as delivery
from graupel.features.products import asking
from tests.making import make_product, roll_back_newest
from tests.needles import by_label, colour, needles, size
from tests.programs import client, client_of

__all__ = ["client", "client_of", "colour", "needles", "size"]

D = Decimal


def at(ctx, days: float) -> str:
    return (ctx.db.run(ctx.now) + timedelta(days=days)).isoformat(timespec="seconds")


def asked(ctx, product_id) -> set[Decimal]:
    return {one.asked for one in asking.now_of(ctx, [product_id])[product_id].values()}


def test_a_sale_is_planned_changed_ended_and_taken_back(client, ctx, needles):
    yarn = make_product(ctx, "FEL-1", price=D("10.00"))
    promotion = client.post("/promotions", json={"code": "WINTER-26", "name": "Winter", "kind": "reduced"}).json()
    body = {
        "reach": "product", "products": [yarn], "reduction": {"takes_off": "percent", "amount": "20"},
        "begins": at(ctx, -1), "ends": at(ctx, 2), "promotion": "WINTER-26",
    }  # fmt: skip
    made = client.post("/sales", json=body)
    assert made.status_code == 201, made.text
    sale = made.json()
    assert (sale["products"], sale["promotion"], sale["count"], asked(ctx, yarn)) == ([yarn], "WINTER-26", 1, {D(8)})
    assert sale["begins"].startswith(body["begins"][:19])
    equal = client.post("/sales", json=body)
    assert (equal.status_code, "nothing says which counts" in equal.text) == (422, True)
    path, tag = made.headers["Location"].removeprefix("/api/v1"), made.headers["ETag"]
    assert client.patch(path, json={"title": "x"}).status_code == 428
    change = {"reduction": {"takes_off": "amount", "amount": "1.50"}, "title": "Autumn"}
    changed = client.patch(path, json=change, headers={"If-Match": tag})
    assert (changed.json()["title"], changed.json()["ends"], asked(ctx, yarn)) == ("Autumn", sale["ends"], {D("8.50")})
    assert client.patch(path, json=change, headers={"If-Match": tag}).status_code == 412
    assert client.delete(path).status_code == 422, "it has begun"
    assert client.delete(f"/promotions/{promotion['id']}").status_code == 422, "a sale belongs to it"
    assert client.post(f"{path}/end").is_success
    assert asked(ctx, yarn) == {D(10)}

    one = by_label(ctx, needles)["Oat, 3 mm"]
    variants = {"reach": "variant", "products": [needles], "variants": [one.id]}
    later = client.post("/sales", json={**body, **variants, "begins": at(ctx, 5), "ends": None})
    assert (later.json()["variants"], later.json()["ends"]) == ([one.id], None)
    pages = [client.get("/sales?limit=1").json()]
    pages.append(client.get(f"/sales?limit=1&cursor={pages[0]['next']}").json())
    assert [page["items"][0]["id"] for page in pages] == [sale["id"], later.json()["id"]]
    assert (pages[1]["next"], pages[0]["items"][0]["products"]) == (None, None)
    assert client.delete(later.headers["Location"].removeprefix("/api/v1")).status_code == 204


@pytest.mark.parametrize(
    ("wrong", "says"),
    [
        ({"products": []}, "products is needed"),
        ({"variants": [1]}, "no meaning"),
        ({"products": [1, 2], "reach": "variant", "variants": [3]}, "for one product"),
        ({"promotion": "NOT-THERE"}, "promotion"),
        ({"destination": "s99"}, "destination"),
        ({"ends": "2001-01-01T00:00:00Z"}, "ends before it begins"),
        ({"begins": "0001-01-01T00:00:00+14:00"}, "no moment"),
        ({"reduction": {"takes_off": "percent", "amount": "120"}}, "percentage below 100"),
        ({"reduction": {"takes_off": "price", "amount": "-1"}}, "greater than 0"),
    ],
)
def test_what_can_not_be_planned_is_refused_by_name(client, ctx, wrong, says):
    yarn = make_product(ctx, "FEL-1")
    body = {"reach": "product", "products": [yarn], "reduction": {"takes_off": "percent", "amount": "20"}}
    answer = client.post("/sales", json=body | wrong)
    assert (answer.status_code, says in answer.text) == (422, True), answer.text


def test_promotions_and_promises_are_written_whole_and_go_back(client, client_of, ctx):
    winter = {"code": "WINTER-26", "name": "Winter", "kind": "reduced", "begins": at(ctx, 1), "ends": at(ctx, 9)}
    made = client.post("/promotions", json=winter).json()
    client.put(f"/promotions/{made['id']}", json=winter | {"name": "Winter sale", "kind": "clearance"})
    (listed,) = client.get("/promotions").json()["items"]
    assert (listed["name"], listed["kind"], listed["ends"][:19]) == ("Winter sale", "clearance", winter["ends"][:19])
    assert client.put("/promotions/999", json=winter).status_code == 404
    assert client.delete(f"/promotions/{made['id']}").status_code == 204

    parcel = {
        "name": "Parcel", "for_all": True,
        "zones": [
            {"countries": ["AT", "DE"], "first_days": 1, "last_days": 2, "free_from": "50.00",
             "steps": [{"up_to": "1000", "cost": "3.90"}, {"up_to": None, "cost": "5.90"}]},
        ],
    }  # fmt: skip
    made = client.post("/delivery-promises", json=parcel)
    assert made.status_code == 201, made.text
    told = made.json()
    assert {name: told[name] for name in parcel} == {
        **parcel,
        "zones": [
            {**parcel["zones"][0], "steps": [{"up_to": "1000", "cost": "3.90"}, {"up_to": None, "cost": "5.90"}]}
        ],
    }
    assert client.put(f"/delivery-promises/{told['id']}", json={**parcel, "for_all": False}).is_success
    assert delivery.read(ctx, SYSTEM).of_shop is None
    roll_back_newest(ctx)
    assert delivery.read(ctx, SYSTEM).of_shop == told["id"]
    half = [{**parcel["zones"][0], "steps": [{"up_to": "0.5", "cost": "1"}]}]
    for wrong in ({"zones": half}, {"zones": parcel["zones"] * 2}, {"name": " "}, {"cost_by": "mood"}):
        assert client.post("/delivery-promises", json=parcel | {"name": "Other"} | wrong).status_code == 422
    assert client.post("/delivery-promises", json=parcel).status_code == 422, "there is one of that name"
    viewer = client_of(Role.VIEWER)
    assert viewer.get("/delivery-promises").json() == client.get("/delivery-promises").json()
    assert viewer.delete(f"/delivery-promises/{told['id']}").status_code == 403
    assert client.delete(f"/delivery-promises/{told['id']}").status_code == 204
    assert client.get("/delivery-promises").json() == {"items": []}
