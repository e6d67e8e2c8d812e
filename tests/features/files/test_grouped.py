"""Products with several variants, their attributes, types and tax classes by a file, and taken out again."""

import csv
import re
from dataclasses import replace
from decimal import Decimal

import pytest

from graupel.core.attributes import AttributeKind
from graupel.core.columns import Empty
from graupel.core.roles import SYSTEM
from graupel.core.row_blocks import RowBlock
from graupel.features.files import exporting, lines, planned_rows, service
from graupel.features.history import rolling_back
from graupel.features.history import service as history
from graupel.features.products import many, saving
from graupel.features.products import service as products
from graupel.features.stock import places
from graupel.features.variants import service as variants
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.attributes import Definition
from graupel.features.wording import service as wording
from graupel.tables.writing import Out
from tests.features.files.test_import import check_summaries
from tests.making import add_german, add_outlet, bring_in, catalogue, make_product, plan_file, work_off
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser"]
D = Decimal
YARN = (
    "product code,sku,name,colour,needle,fibre,price,weight,category\n"
    "FEL,,Fellside,,,Wool | Silk,9.80,100 g,Yarn\n"
    "FEL,FEL-HEA,,Heather,4 mm,,,,\n"
    "FEL,FEL-OAT,,oat,4 mm,,10.20,,\n"
    "PEA,PEA-1,Peat,Heather,5 mm,Wool,7.00,50 g,Yarn\n"
)


@pytest.fixture
def words(ctx):
    """Ids by name of a colour, a number in mm, and a list of fibres."""

    def make(name, kind, choices=(), unit=""):
        return attributes.make(ctx, SYSTEM, Definition(name, kind, unit, choices=choices)).id

    return {
        "colour": make("Colour", AttributeKind.COLOUR, ["Heather", "Oat"]),
        "needle": make("Needle", AttributeKind.NUMBER, unit="length:mm"),
        "fibre": make("Fibre", AttributeKind.SEVERAL_CHOICES, ["Wool", "Silk"]),
    }


def of_sku(ctx, sku):
    """The product of a SKU, and the labels of its variants' choices."""
    for product in many.list_after(ctx, SYSTEM, after=0, limit=50):
        whole = products.read(ctx, SYSTEM, product.id)
        if any(variant.sku == sku for variant in whole.variants):
            return whole
    raise AssertionError(sku)


def said(product, attribute_id):
    attribute = product.vocabulary.attributes[attribute_id]
    return attributes.rules.show_fact(attribute, product.values.facts[attribute_id])


def labels(product):
    names = {choice.id: choice.label for axis in product.axes for choice in axis.attribute.choices}
    return {variant.sku: [names[choice] for choice in variant.combination] for variant in product.variants}


def rows(ctx, file, shown):
    return {one.line: one.plan for one in planned_rows.rows_of(ctx, SYSTEM, file, shown).samples}


def reasons(ctx, file):
    return {line: plan.problems[0].message for line, plan in rows(ctx, file, "refused").items()}


def test_rows_with_one_code_become_one_product_whose_variants_differ_by_what_they_say(ctx, words):
    file = plan_file(ctx, YARN)
    assert [rule.field for rule in file.rules][3:6] == [f"fact-{words[one]}" for one in ("colour", "needle", "fibre")]
    assert file.row["counts"]["new"] == 4
    new = rows(ctx, file, "new")
    assert new[2].after["price"] == "9.80"
    assert new[4].after[f"fact-{words['colour']}"] == "Oat"
    assert catalogue(ctx) == {}
    bring_in(ctx, YARN)
    fellside, peat = of_sku(ctx, "FEL-HEA"), of_sku(ctx, "PEA-1")
    assert labels(fellside) == {"FEL-HEA": ["Heather"], "FEL-OAT": ["Oat"]}
    assert (fellside.values.code, fellside.values.name, fellside.values.price) == ("FEL", "Fellside", D("9.80"))
    assert [variant.price for variant in fellside.variants] == [None, D("10.20")], "the first inherits"
    assert (said(fellside, words["needle"]), said(fellside, words["fibre"])) == ("4 mm", "Wool, Silk")
    assert (peat.axes, peat.variants[0].price, said(peat, words["colour"])) == ((), D("7.00"), "Heather")
    listed = {one.name: (one.price_low, one.variants) for one in ctx.db.run(_summaries)}
    assert listed == {"Fellside": (D("9.80"), 2), "Peat": (D("7.00"), 1)}
    bring_in(ctx, "product code,sku,name,price\nONE,,Parent,5\nONE,ONE-1,,\nTWO,TWO-1,Two,6\n,SIX-1,Six,7\n")
    ctx.db.run(check_summaries)


