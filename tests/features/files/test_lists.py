"""What products have several of, by a file: further categories, choices asked, downloads, and related goods."""

import pytest

from graupel.core.attributes import AttributeKind
from graupel.core.roles import SYSTEM
from graupel.features.categories import service as categories
from graupel.features.choices import service as choices
from graupel.features.files import exporting, planned_rows
from graupel.features.history import rolling_back
from graupel.features.products.batch import lists
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary.attributes import Definition
from graupel.tables.writing import Out
from tests.making import bring_in, make_product, plan_file
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser"]
ENTRIES = [{"label": "No", "state": "default"}, {"label": "Yes"}]
GOES_WITH, ACCESSORIES = "goes well with", "accessories"


def of(ctx, sku):
    """By list what a product has, as it goes out."""

    def read(tx):
        product_id = tx.value("SELECT product_id FROM variant WHERE sku = %s", [sku])
        found = {}
        for one in lists.load(tx).values():
            ids = [row["choice_id"] for row in lists.standing(tx, [one], [product_id])]
            if ids:
                called = one.called(tx, ids)
                found[one.column.label.lower()] = [called[key] for key in ids]
        return found

    return ctx.db.run(read)


def versions(ctx):
    return ctx.db.run(lambda tx: [row["version"] for row in tx.all("SELECT version FROM product ORDER BY id")])


def problems(ctx, file):
    rows = planned_rows.rows_of(ctx, SYSTEM, file, "refused").samples
    return {one.line: " ".join(problem.message for problem in one.plan.problems) for one in rows}


def back(ctx, file):
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, file.row["change_set_id"]))


@pytest.fixture
def goods(ctx):
    made = {sku: make_product(ctx, sku, category="Yarn > Aran") for sku in ("A-1", "B-1", "C-1")}
    categories.make(ctx, SYSTEM, "Gifts")
    wrap = choices.save(ctx, SYSTEM, None, {"name": "Gift wrap", "kind": "one"}, ENTRIES)
    choices.save(ctx, SYSTEM, None, {"name": "Card", "kind": "one"}, ENTRIES)
    choices.save(ctx, SYSTEM, None, {"name": "Its own", "kind": "one"}, ENTRIES, product_id=made["A-1"])
    ctx.db.run(lambda tx: tx.many("INSERT INTO download (name) VALUES (%s)", [["Care sheet"], ["Twin"], ["twin"]]))
    return made | {"wrap": wrap}


def test_a_cell_says_what_a_product_has_then_and_a_roll_back_what_it_had(ctx, goods):
    text = (
        "sku,further categories,choices asked,downloads\n"
        "A-1,Gifts | Sale > New,Card | gift wrap,Care sheet\nB-1,Gifts,,\n"
    )
    file = plan_file(ctx, text)
    assert file.row["counts"]["changed"] == 2
    assert [one[0] for one in file.row["makes"]] == ["Sale > New"]
    shown = planned_rows.rows_of(ctx, SYSTEM, file, "changed").samples[0].plan
    assert set(shown.after.values()) == {"Gifts, Sale > New", "Card, Gift wrap", "Care sheet"}
    first = bring_in(ctx, text)
    assert of(ctx, "A-1") == {
        "further categories": ["Gifts", "Sale > New"],
        "choices asked": ["Card", "Gift wrap"],
        "downloads": ["Care sheet"],
    }
    second = bring_in(ctx, "sku,further categories,choices asked\nA-1,Gifts,Gift wrap\nB-1,,Gift wrap\n")
    assert of(ctx, "A-1")["choices asked"] == ["Gift wrap"]
    assert of(ctx, "A-1")["further categories"] == of(ctx, "B-1")["further categories"] == ["Gifts"]
    own = ctx.db.run(lambda tx: tx.value("SELECT COUNT(*) FROM choice_use WHERE product_id = %s", [goods["A-1"]]))
    assert own == 2, "what is asked with this product alone is no part of the list, and stays"
    back(ctx, second)
    assert of(ctx, "A-1")["choices asked"] == ["Card", "Gift wrap"]
    back(ctx, first)
    assert of(ctx, "A-1") == of(ctx, "B-1") == {}


def test_a_list_that_has_an_order_is_put_into_the_one_that_is_said_and_goes_back_to_what_it_was(ctx, goods):
    def related(file):
        return of(ctx, "A-1")[GOES_WITH], of(ctx, "A-1").get("choices asked"), file.row["counts"]["changed"]

    made = bring_in(ctx, f"sku,{GOES_WITH},choices asked\nA-1,B-1 | C-1,Card | Gift wrap\n")
    assert related(made) == (["B-1", "C-1"], ["Card", "Gift wrap"], 1)
    own = "SELECT position FROM choice_use WHERE product_id = %s ORDER BY position LIMIT 1"
    first = ctx.db.run(lambda tx: tx.value(own, [goods["A-1"]]))
    bring_in(ctx, "sku,name,price\nD-1,Dee,5.00\n")
    text = f"sku,{GOES_WITH},choices asked\nA-1,C-1 | D-1 | B-1,Gift wrap | Card\n"
    turned = plan_file(ctx, text)
    told = planned_rows.rows_of(ctx, SYSTEM, turned, "changed").samples[0].plan
    assert set(told.after.values()) == {"C-1, D-1, B-1", "Gift wrap, Card"}
    done = bring_in(ctx, text)
    assert related(done) == (["C-1", "D-1", "B-1"], ["Gift wrap", "Card"], 1)
    assert ctx.db.run(lambda tx: tx.value(own, [goods["A-1"]])) == first, "what it asks alone stays where it stood"
    assert plan_file(ctx, text).row["counts"]["unchanged"] == 1
    back(ctx, done)
    assert related(done)[:2] == (["B-1", "C-1"], ["Card", "Gift wrap"])


