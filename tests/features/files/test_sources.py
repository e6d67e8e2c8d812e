"""Files that come by themselves: from a folder and an address, at set times, with a bound."""

import json
import os
import time
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest

from graupel.core import changes
from graupel.core import sources as rules
from graupel.core.errors import Refused
from graupel.core.roles import SYSTEM, Role
from graupel.features.files import profiles, sources, telling
from graupel.features.files import service as files
from graupel.features.history import rolling_back
from graupel.features.history import service as history
from graupel.features.users import service as users
from tests.making import bring_in, plan_file, work_off
from tests.pictures import PictureHost, pictures
from tests.serving import app, as_role

__all__ = ["app", "as_role", "pictures"]

GOODS = "sku,name,price\n" + "".join(f"FEL-{number},Yarn {number},10\n" for number in range(10))


@pytest.fixture
def ctx(ctx):
    ctx.settings.fetch_hosts = "127.0.0.1"
    bring_in(ctx, GOODS)
    profiles.keep(ctx, SYSTEM, plan_file(ctx, "sku,price\nFEL-1,10\n").id, "Prices of the mill")
    return ctx


@pytest.fixture
def ada(ctx):
    users.add_user(ctx, SYSTEM, "ada@skeinwright.example", "Ada", Role.EDITOR, "a long enough pass phrase")
    return users.actor_by_email(ctx, "ada@skeinwright.example")


def profile(ctx):
    return str(profiles.list_all(ctx, SYSTEM)[0]["id"])


def have(ctx, ada, place, **more):
    typed = {"name": "The mill", "place": place, "profile": profile(ctx), "every": "day", "at": "06:00", **more}
    sources.save(ctx, ada, None, typed)
    return max(row["id"] for row in sources.list_all(ctx, SYSTEM))


def drop(ctx, name, text, age=60):
    path = ctx.folder(sources.INCOMING) / name
    path.write_text(text)
    os.utime(path, (time.time() - age, time.time() - age))


def look(ctx, ada, source_id):
    sources.look_now(ctx, ada, source_id)
    work_off(ctx)
    return said(ctx)


def said(ctx):
    return sources.list_all(ctx, SYSTEM)[0]["said"]


def prices(ctx, *skus):
    found = ctx.db.run(lambda tx: tx.all("SELECT sku, price FROM variant WHERE sku IN %s ORDER BY sku", [skus]))
    return [float(row["price"]) for row in found]


def test_a_file_of_the_folder_is_brought_in_for_the_one_who_asked_and_lies_aside_then(ctx, ada):
    source = have(ctx, ada, "prices-*.csv", bound="20")
    drop(ctx, "other.csv", "sku,price\nFEL-1,99\n")
    assert look(ctx, ada, source) == "Nothing was there."
    drop(ctx, "prices-1.csv", "sku,price\nFEL-1,11\nFEL-2,10\nFEL-3,10\nFEL-4,10\nFEL-5,10\n")
    assert look(ctx, ada, source) == "Nothing was there.", "after it was brought in it was looked once more"
    assert prices(ctx, "FEL-1") == [11]
    change = history.list_change_sets(ctx, SYSTEM).change_sets[0]
    assert (change["kind"], change["actor"]) == ("files.apply", "Ada")
    assert {one.name for one in ctx.folder(sources.INCOMING).iterdir()} == {"other.csv", sources.TAKEN}
    assert sources.list_all(ctx, SYSTEM)[0]["is_in"]