def _summaries(tx):
    class Row:
        def __init__(self, row):
            self.__dict__.update(row)

    sql = "SELECT t.name, s.price_low, s.variants FROM product_summary s JOIN product_text t USING (product_id)"
    return [Row(row) for row in tx.all(sql)]


def test_a_parent_may_stand_after_its_variants_and_a_single_variant_takes_what_it_says(ctx, words):
    bring_in(ctx, "product code,sku,name,price\nA,A-1,,\nB,B-1,Bee,\nA,,Ay,5.00\n")
    product = of_sku(ctx, "A-1")
    assert (product.values.name, product.axes, product.variants[0].price) == ("Ay", (), D("5.00"))
    assert catalogue(ctx)["A-1"][10] is None, "the only variant keeps it for its product"


def test_the_same_file_changes_nothing_and_goes_back_whole(ctx, words):
    before = catalogue(ctx)
    file = bring_in(ctx, YARN)
    counts = plan_file(ctx, YARN).row["counts"]
    assert {name for name, number in counts.items() if number} == {"unchanged"}
    plan = rolling_back.plan(ctx, SYSTEM, file.row["change_set_id"])
    assert plan.stay == 0
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, file.row["change_set_id"]))
    assert catalogue(ctx) == before
    left = ctx.db.run(lambda tx: [tx.value(f"SELECT COUNT(*) FROM {one}") for one in ("fact", "product_axis")])
    assert left == [0, 0]


def test_variants_are_added_changed_and_given_other_choices_and_taken_back(ctx, words, browser):
    bring_in(ctx, YARN)
    before = catalogue(ctx)
    file = plan_file(
        ctx,
        "product code,sku,name,colour,needle,fibre,price\n"
        "FEL,,Fellside tweed,,45 mm,Wool,11.00\n"  # the product alone, a slip ten times its needle
        "FEL,FEL-PLU,,Plum,,,\n"  # a new choice
        ",FEL-OAT,,Heater,,,12.00\n"  # another, one letter off one that is there
        ",PEA-1,,Plum,,Silk,\n",
    )
    changed = rows(ctx, file, "changed")
    assert changed[2].after == {
        "name": "Fellside tweed", "price": "11.00",
        f"fact-{words['needle']}": "45 mm", f"fact-{words['fibre']}": "Wool",
    }  # fmt: skip
    assert changed[2].before[f"fact-{words['fibre']}"] == "Wool, Silk"
    assert (changed[4].before[f"fact-{words['colour']}"], changed[4].after["price"]) == ("Oat", "12.00")
    assert rows(ctx, file, "new")[3].after == {"sku": "FEL-PLU", f"fact-{words['colour']}": "Plum"}
    makes = [[name, [other for other, _ in near]] for name, near, _ in file.row["makes"]]
    assert makes == [["Heater", ["Heather"]], ["Plum", []]]
    page = browser.get(f"/files/{file.id}").text
    assert "Makes 2 choices of Colour; 1 much like what is there" in page
    assert "Bring in 4 products" not in page
    service.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    work_off(ctx)
    fellside = of_sku(ctx, "FEL-PLU")
    assert labels(fellside) == {"FEL-HEA": ["Heather"], "FEL-OAT": ["Heater"], "FEL-PLU": ["Plum"]}
    assert (fellside.values.name, fellside.values.price) == ("Fellside tweed", D("11.00"))
    assert (said(fellside, words["needle"]), said(fellside, words["fibre"])) == ("45 mm", "Wool")
    assert said(of_sku(ctx, "PEA-1"), words["fibre"]) == "Silk"
    assert fellside.version == 2
    done = service.read(ctx, SYSTEM, file.id).row["change_set_id"]
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, done))
    assert catalogue(ctx) == before
    assert said(of_sku(ctx, "FEL-HEA"), words["fibre"]) == "Wool, Silk"


