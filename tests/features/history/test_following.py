"""What those are told who follow a change set."""

from dataclasses import replace
from decimal import Decimal

import pytest

from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.features.categories import service as categories
from graupel.features.history import following, store
from graupel.features.history.following import Wrote
from graupel.features.products import saving
from graupel.features.products import service as products
from tests.making import make_product, roll_back_newest


@pytest.fixture
def told(monkeypatch):
    """What each change set wrote, the newest last."""
    heard: list[Wrote] = []
    monkeypatch.setattr(following, "_FOLLOWERS", [*following._FOLLOWERS, lambda tx, found: heard.append(found.wrote)])
    return heard


def test_they_are_told_which_fields_were_written(ctx, told):
    product_id = make_product(ctx, "FEL-1")
    assert told[-1].any_of("product", ("name",)), "of what was made any field may be written"
    values = products.read(ctx, SYSTEM, product_id).values
    saving.save(ctx, SYSTEM, product_id, replace(values, price=Decimal("8.80"), status=Status.DRAFT), None)
    wrote = told[-1]
    assert (wrote.any_of("variant", ("price", "sku")), wrote.any_of("variant", ("sku",))) == (True, False)
    assert (wrote.any_of("product", ("status",)), wrote.any_of("product", ("name",))) == (True, False)
    assert (wrote.any_of("product"), wrote.any_of("category")) == (True, False)
    roll_back_newest(ctx)
    assert told[-1].fields == wrote.fields


def test_of_many_records_only_their_kinds_are_told_and_any_field_may_be_written(ctx, told, monkeypatch):
    one = categories.make(ctx, SYSTEM, "Yarn > Aran").id
    categories.rename(ctx, SYSTEM, one, "Worsted")
    assert not told[-1].any_of("category", ("parent_id",))
    monkeypatch.setattr(store, "FEW_WRITTEN", 0)
    categories.rename(ctx, SYSTEM, one, "Aran")
    assert told[-1].any_of("category", ("parent_id",))
    assert not told[-1].any_of("product")
