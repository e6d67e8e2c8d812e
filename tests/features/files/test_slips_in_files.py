"""Slips of a file gathered by kind, mended in all rows at once, and remembered."""

import pytest

from graupel.core import columns
from graupel.core.attributes import AttributeKind
from graupel.core.errors import Refused
from graupel.core.roles import SYSTEM, Role
from graupel.features.files import mending, profiles
from graupel.features.files import service as files
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary.attributes import Definition
from tests.making import plan_file, work_off
from tests.serving import app, as_role

__all__ = ["app", "as_role"]

FILE = """sku,name,price,weight,gtin,category
A-1,One,5,"0,5",9.52E+12,/Yarn/Aran
A-2,Two,5,"0,3",9521234567899,/Yarn/Aran
A-3,Three,5,100 g,41000000034,/Yarn/Lace
"""


def mended(ctx, file, field, code, how):
    mending.mend_all(ctx, SYSTEM, file.id, field, code, how)
    work_off(ctx)
    return files.read(ctx, SYSTEM, file.id)


def test_reasons_name_their_columns_and_each_mend_lets_more_rows_in(ctx):
    file = plan_file(ctx, FILE)
    assert file.row["counts"]["refused"] == 3
    reasons = {(field, code): number for code, number, _, field in file.row["overview"]["reasons"]}
    assert reasons == {("weight_g", "weight.no_unit"): 2, ("gtin", "gtin.zeros"): 1}
    file = mended(ctx, file, "weight_g", "weight.no_unit", "unit:kg")
    assert file.row["counts"]["refused"] == 2
    file = mended(ctx, file, "gtin", "gtin.zeros", "zeros")
    file = mended(ctx, file, "gtin", "gtin.eaten", "leave")
    assert (file.row["counts"]["refused"], file.row["counts"]["new"]) == (0, 3)
    assert file.row["overview"]["left_out"] == [["gtin", "gtin.eaten", 1]]
    file = mended(ctx, file, "category", "category.slash", "levels:/")
    made = [name for name, _, kind in file.row["makes"] if kind == "category"]
    assert made == ["Yarn", "Yarn > Aran", "Yarn > Lace"]
    file = mended(ctx, file, "gtin", "gtin.eaten", "back")
    assert file.row["counts"]["refused"] == 1
    with pytest.raises(Refused, match="does not stand in the file any more"):
        mended(ctx, file, "gtin", "gtin.eaten", "column:1")


def test_what_was_mended_is_kept_by_a_profile_and_by_who_changes_another_column(ctx, as_role):
    file = plan_file(ctx, FILE)
    for field, code, how in (
        ("weight_g", "weight.no_unit", "unit:kg"),
        ("gtin", "gtin.zeros", "zeros"),
        ("gtin", "gtin.eaten", "leave"),
        ("category", "category.slash", "levels:/"),
    ):
        file = mended(ctx, file, field, code, how)
    profiles.keep(ctx, SYSTEM, file.id, "Fell Mill")
    me = as_role(Role.EDITOR)
    page = me.get(f"/files/{file.id}").text
    assert "GTIN: 1 cell that can’t be read left out, as chosen." in page
    form = {f"column_{one.index}": one.rule.field for one in file.columns} | {"column_1": ""}
    assert me.write(f"/files/{file.id}/plan", form).status_code in (200, 303)
    work_off(ctx)
    after = files.read(ctx, SYSTEM, file.id)
    rules = {rule.field: rule for rule in after.rules}
    assert (rules["gtin"].left_out, rules["gtin"].zeros, rules["category"].levels) == (("gtin.eaten",), True, "/")
    again = plan_file(ctx, FILE.replace("A-", "B-"))
    assert (again.row["counts"]["new"], again.row["counts"]["refused"]) == (3, 0)


def test_the_page_offers_the_mends_and_does_them(ctx, as_role):
    file = plan_file(ctx, FILE)
    me = as_role(Role.EDITOR)
    page = me.get(f"/files/{file.id}").text
    assert "Can be mended in all rows at once:" in page
    assert "They are kilograms" in page
    again = me.get(
        f"/files/{plan_file(ctx, 'sku,name,price,category' + chr(10) + 'B-1,One,5,/Yarn/Aran' + chr(10)).id}"
    )
    assert "Read / as the sign between the names" in again.text
    sent = {"field": "weight_g", "code": "weight.no_unit", "how": "unit:g"}
    assert me.write(f"/files/{file.id}/mend-all", sent).status_code == 303
    work_off(ctx)
    assert files.read(ctx, SYSTEM, file.id).row["counts"]["refused"] == 2
    assert me.write(f"/files/{file.id}/mend-all", {"how": "nonsense"}).status_code == 422
    assert as_role(Role.VIEWER).write(f"/files/{file.id}/mend-all", sent).status_code == 403


def test_a_mistyped_choice_within_a_list_is_read_as_another_in_all_rows_and_in_the_next_file(ctx):
    fibre = attributes.make(ctx, SYSTEM, Definition("Fibre", AttributeKind.SEVERAL_CHOICES, choices=["Merino", "Silk"]))
    text = "sku,name,fibre\nA-1,Aran,Silk | Merinno\nA-2,Bee,merinno\nA-3,Cee,Silk\n"
    file = plan_file(ctx, text)
    assert [[name, kind] for name, _, kind in file.row["makes"]] == [["Merinno", f"fact-{fibre.id}"]]
    mending.mend(ctx, SYSTEM, file.id, f"fact-{fibre.id}", "Merinno", "Merino")
    work_off(ctx)
    (rule,) = (one for one in files.read(ctx, SYSTEM, file.id).rules if one.field == f"fact-{fibre.id}")
    assert (rule.within, columns.said(rule)) == ((("Merinno", "Merino"),), "1 value within lists replaced")
    files.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    work_off(ctx)
    assert [one.label for one in attributes.read(ctx, SYSTEM, fibre.id).attribute.choices] == ["Merino", "Silk"]
    assert plan_file(ctx, text).row["makes"] == []