def test_what_is_not_there_or_not_to_be_told_apart_refuses_its_row(ctx, goods):
    text = "sku,choices asked,downloads\nA-1,Gift rap,\nB-1,,Twin\nC-1,Card,Care sheet\n"
    told = problems(ctx, plan_file(ctx, text))
    assert "There is nothing called “Gift rap” for Choices asked" in told[2]
    assert "2 are called “Twin”" in told[3]
    assert set(told) == {2, 3}


def test_related_goods_are_named_by_codes_also_of_rows_that_come_later(ctx, goods):
    text = (
        f"sku,product code,name,price,{GOES_WITH},{ACCESSORIES}\n"
        "A-1,,,,N-1 | b-1,\nN-1,NEW,New,5,A-1,C-1 | NEW-2\nN-2,NEW-2,Newer,6,,\n"
    )
    before = versions(ctx)
    file = bring_in(ctx, text)
    assert (file.row["counts"]["new"], file.row["counts"]["changed"]) == (2, 1)
    assert of(ctx, "A-1") == {GOES_WITH: ["NEW", "B-1"]}
    assert of(ctx, "B-1") == {GOES_WITH: ["A-1"]}, "it holds both ways"
    assert of(ctx, "N-1") == {GOES_WITH: ["A-1"], ACCESSORIES: ["C-1", "NEW-2"]}
    moved = [now - was for now, was in zip(versions(ctx), [*before, 0, 0], strict=True)]
    assert moved == [1, 1, 0, 1, 1], "that of B-1 too, for it stands on its page"
    bring_in(ctx, f"sku,{GOES_WITH}\nA-1,NEW\n")
    assert (of(ctx, "A-1"), of(ctx, "B-1")) == ({GOES_WITH: ["NEW"]}, {})
    assert plan_file(ctx, f"sku,{GOES_WITH}\nA-1,NEW\nN-1,A-1\n").row["counts"]["unchanged"] == 2


def test_related_goods_that_nothing_has_or_that_contradict_each_other_are_refused(ctx, goods):
    text = f"sku,{GOES_WITH}\nA-1,B-1\nB-1,C-1\nC-1,NO-1 | B-1\n"
    told = problems(ctx, plan_file(ctx, text))
    assert "nothing has the code or SKU NO-1" in told[4]
    assert "line 2 lists this product, which does not list that one" in told[3]
    assert "would stand beside itself" in problems(ctx, plan_file(ctx, f"sku,{ACCESSORIES}\nA-1,A-1\n"))[2]


@pytest.mark.parametrize("form", [Out.CSV, Out.XLSX, Out.LINES, Out.XML])
def test_lists_go_out_and_come_in_again_unchanged(ctx, goods, form):
    bring_in(
        ctx,
        f"sku,further categories,choices asked,downloads,{GOES_WITH},{ACCESSORIES},tags\n"
        "A-1,Gifts,Card | Gift wrap,Care sheet,B-1,C-1 | B-1,warm \\| light | soft\n",
    )
    path = ctx.folder("t") / f"out.{form}"
    exporting.export(ctx, SYSTEM, path, form)
    file = plan_file(ctx, path.read_bytes(), name=path.name)
    assert problems(ctx, file) == {}
    assert file.row["counts"]["unchanged"] == 3
    fields = {rule.field for rule in file.rules}
    assert {
        "tags",
        *(f"list-{one}" for one in (lists.FURTHER, lists.ASKED, lists.DOWNLOADS, lists.RELATED + 1)),
    } <= fields


def test_a_kind_of_relation_that_is_called_like_a_field_or_an_attribute_takes_no_column_of_it(ctx, goods):
    attributes.make(ctx, SYSTEM, Definition("Fits", AttributeKind.SHORT_TEXT))
    for name in ("Price", "Fits"):
        ctx.db.run(lambda tx, name=name: tx.run("INSERT INTO relation_kind (name) VALUES (%s)", [name]))
    file = plan_file(ctx, "sku,price,fits,related: price,related: fits\nA-1,7,loosely,B-1,C-1\n")
    assert [rule.field.partition("-")[0] for rule in file.rules] == ["sku", "price", "fact", "list", "list"]
    assert file.row["counts"]["changed"] == 1


def test_what_names_goods_of_a_refused_row_is_refused_with_it(ctx, goods):
    text = (
        f"sku,product code,name,price,{ACCESSORIES}\nD-1,,,3,\nD-2,,Case,3,D-1\nD-3,BAG,Bag,4,D-2 | B-1\n"
        "A-1,,,,bag\nB-1,,,,C-1\nD-5,,Pin,1,B-1\n"
    )
    file = bring_in(ctx, text, leave_out=True)
    told = problems(ctx, file)
    assert told[3] == "Accessories: line 2, in which D-1 stands, is refused."
    assert told[4] == "Accessories: line 3, in which D-2 stands, is refused."
    assert told[5] == "Accessories: line 4, in which BAG stands, is refused."
    assert {2, 3, 4, 5} == set(told)
    assert (of(ctx, "B-1"), of(ctx, "D-5")) == ({"accessories": ["C-1"]}, {"accessories": ["B-1"]})