def test_a_mistyped_choice_is_mended_for_all_rows_with_one_press(ctx, words, browser):
    file = plan_file(ctx, "sku,name,colour\nA-1,A,Heater\nA-2,B,heater\n")
    mend = {"kind": f"fact-{words['colour']}", "was": "Heater", "now": "Heather"}
    assert browser.write(f"/files/{file.id}/mend", mend).status_code == 303
    work_off(ctx)
    assert service.read(ctx, SYSTEM, file.id).row["makes"] == []


@pytest.mark.parametrize(
    ("text", "lines", "says"),
    [
        ("A,A-1,A,Heather\nA,A-2,A,Heather\n", {2, 3}, "the same choices|tells the variants of A apart"),
        ("A,A-1,A,Heather\nA,A-2,A,Oat\nA,A-3,A,oat\n", {2, 3, 4}, "the same choices as line 3"),
        ("A,A-1,A,Heather\nA,A-2,A,Oat\nA,A-3,A,\n", {2, 3, 4}, "Which Colour this variant has is not said"),
        ("A,A-1,A,Heather\nA,A-2,Otherwise,Oat\n", {2, 3}, "The rows of A say different things of its Name"),
        ("A,,A,\n", {2}, "no row of it has a SKU"),
        ("A,A-1,,Heather\nA,A-2,,Oat\n", {2, 3}, "needs a name"),
        ("OTHER,T-1,,\n", {2}, "belongs to the product THERE"),
        (",,A,Oat\n", {2}, "A SKU is needed"),
        ("A,A-1,A,Heather\nA,A-2,A,Oat\nB,A-1,B,\n", {4}, "stands in line 2 already"),
    ],
)
def test_what_makes_no_product_is_refused_with_the_whole_of_it(ctx, words, text, lines, says):
    there = products.read(ctx, SYSTEM, make_product(ctx, "T-1", name="There"))
    saving.save(ctx, SYSTEM, there.id, saving.replace(there.values, code="THERE"), None)
    file = plan_file(ctx, f"product code,sku,name,colour\n{text}")
    found = reasons(ctx, file)
    assert set(found) == lines
    assert any(re.search(says, message) for message in found.values()), found


def test_rows_that_put_one_product_into_two_categories_are_refused_whichever_of_these_is_there(ctx):
    bring_in(ctx, "sku,name,category\nT-1,There,Yarn\n")
    for first, second in (("Yarn", "Wool"), ("Wool", "Yarn"), ("Wool", "Lace")):
        said = f"product code,sku,name,category,colour\nA,A-1,,{first},Oat\nA,A-2,A,{second},Plum\nA,A-3,,,Sky\n"
        found = reasons(ctx, plan_file(ctx, said))
        assert "The rows of A say different things of its Category" in found[3], (first, second)


def test_the_row_that_speaks_for_a_product_is_found_wherever_it_stands(ctx, words):
    text = "product code,sku,name,colour\nA,A-1,,Oat\nB,B-1,Bee,\nA,A-2,,Plum\nA,A-2,,Sky\nA,,Ay,\nC,,,\n"
    file = plan_file(ctx, text)
    assert set(reasons(ctx, file)) == {5, 7} | {2, 4, 6}, "a SKU stands twice: what is new comes in whole"
    file = plan_file(ctx, text.replace("A-2,,Sky", "A-3,,Sky"))
    assert set(reasons(ctx, file)) == {7}
    leads = ctx.db.run(lambda tx: tx.all("SELECT line, lead FROM batch_row WHERE batch_id = %s", [file.id]))
    assert {row["line"]: row["lead"] for row in leads} == {2: 6, 3: None, 4: 6, 5: 6, 6: None, 7: None}


