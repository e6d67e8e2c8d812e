"""Files that go by themselves: written at set times for a person, each in the place of the one before."""

import html
import re
from datetime import timedelta

import pytest

from graupel.core import outlets as rules
from graupel.core.errors import Refused
from graupel.core.roles import SYSTEM, Role
from graupel.features.files import exporting, outlets
from graupel.features.history import rolling_back
from graupel.features.history import service as history
from graupel.features.users import service as users
from graupel.tables.writing import Out
from tests.making import make_product, work_off
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser"]
WHEN = {"name": "Stock for the till", "every": "day", "at": "06:30"}


@pytest.fixture
def ada(ctx):
    users.add_user(ctx, SYSTEM, "ada@example.com", "Ada", Role.EDITOR, "moss and heather of ada")
    return users.actor_by_email(ctx, "ada@example.com")


def one(ctx):
    (found,) = outlets.list_all(ctx, SYSTEM)
    return found


def written(ctx):
    return (ctx.folder(outlets.OUTGOING) / "Stock for the till.csv").read_text()


def test_it_is_written_at_its_time_in_the_place_of_the_one_before(ctx, ada):
    make_product(ctx, "A-1", stock=3)
    make_product(ctx, "B-1", name="Other", stock=4)
    outlets.save(ctx, ada, None, WHEN, Out.CSV, ["sku", "stock"], "q=fellside")
    assert outlets.next_of(ctx, one(ctx)) > ctx.db.run(ctx.now)
    work_off(ctx)
    assert not one(ctx)["said"], "its time has not come"
    ctx.db.run(lambda tx: tx.run("UPDATE file_outlet SET reached = reached - INTERVAL 2 DAY"))
    moment = ctx.db.run(ctx.now)
    ctx.db.run(lambda tx: outlets.due(ctx, tx, moment))
    work_off(ctx)
    assert written(ctx) == "sku,stock\nA-1,3\n"
    assert (one(ctx)["said"], one(ctx)["is_wrong"]) == ("1 row written.", 0)
    (export, *_) = exporting.newest(ctx, SYSTEM)
    assert (export.row["name"], export.row["actor"], export.is_there) == ("Stock for the till", "Ada", True)
    make_product(ctx, "A-2", stock=9)
    outlets.write_now(ctx, ada, one(ctx)["id"])
    work_off(ctx)
    assert "A-2,9" in written(ctx)
    assert [path.name for path in ctx.folder(outlets.OUTGOING).iterdir()] == ["Stock for the till.csv"]


def test_where_the_person_is_gone_it_says_so_and_the_file_before_stands(ctx, ada):
    make_product(ctx, "A-1", stock=3)
    outlets.save(ctx, ada, None, WHEN, Out.CSV, ["sku", "stock"], None)
    outlets.write_now(ctx, ada, one(ctx)["id"])
    work_off(ctx)
    ctx.db.run(lambda tx: tx.run("UPDATE user SET email = 'gone@example.com' WHERE id = %s", [ada.user_id]))
    ctx.db.run(lambda tx: outlets.due(ctx, tx, ctx.now(tx) + timedelta(days=2)))
    work_off(ctx)
    assert one(ctx)["is_wrong"]
    assert "A-1,3" in written(ctx)


def test_what_cannot_be_a_name_or_a_time_is_said_and_a_name_is_given_once(ctx, ada, as_role):
    with pytest.raises(Refused) as refused:
        rules.read({"name": "../etc", "every": "day", "at": "25:00"})
    assert {problem.field for problem in refused.value.problems} == {"name", "at"}
    outlets.save(ctx, ada, None, WHEN, Out.CSV, ["sku", "stock"], None)
    with pytest.raises(Refused, match="is called so"):
        outlets.save(ctx, ada, None, WHEN | {"name": "stock for the TILL"}, Out.CSV, ["sku", "stock"], None)
    with pytest.raises(Refused, match="Only a person"):
        outlets.save(ctx, SYSTEM, None, WHEN, Out.CSV, ["sku", "stock"], None)
    form = {"form": "csv", "fields": ["name"], **WHEN, "name": "Names"}
    assert as_role(Role.VIEWER).write("/files/out/outlets", form).status_code == 403
    editor = as_role(Role.EDITOR)
    assert editor.write("/files/out/outlets", form).status_code == 303
    page = editor.get("/files/out").text
    assert "/files/out/outlets/" in page


