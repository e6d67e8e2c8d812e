"""What became of the rows of a file: row by row on its page, and as a table in their original form."""

import csv
import io
from decimal import Decimal

from graupel.core.attributes import AttributeKind
from graupel.core.roles import SYSTEM
from graupel.features.files import planned_rows, results, service
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary.attributes import Definition
from graupel.tables.writing import Out
from tests.making import add_german, add_outlet, bring_in, make_product, plan_file, work_off
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser"]
TEXT = "sku;name;price;brand\nA-1;Aran;10;Carrow\nB-1;Bee;5;\nC-1;;4;\nD-1;Dee;7;;too many\nE-1;Ede;9;\nN-1;New;3;\n"


def applied(ctx):
    for sku, name, price in (("A-1", "Aran", "9"), ("B-1", "Bee", "5"), ("E-1", "Ede", "8")):
        make_product(ctx, sku, name=name, price=Decimal(price))
    file = plan_file(ctx, TEXT)
    bring_in(ctx, "sku,name\nE-1,Eddy\n")
    service.request_apply(ctx, SYSTEM, file.id, leave_out=True)
    work_off(ctx)
    return service.read(ctx, SYSTEM, file.id)


def lines(path):
    return list(csv.reader(io.StringIO(path.read_text())))


def test_each_row_goes_out_as_it_was_with_what_became_of_it_and_why(ctx):
    file = applied(ctx)
    heads, *rows = lines(results.write(ctx, SYSTEM, file.id, Out.CSV, refused=False))
    assert heads == ["line", "what happened", "reason", "sku", "name", "price", "brand", ""]
    assert [(row[0], row[1], row[3]) for row in rows] == [
        ("2", "changed", "A-1"),
        ("3", "unchanged", "B-1"),
        ("4", "refused", "C-1"),
        ("5", "refused", "D-1"),
        ("6", "left out: what it means changed after the dry run", "E-1"),
        ("7", "new", "N-1"),
    ]
    assert "needs a name" in rows[2][2]
    assert rows[3][3:] == ["D-1", "Dee", "7", "", "too many"]
    for form in results.OUTS:
        again = plan_file(
            ctx, results.write(ctx, SYSTEM, file.id, form, refused=True).read_bytes(), name=f"again.{form}"
        )
        assert sum(again.row["counts"][one] for one in ("refused", "new")) == 2


def test_the_page_tells_row_by_row_what_was_done_also_after_the_goods_changed_again(ctx, browser):
    file = applied(ctx)
    bring_in(ctx, "sku,name,price\nA-1,Aran again,12\n")
    (row,) = planned_rows.rows_of(ctx, SYSTEM, file, "changed").samples
    assert (row.plan.before, row.plan.after) == (
        {"price": "9.00", "brand": None},
        {"price": "10.00", "brand": "Carrow"},
    )
    page = browser.get(f"/files/{file.id}?show=changed").text
    assert "What became of the rows" in page
    assert "9.00" in page
    assert "Carrow" in page
    assert "N-1" in browser.get(f"/files/{file.id}?show=new").text
    made = browser.get(f"/files/{file.id}/rows.xlsx")
    assert (made.status_code, made.content[:2]) == (200, b"PK")
    assert not [one for one in ctx.folder("exports").iterdir() if one.name.startswith("rows-")]
    assert browser.get(f"/files/{file.id}/rows.exe").status_code == 404
    assert browser.get(f"/files/{file.id}/secrets.csv").status_code == 404
    ctx.db.run(lambda tx: tx.run("DELETE FROM batch_row"))
    assert "not kept any more" in browser.get(f"/files/{file.id}?show=changed").text


def test_the_page_tells_what_was_done_beside_declared_fields_also_after_that_changed_again(ctx, browser):
    add_german(ctx)
    attributes.make(ctx, SYSTEM, Definition("Needle", AttributeKind.NUMBER, "length:mm"))
    attributes.make(ctx, SYSTEM, Definition("Fibre", AttributeKind.ONE_CHOICE, choices=["Wool", "Silk"]))
    attributes.make(ctx, SYSTEM, Definition("Size", AttributeKind.ONE_CHOICE, choices=["S", "L"]))
    bring_in(
        ctx,
        "product code,sku,name,size,needle,fibre,tags,name (de),price\n"
        "A,A-S,Aran,S,4 mm,Wool,warm,Garn,5.00\nA,A-L,Aran,L,4 mm,Wool,warm,Garn,5.00\n",
    )
    file = bring_in(
        ctx,
        "product code,sku,needle,fibre,tags,name (de),price\n"
        "A,A-S,4.5 mm,Silk,soft,Arangarn,6.00\nA,A-L,4.5 mm,Silk,soft,Arangarn,\n",
    )
    bring_in(ctx, "product code,sku,needle,fibre,tags\nA,A-S,6 mm,Wool,late\n")
    found = planned_rows.rows_of(ctx, SYSTEM, file, "changed")
    assert [(one.sku, one.plan.after, one.speaks) for one in found.samples] == [("A-S", {"price": "6.00"}, True)]
    (told,) = found.beside.values()
    said = {word for one in told for field in one.fields for word in field[1:]}
    assert said == {"4", "4.5", "Garn", "Arangarn"}, "all else says what it is by its name"
    titles = {(one.shown.title, one.action) for one in told}
    assert titles >= {("Aran, Fibre, Silk", "made"), ("Aran, Fibre, Wool", "removed"), ("soft", "made")}
    assert {one.action for one in told} == {"changed", "made", "removed"}
    page = browser.get(f"/files/{file.id}?show=changed").text
    for word in ("4.5", "Silk", "soft", "Arangarn", "6.00"):
        assert word in page
    table = page.partition("<table")[2].partition("</table>")[0]
    for word in ("late", "see its history", "(empty)"):
        assert word not in table


def test_what_was_made_beside_declared_fields_is_told_with_what_it_says(ctx):
    add_german(ctx)
    add_outlet(ctx)
    attributes.make(ctx, SYSTEM, Definition("Note", AttributeKind.SHORT_TEXT))
    bring_in(ctx, "sku,name,price\nA-1,Ay,5\nB-1,Bee,5\n")
    file = bring_in(ctx, "sku,note,name (de),price last skeins,tags,goes well with\nA-1,Hand made,Ah,7.70,soft,B-1\n")
    (told,) = planned_rows.rows_of(ctx, SYSTEM, file, "changed").beside.values()
    assert {one.shown.title: one.fields[0][2] if one.fields else "" for one in told} == {
        "Ay: Name (German)": "Ah",
        "Ay: Price (Last Skeins)": "7.70",
        "Note": "Hand made",
        "soft": "",
        "Goes well with: Bee": "",
    }