def test_a_product_that_is_there_starts_to_vary_where_a_file_brings_it_a_second_variant(ctx, words):
    bring_in(
        ctx, "product code,sku,name,colour,fibre,price,weight,mpn,category\nA,A-1,Ay,Oat,Wool,5.00,50 g,M-1,Yarn\n"
    )
    before, product = catalogue(ctx), of_sku(ctx, "A-1")
    text = "product code,sku,colour,price,mpn\nA,A-2,Plum,,M-2\nA,A-1,,,\nA,A-3,Heather,6.00,\n"
    file = plan_file(ctx, text)
    assert file.row["counts"] | {"new": 2, "changed": 1} == file.row["counts"]
    colour = f"fact-{words['colour']}"
    assert rows(ctx, file, "changed")[3].after[colour] == "Oat", "what its product said it is"
    service.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    work_off(ctx)
    varies = of_sku(ctx, "A-1")
    assert labels(varies) == {"A-1": ["Oat"], "A-2": ["Plum"], "A-3": ["Heather"]}
    assert (varies.values.price, varies.values.weight_g, varies.values.mpn) == (D("5.00"), 50, "")
    assert {one.sku: (one.price, one.weight_g, one.mpn) for one in varies.variants} == {
        "A-1": (None, None, "M-1"), "A-2": (None, None, "M-2"), "A-3": (D("6.00"), None, ""),
    }  # fmt: skip
    assert words["colour"] not in varies.values.facts
    assert said(varies, words["fibre"]) == "Wool"
    assert [(one.price_low, one.variants) for one in ctx.db.run(_summaries)] == [(D("5.00"), 3)]
    assert plan_file(ctx, text).row["counts"]["unchanged"] == 3
    ctx.db.run(
        lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, service.read(ctx, SYSTEM, file.id).row["change_set_id"])
    )
    assert catalogue(ctx) == before
    assert of_sku(ctx, "A-1").values.facts == product.values.facts


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("A,A-2,Plum,\n", {2: "Give the variant that it has a row in this file too"}),
        ("A,A-1,,\nA,A-2,Oat,\n", {2: "Line 3 of the same product", 3: "tells the variants of A apart"}),
        ("A,A-1,,\nA,A-2,Plum,dear\n", {3: "dear"}),
        ("A,A-1,,\nA,A-2,Plum,dear\nA,A-3,Heather,\n", {2: "starts to vary", 3: "dear", 4: "starts to vary"}),
        ("A,A-1,,cheap\nA,A-2,Plum,\n", {2: "cheap", 3: "Give the variant that it has a row"}),
    ],
)
def test_a_product_starts_to_vary_whole_or_not_at_all(ctx, words, text, says):
    bring_in(ctx, "product code,sku,name,colour,price\nA,A-1,Ay,Oat,5.00\n")
    found = reasons(ctx, plan_file(ctx, f"product code,sku,colour,price\n{text}"))
    assert set(found) == set(says)
    for line, words_of in says.items():
        assert re.search(words_of, found[line]), found


def test_a_product_that_changed_since_the_dry_run_does_not_start_to_vary(ctx, words):
    bring_in(ctx, "product code,sku,name,colour,price\nA,A-1,Ay,Oat,5.00\nB,B-1,Bee,Oat,5.00\n")
    text = "product code,sku,colour\nA,A-1,\nA,A-2,Plum\nB,B-1,\nB,B-2,Plum\n"
    file = plan_file(ctx, text)
    other = of_sku(ctx, "A-1")
    saving.save(ctx, SYSTEM, other.id, saving.replace(other.values, name="Meanwhile"), None)
    service.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    work_off(ctx)
    assert labels(of_sku(ctx, "A-1")) == {"A-1": []}
    assert labels(of_sku(ctx, "B-1")) == {"B-1": ["Oat"], "B-2": ["Plum"]}