def test_more_than_the_bound_waits_for_somebody_and_can_be_brought_in_by_hand(ctx, ada):
    source = have(ctx, ada, "prices.csv", bound="10")
    drop(ctx, "prices.csv", "sku,price\nFEL-1,11\nFEL-2,12\nFEL-3,10\n")
    assert "waits for somebody: 2 of 3 prices would change, more than 10 per cent." in look(ctx, ada, source)
    assert prices(ctx, "FEL-1", "FEL-2") == [10, 10]
    assert "waits for somebody" in look(ctx, ada, source), "where nothing new came it still waits"
    row = sources.list_all(ctx, SYSTEM)[0]
    files.request_apply(ctx, ada, row["file_id"], leave_out=False)
    work_off(ctx)
    assert prices(ctx, "FEL-1", "FEL-2") == [11, 12]
    row = sources.list_all(ctx, SYSTEM)[0]
    assert row["is_in"]
    assert not row["is_asking"], "what somebody brought in waits no more"


def test_who_a_file_waits_for_is_told_by_mail_why(ctx, ada, monkeypatch):
    mailing = {"smtp_host": "127.0.0.1", "smtp_port": 1, "mail_from": "shop@skeinwright.example"}
    told = replace(ctx, settings=ctx.settings.model_copy(update=mailing))
    written = []
    monkeypatch.setattr(telling.mail, "send", lambda settings, to, subject, text, key: written.append((subject, text)))
    source = have(told, ada, "prices.csv", bound="10")
    drop(told, "prices.csv", "sku,price\nFEL-1,11\nFEL-2,12\nFEL-3,10\n")
    look(told, ada, source)
    ((subject, text),) = written
    assert subject == "A file waits for you: prices.csv"
    assert "2 of 3 prices would change, more than 10 per cent." in text


def test_several_files_come_in_in_their_order_one_after_another(ctx, ada):
    source = have(ctx, ada, "*.csv")
    for number, price in enumerate((30, 20, 40)):
        drop(ctx, f"{'bca'[number]}.csv", f"sku,price\nFEL-1,{price}\n", age=100 - number * 20)
    drop(ctx, "being-written.csv", "sku,pri", age=0)
    look(ctx, ada, source)
    assert prices(ctx, "FEL-1") == [40]
    acts = [one for one in history.list_change_sets(ctx, SYSTEM).change_sets if one["kind"] == "files.apply"]
    assert [one["title"].partition(": ")[2] for one in acts[:3]] == ["a.csv", "c.csv", "b.csv"]
    assert (ctx.folder(sources.INCOMING) / "being-written.csv").exists()


def test_what_came_before_and_what_cant_be_read_is_in_nobodys_way(ctx, ada):
    source = have(ctx, ada, "*.csv")
    for age, text in ((90, "sku,price\nFEL-1,20\n"), (80, "sku,price\nFEL-1,20\n"), (70, "sku,price\nFEL-2,21\n")):
        drop(ctx, f"{age}.csv", text, age)
    look(ctx, ada, source)
    assert prices(ctx, "FEL-1", "FEL-2") == [20, 21]
    drop(ctx, "empty.csv", "", 60)
    drop(ctx, "good.csv", "sku,price\nFEL-1,22\n", 50)
    assert "empty" in look(ctx, ada, source)
    assert sources.list_all(ctx, SYSTEM)[0]["is_asking"]
    look(ctx, ada, source)
    assert prices(ctx, "FEL-1") == [22]


def test_a_folder_that_cant_be_written_to_is_said(ctx, ada, monkeypatch):
    def refuse(*given):
        raise PermissionError(13, "Permission denied")

    monkeypatch.setattr(sources.os, "replace", refuse)
    source = have(ctx, ada, "prices.csv")
    drop(ctx, "prices.csv", "sku,price\nFEL-1,12\n")
    assert look(ctx, ada, source) != "Nothing new."
    assert "Permission denied" in look(ctx, ada, source)


