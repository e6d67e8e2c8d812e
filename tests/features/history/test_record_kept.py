"""The record is kept for as long as is said: what is older is thinned, a little at a time, and said to be gone."""

from dataclasses import replace
from datetime import timedelta

import pytest

from graupel.core import changes
from graupel.core.errors import NotAllowed, Outdated, Refused
from graupel.core.roles import SYSTEM, Actor, Role
from graupel.features.history import keeping, one_record, rolling_back
from graupel.features.history import service as history
from graupel.features.products import past
from tests.features.products.test_past import lens, moment, save
from tests.making import bring_in, catalogue, make_product, work_off
from tests.serving import app, as_role

__all__ = ["app", "as_role"]


def rows(ctx, table):
    return ctx.db.run(lambda tx: tx.value(f"SELECT COUNT(*) FROM {table}"))


def thin(ctx, days):
    later = replace(ctx, ahead=timedelta(days=days))
    later.db.run(keeping.wake)
    work_off(later)


def test_what_is_older_goes_and_that_it_happened_stays(ctx, monkeypatch):
    monkeypatch.setattr(keeping, "AT_ONCE", 3)
    yarn = make_product(ctx, "FEL-1", name="Fellside")
    before = moment(ctx)
    save(ctx, yarn, name="Fell", tags=("a", "b", "c", "d"))
    number = history.list_change_sets(ctx, SYSTEM).change_sets[0]["id"]
    file = bring_in(ctx, "sku,name,price\nNEW-1,New,5\nNEW-2,Newer,6\n")
    was = catalogue(ctx)
    thin(ctx, 400)
    assert history.read(ctx, SYSTEM, number).rows, "kept for ever as long as nothing is said"
    keeping.save(ctx, SYSTEM, {"large_days": "100"})
    thin(ctx, 99)
    assert rows(ctx, "change_pack")
    assert rows(ctx, "batch_row")
    thin(ctx, 101)
    assert not rows(ctx, "change_pack")
    assert not rows(ctx, "batch_row")
    assert history.read(ctx, SYSTEM, number).rows
    with pytest.raises(Refused, match="not kept any more"):
        rolling_back.plan(ctx, SYSTEM, file.row["change_set_id"])
    keeping.save(ctx, SYSTEM, {"rest_days": "60"})
    thin(ctx, 61)
    found = history.read(ctx, SYSTEM, number)
    assert (found.rows, found.change_set["title"]) == ([], "Product changed: Fell")
    assert catalogue(ctx) == was
    with pytest.raises(Refused, match="What was then is not kept any more"):
        past.read(ctx, SYSTEM, yarn, before, None, lens(ctx))
    assert one_record.read(ctx, SYSTEM, "product", yarn).acts == []
    assert rows(ctx, "change_set"), "that it happened is known"


def test_days_are_said_by_an_owner_and_two_of_them_do_not_overwrite_each_other(ctx, as_role):
    for wrong in ("59", "-1", "x", "9" * 30, "١٠٠"):
        with pytest.raises(Refused, match="At least 60 days"):
            keeping.save(ctx, SYSTEM, {"rest_days": wrong})
    with pytest.raises(NotAllowed):
        keeping.save(ctx, Actor(None, "Editor", Role.EDITOR), {"rest_days": "90"})
    seen = changes.marks(keeping.read(ctx, SYSTEM))
    keeping.save(ctx, SYSTEM, {"rest_days": "90"})
    keeping.save(ctx, SYSTEM, {"flow_days": "70"}, seen)
    assert keeping.read(ctx, SYSTEM) == {"flow_days": 70, "large_days": None, "rest_days": 90}
    with pytest.raises(Outdated):
        keeping.save(ctx, SYSTEM, {"rest_days": "365", "flow_days": "70"}, seen)
    me = as_role(Role.OWNER)
    assert 'value="90"' in me.get("/history/keeping").text
    assert me.write("/history/keeping", {"rest_days": "5"}).status_code == 422
    assert me.write("/history/keeping", {"rest_days": "120"}).status_code == 200
    assert keeping.read(ctx, SYSTEM) == {"flow_days": None, "large_days": None, "rest_days": 120}
    assert as_role(Role.EDITOR).write("/history/keeping", {"rest_days": "120"}).status_code == 403
    number = history.list_change_sets(ctx, SYSTEM, kind="history.keeping").change_sets[0]["id"]
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, number))
    assert keeping.read(ctx, SYSTEM)["rest_days"] == 90