def test_a_row_that_names_one_of_several_says_nothing_of_all_unless_by_its_code(ctx, words):
    bring_in(ctx, YARN)
    file = plan_file(ctx, "sku,needle\nFEL-HEA,5 mm\n")
    assert "one of several variants, and Needle belongs to all" in reasons(ctx, file)[2]
    file = plan_file(ctx, "product code,sku,name,needle\nFEL,FEL-HEA,Fellside 2,5 mm\nFEL,FEL-OAT,Fellside 2,5 mm\n")
    assert (file.row["counts"]["changed"], file.row["counts"]["unchanged"]) == (1, 1)


def test_what_changed_since_the_dry_run_is_left_out_with_what_belongs_to_it(ctx, words):
    bring_in(ctx, YARN)
    file = plan_file(
        ctx, "product code,sku,name,colour\nFEL,FEL-PLU,,Plum\nNEW,N-1,New,Oat\nNEW,N-2,New,Plum\nPEA,,Peat 2,\n"
    )
    fellside = of_sku(ctx, "FEL-HEA")
    saving.save(ctx, SYSTEM, fellside.id, saving.replace(fellside.values, name="Meanwhile"), None)
    make_product(ctx, "N-2")
    service.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    work_off(ctx)
    there = catalogue(ctx)
    assert ("FEL-PLU" in there, "N-1" in there, there["PEA-1"][1]) == (False, False, "Peat 2")
    assert service.read(ctx, SYSTEM, file.id).row["counts"]["moved"] == 3


@pytest.mark.parametrize("form", Out)
def test_variants_and_attributes_go_out_and_come_in_again_unchanged(ctx, words, form):
    bring_in(ctx, YARN)
    vocabulary.make(ctx, SYSTEM, "type", "Yarn")
    more = [("Care", AttributeKind.YES_NO), ("Since", AttributeKind.DATE), ("Weight", AttributeKind.SHORT_TEXT)]
    for name, kind in more:
        attributes.make(ctx, SYSTEM, Definition(name, kind))
    bring_in(
        ctx,
        "sku;care;since;weight (attribute);needle;product type\nPEA-1;ja;31.12.2025;=1+1, light;0,45 cm;yarn\n",
    )
    path = ctx.folder("t") / f"out.{form}"
    exporting.export(ctx, SYSTEM, path, form)
    file = plan_file(ctx, path.read_bytes(), name=path.name)
    assert reasons(ctx, file) == {}
    assert [(one.before, one.after) for one in rows(ctx, file, "changed").values()] == []
    assert file.row["counts"]["unchanged"] == 3
    assert {"code", "type"} <= {rule.field for rule in file.rules}
    assert sum(rule.field.startswith("fact-") for rule in file.rules) == 6


def test_tags_come_and_go_and_new_ones_are_named_and_made(ctx, words):
    make_product(ctx, "A-1", tags=("winter", "soft"))
    before = tags(ctx)
    text = "sku,name,schlagwörter\nA-1,,soft | new in | Summer\nB-1,B,new in\n"
    file = plan_file(ctx, text)
    assert rows(ctx, file, "changed")[2].before == {"tags": "soft, winter"}
    assert [one[0] for one in file.row["makes"]] == ["Summer", "new in"]
    done = bring_in(ctx, text)
    assert tags(ctx) == {("A-1", "soft"), ("A-1", "new in"), ("A-1", "Summer"), ("B-1", "new in")}
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, done.row["change_set_id"]))
    assert tags(ctx) == before