def test_an_address_is_looked_at_each_day_and_taken_where_it_changed(ctx, ada, pictures: PictureHost):
    pictures.files["/stock"] = b"sku,price\nFEL-1,15\n"
    have(ctx, ada, f"{pictures.address}/stock")
    for days, price in ((1, 15), (2, 15), (3, 16)):
        pictures.files["/stock"] = f"sku,price\nFEL-1,{price}\n".encode()
        work_off(replace(ctx, ahead=timedelta(days=days)))
        assert prices(ctx, "FEL-1") == [price]
        assert said(ctx) == ("Nothing new." if days == 2 else "stock was brought in.")
    assert pictures.asked == ["/stock"] * 3
    pictures.broken["/stock"] = 1
    work_off(replace(ctx, ahead=timedelta(days=4)))
    assert "503" in said(ctx)
    assert sources.list_all(ctx, SYSTEM)[0]["is_asking"], "though what came before is in"
    work_off(replace(ctx, ahead=timedelta(days=5)))
    assert said(ctx) == "Nothing new.", "what could not be reached can be again"


def test_what_is_wrong_is_said_and_nothing_is_brought_in(ctx, ada, pictures: PictureHost):
    source = have(ctx, ada, f"{pictures.address}/gone")
    assert "404" in look(ctx, ada, source)
    pictures.files["/gone"] = b"<html>Sign in</html>"
    assert look(ctx, ada, source) != "gone was brought in."
    pictures.files["/gone"] = b"code,cost\nFEL-1,3\n"
    assert "no column" in look(ctx, ada, source)
    pictures.files["/gone"] = b"sku,price\nFEL-1,12\nFEL-2,cheap\n"
    assert "1 row is refused" in look(ctx, ada, source)
    assert prices(ctx, "FEL-1", "FEL-2") == [10, 10]
    assert sources.list_all(ctx, SYSTEM)[0]["is_asking"]
    waits = said(ctx)
    pictures.broken["/gone"] = 1
    assert look(ctx, ada, source).startswith(f"{waits} Then it could not be looked for: ")
    assert look(ctx, ada, source) == waits, "it answers again, and the file waits still"


def test_refused_rows_are_left_out_where_that_is_chosen(ctx, ada):
    source = have(ctx, ada, "prices.csv", leave_out="1")
    drop(ctx, "prices.csv", "sku,price\nFEL-1,12\nFEL-2,cheap\n")
    look(ctx, ada, source)
    assert prices(ctx, "FEL-1", "FEL-2") == [12, 10]


def test_for_a_person_who_is_gone_nothing_is_brought_in(ctx, ada):
    source = have(ctx, ada, "prices.csv")
    drop(ctx, "prices.csv", "sku,price\nFEL-1,12\n")
    ctx.db.run(lambda tx: tx.run("UPDATE user SET ended_at = UTC_TIMESTAMP(3) WHERE id = %s", [ada.user_id]))
    assert "ada@skeinwright.example" in look(ctx, SYSTEM, source)
    ctx.db.run(lambda tx: tx.run("UPDATE user SET ended_at = NULL, role = 'viewer' WHERE id = %s", [ada.user_id]))
    assert "editor" in look(ctx, SYSTEM, source).lower()
    assert prices(ctx, "FEL-1") == [10]


def test_taken_away_it_is_looked_for_no_more_and_comes_back_by_history(ctx, ada):
    source = have(ctx, ada, "prices.csv", every="hour", at="15")
    sources.remove(ctx, ada, source)
    drop(ctx, "prices.csv", "sku,price\nFEL-1,12\n")
    work_off(replace(ctx, ahead=timedelta(hours=3)))
    assert prices(ctx, "FEL-1") == [10]
    change = history.list_change_sets(ctx, SYSTEM).change_sets[0]["id"]
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, change))
    (row,) = sources.list_all(ctx, SYSTEM)
    assert (row["place"], row["person"], row["profile"]) == ("prices.csv", ada_address(), "Prices of the mill")
    work_off(replace(ctx, ahead=timedelta(hours=5)))
    assert prices(ctx, "FEL-1") == [12]


def ada_address():
    return "ada@skeinwright.example"


