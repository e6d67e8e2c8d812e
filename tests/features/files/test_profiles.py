"""Profiles: how a file is matched is kept, and the next one with its columns is read so by itself."""

import io
import re

import pytest

from graupel.core.errors import NotFound, Refused
from graupel.core.handling import Handling
from graupel.core.roles import SYSTEM, Role
from graupel.features.files import mending, profiles, service
from tests.making import catalogue, make_product, roll_back_newest, work_off
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser"]
TABLE = "Nr;Was;Netto\nNEW-{0};Wool {0};0,05\n"


@pytest.fixture
def kept(ctx, browser):
    """A profile that was kept from a file as somebody matched it in the browser."""
    address = browser.write("/files", files={"file": ("a.csv", TABLE.format(1).encode())}).headers["location"]
    chosen = {"column_0": "sku", "column_1": "name", "column_2": "weight_g", "unit_2": "kg", "new_as": "draft"}
    assert browser.write(f"{address}/plan", chosen).status_code == 200
    assert browser.write(f"{address}/keep", {"profile": ""}).status_code == 422
    assert browser.write(f"{address}/keep", {"profile": "Loom list"}).status_code == 303
    work_off(ctx)
    assert "Read as the profile <b>Loom list</b>" in browser.get(address).text
    return address


def take(ctx, text):
    return service.take(ctx, SYSTEM, "b.csv", io.BytesIO(text.encode()))


def seen(answer) -> str:
    """The mark of what a page shows of the columns."""
    return re.search(r'id="columns-seen" name="seen" value="(\w+)"', answer.text)[1]


def test_two_people_who_match_the_columns_of_one_file_are_told_of_each_other(ctx, as_role):
    ada, ben = as_role(Role.EDITOR), as_role(Role.OWNER)
    address = ada.write("/files", files={"file": ("a.csv", TABLE.format(1).encode())}).headers["location"]
    plan = f"{address}/plan"
    shown = seen(ada.get(address))
    adas = {"column_0": "sku", "column_1": "name", "column_2": "weight_g", "unit_2": "kg"}
    bens = {"column_0": "sku", "column_1": "name", "column_2": "price"}
    assert ada.write(plan, adas | {"seen": shown}).status_code == 200
    # A look overtakes another of the same person: that is no other's choice.
    assert ada.write(plan, adas | {"seen": shown}).status_code == 200
    work_off(ctx)
    refused = ben.write(plan, bens | {"seen": shown})
    assert refused.status_code == 422
    assert "Editor Person chose otherwise for this file since you looked at it: “Netto” goes to Weight." in refused.text
    assert service.read(ctx, SYSTEM, int(address.rpartition("/")[2])).rules[2].field == "weight_g"
    assert ben.write(plan, bens | {"seen": seen(refused)}).status_code == 200
    back = ada.write(plan, adas | {"way": "add", "seen": shown})
    assert "Owner Person chose otherwise for this file since you looked at it: “Netto” goes to Price." in back.text


def test_the_next_file_with_these_columns_is_read_so_and_planned_at_once(ctx, kept, browser):
    ctx.db.run(lambda tx: tx.run("DELETE FROM column_habit"))  # what is remembered of single headers is something else
    address = browser.write("/files", files={"file": ("b.csv", TABLE.format(2).encode())}).headers["location"]
    work_off(ctx)
    page = browser.get(address).text
    assert "Read as the profile <b>Loom list</b>" in page
    assert "in kg" in page
    browser.write(f"{address}/apply", {})
    work_off(ctx)
    assert catalogue(ctx)["NEW-2"][4] == 50
    assert "Loom list" in browser.get("/files").text


def test_a_file_without_its_columns_is_not_forced_into_it(ctx, kept, browser):
    file_id = take(ctx, "Nr;Other\nA;B\n")
    (profile,) = profiles.list_all(ctx, SYSTEM)
    with pytest.raises(Refused, match=r"no column “Was”, which the profile Loom list knows\. 1 more is missing"):
        service.use(ctx, SYSTEM, file_id, profile["id"])
    answer = browser.write(f"/files/{file_id}/use", {"profile_id": str(profile["id"])})
    assert (answer.status_code, "no column “Was”" in answer.text) == (422, True)
    with pytest.raises(NotFound, match="known: Loom list"):
        profiles.by_name(ctx, SYSTEM, "Other")