def tags(ctx):
    sql = """SELECT v.sku, g.name FROM tagging o JOIN tag g ON g.id = o.tag_id JOIN variant v
             ON v.product_id = o.record_id WHERE o.kind = 'product'"""
    return {(row["sku"], row["name"]) for row in ctx.db.run(lambda tx: tx.all(sql))}


def test_an_attribute_is_made_where_a_column_has_no_place_to_go_to(ctx, words, browser):
    file = plan_file(ctx, "sku,name,put_up,twist,colour\nA-1,A,50 g ball,12 cm,Oat\n")
    assert "Make an attribute “Put up”" in browser.get(f"/files/{file.id}").text
    chosen = {"column_0": "sku", "column_1": "name", "column_2": "new-choice", "column_3": "new-number"}
    assert browser.write(f"/files/{file.id}/plan", {**chosen, "column_4": f"fact-{words['colour']}"}).status_code == 204
    work_off(ctx)
    file = service.read(ctx, SYSTEM, file.id)
    made = {one.name: (str(one.kind), one.unit) for one in file.known.attributes.values()}
    assert (made["Put up"], made["Twist"]) == (("one_choice", None), ("number", "cm"))
    assert set(rows(ctx, file, "new")[2].after.values()) == {"A-1", "A", "50 g ball", "12 cm", "Oat"}


def test_a_column_is_found_by_the_name_of_its_attribute_in_any_language(ctx, words):
    add_german(ctx)

    def translate(tx):
        with history.change_set(tx, SYSTEM, "x", "x") as recorder:
            wording.save(tx, recorder, "attribute", words["colour"], {".de.name": "Farbton"}, {"name": "Colour"})

    ctx.db.run(translate)
    assert [rule.field for rule in plan_file(ctx, "sku,farbton\nA,Oat\n").rules] == ["sku", f"fact-{words['colour']}"]


def test_types_and_tax_classes_are_those_that_are_there(ctx):
    vocabulary.make(ctx, SYSTEM, "type", "Yarn")
    file = plan_file(ctx, "sku,name,product type\nA,A,yarn\nB,B,Yarns\n")
    assert "There is no type “Yarns”. There is Yarn." in reasons(ctx, file)[3]
    bring_in(ctx, "sku,name,product type\nA,A,yarn\n")
    assert of_sku(ctx, "A").values.type_id


def test_variants_of_a_product_that_lacks_a_code_are_added_by_giving_it_one(ctx, words):
    bring_in(ctx, YARN)
    fellside = of_sku(ctx, "FEL-HEA")
    saving.save(ctx, SYSTEM, fellside.id, saving.replace(fellside.values, code=""), None)
    bring_in(ctx, "product code,sku,colour\nFELL,FEL-HEA,\nFELL,FEL-PLU,Plum\n")
    now = of_sku(ctx, "FEL-PLU")
    assert (now.id, now.values.code) == (fellside.id, "FELL")
    assert variants


OWN = (
    "product code,sku,name,colour,price,name de,beschreibung (deutsch),description (de),price last skeins\n"
    "FEL,,Fellside,,9.80,Felsenhang,,<p>Weich</p>,\n"
    "FEL,FEL-HEA,,Heather,,Felsenhang,,,8.00\n"
    "FEL,FEL-OAT,,Oat,,,,,\n"
    "PEA,PEA-1,Peat,Oat,7.00,Torf,,,6.50\n"
)


def own(ctx):
    sql = """SELECT COALESCE(v.sku, p.code) AS of, o.destination, o.lang, o.field, o.value, o.source FROM own_value o
             LEFT JOIN product p ON o.kind = 'product' AND p.id = o.record_id
             LEFT JOIN variant v ON o.kind = 'variant' AND v.id = o.record_id WHERE o.kind IN ('product', 'variant')"""
    return {tuple(row.values()) for row in ctx.db.run(lambda tx: tx.all(sql))}


