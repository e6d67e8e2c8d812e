"""Files for programs: brought in with their dry run, applied, prepared; and taken out."""

from graupel.core.roles import SYSTEM, Role
from graupel.features.files import profiles
from graupel.features.prepared import service as prepared
from tests.making import catalogue, make_product, plan_file, work_off
from tests.programs import client, client_of

__all__ = ["client", "client_of"]

FILE = "sku,name,price\nA-1,One,5\nA-2,Two,x\n"


def bring(client, text=FILE, **asked):
    headers = {"Content-Type": "application/octet-stream"}
    return client.post("/files", params={"name": "goods.csv", **asked}, content=text.encode(), headers=headers)


def test_a_file_is_planned_looked_at_and_applied(ctx, client):
    answer = bring(client)
    assert (answer.status_code, answer.json()["state"]) == (201, "running")
    work_off(ctx)
    place = f"/files/{answer.json()['id']}"
    found = client.get(place).json()
    assert (found["state"], found["counts"]["new"], found["counts"]["refused"]) == ("planned", 1, 1)
    assert found["columns"][2] == {"header": "price", "field": "price"}
    assert found["reasons"][0]["code"] == "price.not_a_number"
    assert "A-2" in client.get(f"{place}/refused").text
    refused = client.post(f"{place}/apply", json={})
    assert (refused.status_code, refused.headers["content-type"]) == (422, "application/problem+json")
    assert client.post(f"{place}/apply", json={"leave_out": True}).status_code == 202
    work_off(ctx)
    found = client.get(place).json()
    assert found["state"] == "applied"
    assert found["change_set"]
    assert set(catalogue(ctx)) == {"A-1"}


def test_a_profile_says_how_it_is_read_and_an_unknown_one_is_named(ctx, client, client_of):
    unknown = bring(client, "Art,Text,EUR\nB-1,Bee,7\n").json()
    assert (unknown["state"], unknown["trouble"][:30]) == ("matching", "Say which column holds the SKU")
    answer = bring(client, profile="Nobody")
    assert answer.status_code in (404, 422)
    planned = plan_file(ctx, FILE)
    profiles.keep(ctx, SYSTEM, planned.id, "Mill")
    assert bring(client, FILE.replace("A-", "C-"), profile="Mill").status_code == 201
    assert bring(client, "nothing like it\n1\n", profile="Mill").status_code == 422
    assert bring(client_of(Role.VIEWER)).status_code == 403
    assert client.get("/files/4711").status_code == 404


def test_a_write_of_a_program_is_prepared_where_it_asks_for_that(ctx, client):
    place = f"/files/{bring(client, 'sku,name,price' + chr(10) + 'A-1,One,5' + chr(10)).json()['id']}"
    work_off(ctx)
    answer = client.post(f"{place}/apply", params={"prepare": "1"}, json={})
    assert answer.status_code == 202
    number = int(answer.headers["location"].rpartition("/")[2])
    work_off(ctx)
    assert catalogue(ctx) == {}
    one = prepared.read(ctx, SYSTEM, number).one
    assert (one["state"], one["kind"]) == ("waiting", "file")
    prepared.agree(ctx, SYSTEM, number, one["version"], None)
    work_off(ctx)
    assert set(catalogue(ctx)) == {"A-1"}
    made = client.post("/products", params={"prepare": "1"}, json={"name": "Two", "sku": "A-2"})
    assert made.status_code == 202
    assert set(catalogue(ctx)) == {"A-1"}, "what was not done is not said to be"


def test_the_catalogue_is_taken_out(ctx, client):
    make_product(ctx, "FEL-1", name="Fellside")
    answer = client.post("/exports", json={"format": "csv", "columns": ["sku", "name"]})
    assert (answer.status_code, answer.json()["ready"]) == (202, False)
    place = f"/exports/{answer.json()['id']}"
    assert client.get(f"{place}/content").status_code == 404
    work_off(ctx)
    assert client.get(place).json()["ready"]
    content = client.get(f"{place}/content")
    assert content.headers["content-type"].startswith("text/csv")
    assert "FEL-1,Fellside" in content.text
    assert client.post("/exports", json={"format": "csv", "columns": ["nothing"]}).status_code == 422
    assert client.post("/exports", json={"format": "doc"}).status_code == 422