def test_a_profile_is_kept_anew_under_its_name_taken_back_and_removed(ctx, kept):
    file_id = int(kept.rpartition("/")[2])
    before = profiles.list_all(ctx, SYSTEM)
    rules = [rule for rule in service.read(ctx, SYSTEM, file_id).rules if rule.field != "weight_g"]
    service.request_plan(ctx, SYSTEM, file_id, rules, Handling(go_live=True))
    profiles.keep(ctx, SYSTEM, file_id, "loom LIST")
    (now,) = profiles.list_all(ctx, SYSTEM)
    assert (now["name"], now["go_live"], "weight_g" in now["rules"]) == ("loom LIST", 1, False)
    roll_back_newest(ctx)
    (back,) = profiles.list_all(ctx, SYSTEM)
    assert {**back, "version": 1} == {**before[0], "version": 1}
    profiles.remove(ctx, SYSTEM, now["id"])
    assert profiles.list_all(ctx, SYSTEM) == []
    assert service.read(ctx, SYSTEM, file_id).rules == rules


def test_a_viewer_keeps_and_uses_none(ctx, kept, as_role):
    viewer = as_role(Role.VIEWER)
    (profile,) = profiles.list_all(ctx, SYSTEM)
    assert viewer.write(f"{kept}/keep", {"profile": "Mine"}).status_code == 403
    assert viewer.write(f"{kept}/use", {"profile_id": str(profile["id"])}).status_code == 403
    assert viewer.write(f"/files/profiles/{profile['id']}/remove", {}).status_code == 403


def test_a_column_chosen_once_is_chosen_again_and_an_empty_cell_may_empty(ctx, browser):
    make_product(ctx, "FEL-1", brand="Carrow", short_text="Soft.")
    address = browser.write("/files", files={"file": ("a.csv", b"sku;Mill;brief\nFEL-1;;\n")}).headers["location"]
    chosen = {"column_0": "sku", "column_1": "brand", "empty_1": "clear", "column_2": "short_text"}
    browser.write(f"{address}/plan", chosen)
    work_off(ctx)
    assert "empty cells empty it" in browser.get(address).text
    browser.write(f"{address}/apply", {})
    work_off(ctx)
    held = ctx.db.run(
        lambda tx: tx.one(
            "SELECT p.brand_id, t.short_text FROM product p JOIN product_text t ON t.product_id = p.id LIMIT 1"
        )
    )
    assert held == {"brand_id": None, "short_text": "Soft."}, "one cell empties, the other leaves what is there"
    again = service.read(ctx, SYSTEM, take(ctx, "mill;sku;Color\nCarrow;FEL-1;x\n"))
    assert [(rule.field, rule.column, str(rule.empty)) for rule in again.rules] == [
        ("brand", 0, "clear"),
        ("sku", 1, "leave"),
    ]
    kept_name = browser.write(f"/files/{again.id}/plan", {"column_1": "sku", "column_2": "name", "empty_2": "clear"})
    assert "An empty cell can’t empty Name" in kept_name.text


def test_a_profile_learns_what_is_mended_and_is_named_no_longer_where_columns_were_changed(ctx, browser):
    make_product(ctx, "FEL-1", brand="Carrow Mill")
    file_id = take(ctx, "sku;brand;name\nNEW-1;Carow  Mill;x\n")
    service.request_plan(ctx, SYSTEM, file_id, service.read(ctx, SYSTEM, file_id).rules)
    profiles.keep(ctx, SYSTEM, file_id, "Mills")
    work_off(ctx)
    mending.mend(ctx, SYSTEM, file_id, "brand", "Carow Mill", "Carrow Mill")
    work_off(ctx)
    assert service.read(ctx, SYSTEM, file_id).row["makes"] == [], "read so, whatever blanks stand in the cell"
    again = service.read(ctx, SYSTEM, take(ctx, "sku;brand;name\nNEW-2;Carow Mill;y\n"))
    assert again.row["profile_id"] == profiles.by_name(ctx, SYSTEM, "Mills")["id"]
    assert again.rules[1].replaced == (("Carow Mill", "Carrow Mill"),)
    assert "Read as the profile" in browser.get(f"/files/{again.id}").text
    browser.write(f"/files/{again.id}/plan", {"column_0": "sku", "column_2": "name"})
    assert "Read as the profile" not in browser.get(f"/files/{again.id}").text


def test_what_is_being_brought_in_is_not_changed_by_who_still_looks_at_its_columns(ctx, browser):
    file_id = take(ctx, "sku;name\nNEW-1;Wool\n")
    rules = service.read(ctx, SYSTEM, file_id).rules
    service.request_plan(ctx, SYSTEM, file_id, rules)
    work_off(ctx)
    service.request_apply(ctx, SYSTEM, file_id, leave_out=False)
    answer = browser.write(f"/files/{file_id}/plan", {"column_0": "sku", "column_1": "short_text"})
    assert (answer.status_code, "being brought in just now" in answer.text) == (422, True)
    work_off(ctx)
    assert set(catalogue(ctx)) == {"NEW-1"}
    ctx.db.run(lambda tx: tx.run("DELETE FROM job"))
    assert "Brought in." in browser.get(f"/files/{file_id}").text, "what its jobs were is forgotten some day"