def test_words_for_a_language_and_amounts_for_a_destination_come_go_out_and_go_back(ctx, words):
    add_german(ctx)
    shop = f"s{add_outlet(ctx)}"
    file = plan_file(ctx, OWN)
    assert {"own-.de.name", "own-.de.description", f"own-{shop}..price"} <= {rule.field for rule in file.rules}
    assert reasons(ctx, file) == {}
    done = bring_in(ctx, OWN)
    assert own(ctx) == {
        ("FEL", "", "de", "name", "Felsenhang", "Fellside"),
        ("FEL", "", "de", "description", "<p>Weich</p>", ""),
        ("FEL-HEA", shop, "", "price", "8.00", None),
        ("PEA", "", "de", "name", "Torf", "Peat"),
        ("PEA", shop, "", "price", "6.50", None),
    }
    assert plan_file(ctx, OWN).row["counts"]["unchanged"] == 4
    for form in (Out.CSV, Out.XML):
        path = ctx.folder("t") / f"out.{form}"
        exporting.export(ctx, SYSTEM, path, form)
        again = plan_file(ctx, path.read_bytes(), name=path.name)
        assert (reasons(ctx, again), again.row["counts"]["unchanged"]) == ({}, 3)
        assert f"own-{shop}..price" in {rule.field for rule in again.rules}
    before = own(ctx)
    file = plan_file(ctx, "sku,name de,price last skeins\nPEA-1,Torfmoor,6.00\nFEL-HEA,Anders,\n")
    (changed,) = rows(ctx, file, "changed").values()
    assert (changed.before["own-.de.name"], changed.after[f"own-{shop}..price"]) == ("Torf", "6.00")
    assert "one of several variants" in reasons(ctx, file)[3]
    service.request_apply(ctx, SYSTEM, file.id, leave_out=True)
    work_off(ctx)
    assert ("PEA", "", "de", "name", "Torfmoor", "Peat") in own(ctx)
    newest = service.read(ctx, SYSTEM, file.id).row["change_set_id"]
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, newest))
    assert own(ctx) == before
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, done.row["change_set_id"]))
    assert own(ctx) == set()


def test_a_products_price_for_a_destination_goes_out_with_the_variants_that_have_it(ctx, words):
    shop = f"s{add_outlet(ctx)}"
    price = f"own-{shop}..price"
    bring_in(
        ctx,
        "product code,sku,name,colour,price,price last skeins\n"
        "FEL,,Fellside,,9.80,9.00\nFEL,FEL-HEA,,Heather,,8.00\nFEL,FEL-OAT,,Oat,,\nFEL,FEL-PIN,,Pine,11,\n",
    )
    there = {("FEL", shop, "", "price", "9.00", None), ("FEL-HEA", shop, "", "price", "8.00", None)}
    assert own(ctx) == there
    path = ctx.folder("t") / "out.csv"
    exporting.export(ctx, SYSTEM, path, Out.CSV)
    with path.open() as file:
        table = list(csv.DictReader(file))
    (header,) = (name for name in table[0] if name.startswith("price") and "last" in name.lower())
    out = {row["sku"]: row[header] for row in table}
    assert out == {"FEL-HEA": "8.00", "FEL-OAT": "9.00", "FEL-PIN": ""}, "a price of its own is nearer than that"
    again = plan_file(ctx, path.read_bytes(), name=path.name)
    assert (reasons(ctx, again), again.row["counts"]["unchanged"]) == ({}, 3)
    # With a price of its own for everywhere a variant would lose that of its product for there.
    dearer = plan_file(ctx, "sku,price,price last skeins\nFEL-OAT,12,9.00\n")
    assert rows(ctx, dearer, "changed")[2].after == {"price": "12.00", price: "9.00"}
    bring_in(ctx, "sku,price last skeins\nFEL-HEA,9.00\nFEL-PIN,9.00\n")
    assert own(ctx) == {("FEL", shop, "", "price", "9.00", None)} | {
        (sku, shop, "", "price", "9.00", None) for sku in ("FEL-HEA", "FEL-PIN")
    }