def test_one_that_was_removed_is_back_with_a_roll_back(ctx, ada):
    outlets.save(ctx, ada, None, WHEN, Out.CSV, ["sku", "stock"], None)
    outlets.remove(ctx, ada, one(ctx)["id"])
    assert outlets.list_all(ctx, SYSTEM) == []
    newest = history.list_change_sets(ctx, SYSTEM).change_sets[0]
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, newest["id"]))
    assert (one(ctx)["name"], one(ctx)["fields"]) == ("Stock for the till", ["sku", "stock"])
    assert ctx.db.run(lambda tx: outlets.next_after(ctx, tx, ctx.now(tx))) is not None


def test_one_whose_name_was_given_to_another_meanwhile_does_not_come_back(ctx, ada):
    outlets.save(ctx, ada, None, WHEN, Out.CSV, ["sku", "stock"], None)
    outlets.remove(ctx, ada, one(ctx)["id"])
    removed = history.list_change_sets(ctx, SYSTEM).change_sets[0]
    outlets.save(ctx, ada, None, WHEN | {"at": "07:00"}, Out.CSV, ["sku", "price"], None)
    with pytest.raises(Refused):
        ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, removed["id"]))
    assert one(ctx)["fields"] == ["sku", "price"]


def test_it_is_changed_on_its_page_and_two_people_are_told_of_each_other(ctx, ada, browser, as_role):
    make_product(ctx, "A-1", stock=3)
    outlets.save(ctx, ada, None, WHEN, Out.CSV, ["sku", "stock"], "q=fellside", lens="s1.de")
    page = browser.get("/files/out").text
    (link,) = re.findall(r'href="(/files/out\?change=[^"]+)"', page)
    shown = browser.get(html.unescape(link))
    assert "Stock for the till.csv, which goes by itself" in shown.text
    assert 'value="06:30"' in shown.text
    assert re.search(r'name="fields" value="stock" checked', shown.text)
    assert not re.search(r'name="fields" value="price" checked', shown.text)
    marks = html.unescape(re.search(r'name="marks" value="([^"]+)"', shown.text)[1])
    address = f"/files/out/outlets/{one(ctx)['id']}"
    form = {"name": "Stock for the till", "form": "csv", "every": "day", "at": "06:30", "of": "q=fellside"}
    form |= {"seen": "s1.de", "fields": ["stock"], "marks": marks}
    assert browser.write(address, form | {"at": "07:15", "fields": ["stock", "price"]}).status_code == 303
    now = one(ctx)
    assert (now["minute"], now["fields"], now["who"]) == (435, ["sku", "price", "stock"], "Editor Person")
    ctx.db.run(lambda tx: tx.run("UPDATE file_outlet SET reached = reached - INTERVAL 2 DAY"))
    assert outlets.next_of(ctx, one(ctx)) < ctx.db.run(ctx.now)
    again = {name: value for name, value in form.items() if name != "marks"} | {"fields": ["stock", "price"]}
    assert browser.write(address, again | {"at": "07:16"}).status_code == 303
    assert outlets.next_of(ctx, one(ctx)) > ctx.db.run(ctx.now), "a time that is over is not made up for"
    assert browser.write(address, again | {"at": "07:15"}).status_code == 303
    owner = as_role(Role.OWNER)
    refused = owner.post(address, data=form | {"at": "08:00", "csrf": owner.csrf})
    assert "Editor Person changed this while you were working on it: Minute is now “435”" in refused.text
    assert 'value="08:00"' in refused.text
    assert owner.write(address, form | {"form": "xlsx"}).status_code == 303, "what only one changed is taken"
    assert (one(ctx)["minute"], one(ctx)["format"], one(ctx)["fields"]) == (435, "xlsx", ["sku", "price", "stock"])
    assert one(ctx)["who"] == "Owner Person"
    assert owner.write(address, form | {"name": "…"}).status_code == 422
