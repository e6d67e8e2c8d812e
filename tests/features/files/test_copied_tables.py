"""Goods copied out of the table into a spreadsheet, and pasted back: the same dry run as of a file."""

from decimal import Decimal

import pytest

from graupel.core.errors import Refused
from graupel.core.roles import SYSTEM, Role
from graupel.features.files import copying, planned_rows, service
from tests.making import bring_in, make_product, work_off
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser"]
USUAL = "code.category.status.price.stock.changed"


@pytest.fixture
def goods(ctx):
    make_product(ctx, "FEL-1", name='=SUM(A1) "odd" name', price=Decimal("9.80"), stock=7)
    make_product(ctx, "FEL-2", name="Plain", price=Decimal("4.20"))
    bring_in(ctx, 'sku,description\nFEL-2,"Two\nlines"\n')


def pasted(ctx, text):
    file_id = copying.pasted(ctx, SYSTEM, text)
    file = service.read(ctx, SYSTEM, file_id)
    service.request_plan(ctx, SYSTEM, file_id, file.rules)
    work_off(ctx)
    return service.read(ctx, SYSTEM, file_id)


def test_what_is_copied_has_the_columns_of_the_table_and_changes_nothing_when_it_is_pasted_back(ctx, goods):
    text, rows = copying.copied(ctx, SYSTEM, "", USUAL)
    heads = ["sku", "product code", "name", "price", "stock", "status", "category"]
    assert text.splitlines()[0].split("\t") == heads
    assert rows == 2
    file = pasted(ctx, text)
    assert file.row["counts"]["unchanged"] == 2
    text, _ = copying.copied(ctx, SYSTEM, "", "description.weight")
    assert "weight" in text.splitlines()[0]
    assert "status" not in text.splitlines()[0]


def test_several_columns_are_changed_at_once_and_shown_before_they_are_written(ctx, goods):
    text, rows = copying.copied(ctx, SYSTEM, "q=plain", "price.weight")
    assert rows == 1
    file = pasted(ctx, text.replace("Plain", "Plainer").replace("4.20", "5"))
    (row,) = planned_rows.rows_of(ctx, SYSTEM, file, "changed").samples
    assert (row.plan.before, row.plan.after) == (
        {"name": "Plain", "price": "4.20"},
        {"name": "Plainer", "price": "5.00"},
    )


def test_what_is_too_much_or_no_table_is_said_and_kept(ctx, goods, as_role, monkeypatch):
    monkeypatch.setattr(copying, "MOST_ROWS", 1)
    editor = as_role(Role.EDITOR)
    answer = editor.get("/files/out/copy?of=&columns=price")
    assert (answer.status_code, "At most 1 rows are copied" in answer.json()["detail"]) == (422, True)
    refused = editor.write("/files/paste", {"text": "FEL-1 only"})
    assert refused.status_code == 422
    assert "Paste at least two lines" in refused.text
    assert "FEL-1 only</textarea>" in refused.text
    assert editor.write("/files/paste", {"text": "sku\tprice\nFEL-1\t9\n"}).headers["location"].startswith("/files/")
    viewer = as_role(Role.VIEWER)
    assert viewer.get("/files/out/copy?of=q%3Dplain&columns=price").headers["x-rows"] == "1"
    assert viewer.write("/files/paste", {"text": "sku\tprice\nFEL-1\t9\n"}).status_code == 403
    with pytest.raises(Refused):
        copying.copied(ctx, SYSTEM, "", USUAL)