@pytest.mark.parametrize(
    ("field", "text"),
    [
        ("name", ""), ("name", "x" * 200), ("place", ""), ("place", "../secret.csv"), ("place", ".."),
        ("place", "ftp://mill.example/a.csv"), ("place", "https://"), ("profile", "999"), ("profile", "x"),
        ("at", "25:00"), ("at", "15"), ("at", "٠٦:٠٠"), ("bound", "-1"), ("bound", "101"), ("bound", "²"),
        ("bound", "5.5"),
    ],
)  # fmt: skip
def test_wrong_input_is_named_at_its_field(ctx, ada, field, text):
    with pytest.raises(Refused) as refused:
        have(ctx, ada, **{"place": "prices.csv", field: text})
    assert [problem.field for problem in refused.value.problems] == [field]


def test_hours_and_days_come_at_their_minute_across_the_change_of_clocks():
    at = datetime(2027, 3, 27, 6, 0, tzinfo=UTC)
    assert rules.next_after("hour", 15, at, "Europe/London") == at.replace(minute=15)
    assert rules.next_after("hour", 0, at, "Europe/London") == at.replace(hour=7)
    assert rules.next_after("day", 360, at, "Europe/London") == datetime(2027, 3, 28, 5, 0, tzinfo=UTC)


def test_the_page_lists_adds_looks_and_removes(ctx, ada, as_role):
    me = as_role(Role.EDITOR)
    assert "None yet." in me.get("/files/sources").text
    typed = {"name": "Stock & prices", "place": "prices.csv", "profile": profile(ctx), "every": "day", "at": "6"}
    refused = me.write("/files/sources", typed)
    assert refused.status_code == 422
    assert "Say when: 06:30" in refused.text
    assert 'value="Stock &amp; prices"' in refused.text
    assert me.write("/files/sources", {**typed, "at": "06:30", "bound": "5"}).status_code in (200, 303)
    shown = me.get("/files/sources").text
    assert "each day, 06:30" in shown
    assert "<td>5 %</td>" in shown
    row = sources.list_all(ctx, SYSTEM)[0]
    drop(ctx, "prices.csv", "sku,price\nFEL-1,11\n")
    me.write(f"/files/sources/{row['id']}/look")
    assert "Looking" in me.get("/files/sources").text
    work_off(ctx)
    assert "waits for somebody: 1 of 1 prices" in me.get("/files/sources").text
    viewer = as_role(Role.VIEWER)
    assert "Look now" not in viewer.get("/files/sources").text
    assert viewer.write("/files/sources", typed).status_code == 403
    me.write(f"/files/sources/{row['id']}/remove")
    assert "None yet." in me.get("/files/sources").text


def test_it_is_changed_on_its_page_and_two_people_meet(ctx, ada, as_role):
    source = have(ctx, ada, "prices.csv", bound="5")
    me = as_role(Role.EDITOR)
    shown = me.get(f"/files/sources/{source}").text
    assert 'value="06:00"' in shown
    typed = {"name": "The mill", "place": "prices.csv", "profile": profile(ctx), "every": "day", "at": "06:00"}
    seen = json.dumps(changes.marks(sources.held(sources.read(ctx, SYSTEM, source))))
    sources.save(ctx, ada, source, {**typed, "bound": "7"})
    refused = me.write(f"/files/sources/{source}", {**typed, "bound": "9", "marks": seen})
    assert refused.status_code == 409
    assert "Ada changed this" in refused.text
    assert 'value="9"' in refused.text
    assert me.write(f"/files/sources/{source}", {**typed, "bound": "nine", "marks": seen}).status_code == 422
    assert me.write(f"/files/sources/{source}", {**typed, "at": "07:15", "bound": "7", "marks": seen}).status_code < 400
    row = sources.read(ctx, SYSTEM, source)
    assert (row["bound"], row["minute"], row["person"]) == (7, 435, "editor@skeinwright.example")
    assert me.get("/files/sources/999").status_code == 404