def test_an_empty_cell_takes_away_what_holds_for_a_language_where_that_is_chosen(ctx, words):
    add_german(ctx)
    bring_in(ctx, "sku,name,name de\nA-1,A,Aa\nB-1,B,Bb\n")
    file = plan_file(ctx, "sku,name de\nA-1,\nB-1,Bb\n")
    rules = [replace(rule, empty=Empty.CLEAR) if rule.field != "sku" else rule for rule in file.rules]
    service.request_plan(ctx, SYSTEM, file.id, rules)
    work_off(ctx)
    (changed,) = rows(ctx, service.read(ctx, SYSTEM, file.id), "changed").values()
    assert (changed.before, changed.after) == ({"own-.de.name": "Aa"}, {"own-.de.name": None})
    service.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    work_off(ctx)
    assert {row[4] for row in own(ctx)} == {"Bb"}


def test_an_empty_price_goes_back_to_that_of_the_product_and_leaves_nothing_live_without_one(ctx, words):
    bring_in(ctx, YARN, live=True)
    text = "product code,sku,price\nFEL,FEL-OAT,\nPEA,PEA-1,\n"
    file = plan_file(ctx, text)
    rules = [replace(one, empty=Empty.CLEAR) if one.field == "price" else one for one in file.rules]
    service.request_plan(ctx, SYSTEM, file.id, rules)
    work_off(ctx)
    (changed,) = planned_rows.rows_of(ctx, SYSTEM, service.read(ctx, SYSTEM, file.id), "changed").samples
    assert (changed.sku, changed.plan.before, changed.plan.after) == ("FEL-OAT", {"price": "10.20"}, {"price": None})
    assert reasons(ctx, service.read(ctx, SYSTEM, file.id))[3].startswith("These goods are live, and would have no")
    service.request_apply(ctx, SYSTEM, file.id, leave_out=True)
    work_off(ctx)
    there = catalogue(ctx)
    assert (there["FEL-OAT"][3], there["FEL-OAT"][10], there["PEA-1"][3]) == (None, D("9.80"), D("7.00"))


def test_what_stands_beside_declared_fields_is_read_by_columns_as_it_is_row_by_row(ctx, words, monkeypatch):
    add_german(ctx)
    add_outlet(ctx)
    loft = places.add(ctx, SYSTEM, "Loft")
    text = (
        "product code,sku,name,colour,needle,fibre,tags,name (de),price last skeins,stock loft,pictures\n"
        "A,A-1,Ay,Oat,4 mm,Wool | Silk,soft | warm,Ah,7.70,5,https://pictures.example/a.jpg | https://x.example/b.jpg\n"
        "A,A-2,Ay,Plum,4 mm,,,,,,\n"
        'B,B-1,Bee,"Oat",4.5 mm,"Bast\\o | ""Hemp""",soft,"B\tee",,0,\n'
        "C,C-1,Sea,Oat,thick,Wool,soft,,cheap,many,\n"
        "D,A-1,Dee,Oat,,,,,,,\n"
        ",E-1,Eve,,,,,,,,\n"
    )
    file = plan_file(ctx, text)
    assert {f"stock-{loft}", "tags", "pictures"} <= {rule.field for rule in file.rules}
    columns = "line, facts, own, counted, pictures, action, problems"

    def kept():
        rows = ctx.db.run(lambda tx: tx.all(f"SELECT {columns} FROM batch_row ORDER BY line"))
        # What is new is numbered as it is met.
        return [row | {"facts": re.sub(r"-\d+", "new", row["facts"] or "")} for row in rows]

    by_columns = kept()
    assert [row["line"] for row in by_columns if row["facts"] and row["own"] and row["counted"]] == [2, 4]
    monkeypatch.setattr(
        lines,
        "_block",
        lambda row, raws, reader, width: RowBlock.of([lines._read(row, one, reader, width) for one in raws]),
    )
    service.request_plan(ctx, SYSTEM, file.id, file.rules)
    work_off(ctx)
    assert kept() == by_columns
