"""What a file may do: only add, only change, be all there is; and goods found by their GTIN."""

import csv
import io
import re
from dataclasses import replace
from decimal import Decimal

import pytest

from graupel.core.attributes import AttributeKind
from graupel.core.errors import Refused
from graupel.core.handling import Handling, Key, Way
from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.core.tables import TableState
from graupel.features.categories import service as categories
from graupel.features.files import exporting, planned_rows, profiles, service, telling
from graupel.features.history import rolling_back
from graupel.features.products import saving, table
from graupel.features.products import service as products
from graupel.features.stock import places
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary.attributes import Definition
from graupel.tables.writing import Out
from tests.features.files.test_grouped import YARN, of_sku, reasons, words
from tests.making import add_german, add_outlet, bring_in, catalogue, make_product, outcome, plan_file, work_off
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser", "words"]
D = Decimal
FEL, NEW = "9520000000011", "9520000000028"


def handled(ctx, text, **handling):
    """A file after its dry run."""
    file = plan_file(ctx, text)
    service.request_plan(ctx, SYSTEM, file.id, file.rules, Handling(**handling))
    work_off(ctx)
    return service.read(ctx, SYSTEM, file.id)


def applied(ctx, file, confirmed=""):
    job = service.request_apply(ctx, SYSTEM, file.id, leave_out=False, confirmed=confirmed)
    work_off(ctx)
    assert outcome(ctx, job)[0] == "done"
    return service.read(ctx, SYSTEM, file.id)


def statuses(ctx):
    return {sku: (row[5], bool(row[12])) for sku, row in catalogue(ctx).items()}


@pytest.mark.parametrize(("way", "new", "changed"), [(Way.ADD, 1, 0), (Way.CHANGE, 0, 1), (Way.BOTH, 1, 1)])
def test_a_file_does_no_more_than_it_may(ctx, way, new, changed):
    make_product(ctx, "A-1")
    file = handled(ctx, "sku,name,price\nA-1,,5\nB-1,Bee,6\nC-1,,\n", way=way)
    counts = file.row["counts"]
    assert (counts["new"], counts["changed"]) == (new, changed)
    assert counts.get("skipped", 0) == {Way.ADD: 1, Way.CHANGE: 2, Way.BOTH: 0}[way]
    assert counts["refused"] == (0 if way is Way.CHANGE else 1), "what is left alone needs no name"


def test_a_file_that_only_adds_still_adds_variants_to_products(ctx, words):
    bring_in(ctx, YARN)
    text = "product code,sku,name,colour\nFEL,,Other name,\nFEL,FEL-HEA,,Plum\nFEL,FEL-PLU,,Plum\n"
    file = applied(ctx, handled(ctx, text, way=Way.ADD))
    assert (file.row["counts"]["new"], file.row["counts"]["skipped"]) == (1, 2)
    fellside = of_sku(ctx, "FEL-PLU")
    assert fellside.values.name == "Fellside"


def test_what_a_file_does_not_have_is_archived_when_it_is_all_there_is_and_that_number_is_said(ctx, words, browser):
    bring_in(ctx, YARN)
    make_product(ctx, "OLD-1")
    make_product(ctx, "GONE", status=Status.ARCHIVED)
    before = statuses(ctx)
    file = handled(ctx, "sku,price\nFEL-HEA,10\nPEA-1,7.00\n", way=Way.EQUAL)
    assert (file.row["counts"]["archived"], file.row["counts"]["changed"]) == (2, 1)
    page = browser.get(f"/files/{file.id}").text
    assert "Type 2 to say that you have seen it" in page
    assert all(text in page for text in ("<code>OLD-1</code>", "this variant alone", "Bring in 1 product, archive 2"))
    for wrong in ("", "3", "two"):
        with pytest.raises(Refused, match="would archive 2"):
            service.request_apply(ctx, SYSTEM, file.id, leave_out=False, confirmed=wrong)
    done = applied(ctx, file, "2")
    assert statuses(ctx) == before | {"OLD-1": ("archived", False), "FEL-OAT": ("draft", True)}
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, done.row["change_set_id"]))
    assert statuses(ctx) == before


def test_all_there_is_of_a_branch_or_a_brand_leaves_other_goods_alone(ctx):
    for sku, path, brand in (("A", "Yarn > Aran", "Carrow"), ("B", "Yarn > Lace", "Peat"), ("C", "Notions", "Carrow")):
        make_product(ctx, sku, category=path, brand=brand)
    yarn = next(one.id for one in categories.read_tree(ctx) if one.path == "Yarn")
    brand = ctx.db.run(lambda tx: tx.value("SELECT id FROM brand WHERE name = 'Carrow'"))
    of = {among: _archived(ctx, among) for among in ("", f"category-{yarn}", f"brand-{brand}")}
    assert of == {"": {"B", "C"}, f"category-{yarn}": {"B"}, f"brand-{brand}": {"C"}}


def _archived(ctx, among):
    file = handled(ctx, "sku,price\nA,9.80\n", way=Way.EQUAL, among=among)
    return {one.sku for one in planned_rows.rows_of(ctx, SYSTEM, file, "archived").gone}


def test_nothing_is_archived_that_was_changed_meanwhile_or_while_a_row_is_refused(ctx):
    make_product(ctx, "A")
    other = make_product(ctx, "B")
    file = handled(ctx, "sku,price\nA,lots\n", way=Way.EQUAL)
    with pytest.raises(Refused, match="Correct the file first"):
        service.request_apply(ctx, SYSTEM, file.id, leave_out=True, confirmed="1")
    file = handled(ctx, "sku,price\nA,5\n", way=Way.EQUAL)
    values = products.read(ctx, SYSTEM, other).values
    saving.save(ctx, SYSTEM, other, saving.replace(values, name="Meanwhile"), None)
    applied(ctx, file, "1")
    assert statuses(ctx)["B"] == ("live", False)


def test_goods_are_found_by_their_gtin(ctx):
    for number, gtin in enumerate((FEL, "9520000000035", "9520000000035"), start=1):
        make_product(ctx, f"A-{number}", gtin=gtin)
    text = (
        f"gtin,sku,name,price\n{FEL},,,5\n{FEL},,,6\n9520000000035,,,5\n{NEW},,Nameless,5\n{NEW.replace('28', '42')}"
        f",N-1,New,5\n,,Nothing,5\n9520000000059,A-1,,5\n"
    )
    file = handled(ctx, text, key_by=Key.GTIN)
    found = reasons(ctx, file)
    assert {line: message[:34] for line, message in found.items()} == {
        3: "The GTIN 9520000000011 stands in l", 4: "2 variants have the GTIN 952000000",
        5: "No variant has the GTIN 9520000000", 7: "This row says no GTIN, by which go",
        8: "No variant has the GTIN 9520000000",
    }  # fmt: skip
    service.request_apply(ctx, SYSTEM, file.id, leave_out=True)
    work_off(ctx)
    there = catalogue(ctx)
    assert (there["A-1"][3], there["N-1"][7]) == (D("5.00"), "9520000000042")
    no_gtin = plan_file(ctx, "sku,price\nA-1,5\n")
    with pytest.raises(Refused, match="which column holds the GTIN"):
        service.request_plan(ctx, SYSTEM, no_gtin.id, no_gtin.rules, Handling(key_by=Key.GTIN))


def test_each_variant_is_found_by_the_id_that_another_system_knows_it_by(ctx):
    attributes.make(ctx, SYSTEM, Definition("Size", AttributeKind.ONE_CHOICE, choices=["S", "L"]))
    text = "product code,sku,name,size,price,id elsewhere\nA,A-S,Ay,S,5.00,100-s\nA,A-L,Ay,L,5.00,100-l\n"
    bring_in(ctx, text + "B,B-1,Bee,,5.00,100-L\n")
    assert plan_file(ctx, text).row["counts"]["unchanged"] == 2
    file = handled(ctx, "external id,price\n100-S,6.00\n100-l,7.00\n200,8.00\n", key_by=Key.ELSEWHERE)
    assert reasons(ctx, file) == {
        3: "2 variants have the id elsewhere 100-l. Find goods by their SKU, or mend these first.",
        4: "No variant has the id elsewhere 200. A new one needs a SKU.",
    }
    service.request_apply(ctx, SYSTEM, file.id, leave_out=True)
    work_off(ctx)
    assert {sku: row[3] for sku, row in catalogue(ctx).items()} == {
        "A-S": D("6.00"), "A-L": D("5.00"), "B-1": D("5.00"),
    }  # fmt: skip


def test_a_profile_keeps_what_a_file_may_do(ctx):
    make_product(ctx, "A", gtin=FEL)
    file = handled(ctx, "gtin,price\n" + FEL + ",5\n", way=Way.CHANGE, key_by=Key.GTIN)
    profiles.keep(ctx, SYSTEM, file.id, "Prices of Carrow Mill")
    again = plan_file(ctx, "gtin,price\n" + FEL + ",6\n" + NEW + ",7\n")
    assert Handling.of(again.row) == Handling(way=Way.CHANGE, key_by=Key.GTIN)
    assert (again.row["counts"]["changed"], again.row["counts"]["skipped"]) == (1, 1)


def test_the_goods_of_a_file_are_a_view_of_the_table_to_put_live_or_change_at_once(ctx, browser):
    make_product(ctx, "OLD", name="Old")
    make_product(ctx, "A-1", name="Fellside aran")
    file = bring_in(ctx, "sku,name,price\nA-1,,5\nB-1,Bee aran,6\n")
    change_set_id = file.row["change_set_id"]
    address = f"/products?touched={change_set_id}"
    assert address in browser.get(f"/files/{file.id}").text
    assert address in browser.get(f"/history/{change_set_id}").text
    page = browser.get(address).text
    assert "2 products" in page
    assert "touched by “File brought in: goods.csv”" in page
    assert "1 product<" in browser.get(f"{address}&q=bee").text
    state = TableState.read({"touched": [str(change_set_id)], "q": ["aran"]})
    assert state.query() == f"q=aran&touched={change_set_id}"
    ids = ctx.db.run(lambda tx: table.matching(ctx, tx, state))
    assert len(ids) == 2
    gone = browser.get("/products?touched=999999")
    assert (gone.status_code, "0 products" in gone.text) == (200, True)
    assert browser.get("/products?touched=nonsense").status_code == 200


def test_stock_is_counted_at_each_location_and_goes_out_by_location(ctx):
    make_product(ctx, "A-1", stock=7)
    make_product(ctx, "B-1", stock=3)
    loft = places.add(ctx, SYSTEM, "Loft")
    text = "sku,stock,bestand loft\nA-1,7,5\nB-1,4,\n"
    file = plan_file(ctx, text)
    assert file.row["overview"]["fields"] == {"stock": 1, f"stock-{loft}": 1}
    shown = {one.line: (one.plan.before, one.plan.after) for one in planned_rows.rows_of(ctx, SYSTEM, file).samples}
    assert shown == {2: ({f"stock-{loft}": "0"}, {f"stock-{loft}": "5"}), 3: ({"stock": "3.00"}, {"stock": "4.00"})}
    versions = ctx.db.run(lambda tx: [row["version"] for row in tx.all("SELECT version FROM product ORDER BY id")])
    done = bring_in(ctx, text)
    assert {sku: row[11] for sku, row in catalogue(ctx).items()} == {"A-1": D(12), "B-1": D(4)}
    now = ctx.db.run(lambda tx: [row["version"] for row in tx.all("SELECT version FROM product ORDER BY id")])
    assert now == versions, "stock moves no version"
    exporting.export(ctx, SYSTEM, ctx.folder("t") / "out.csv", Out.CSV, ["sku", "stock", f"stock-{loft}"])
    out = (ctx.folder("t") / "out.csv").read_bytes().decode("utf-8-sig").splitlines()
    assert out == ["sku,stock,stock (loft)", "A-1,7,5", "B-1,4,0"]
    assert plan_file(ctx, "\n".join(out)).row["counts"]["unchanged"] == 2
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, done.row["change_set_id"]))
    assert {sku: row[11] for sku, row in catalogue(ctx).items()} == {"A-1": D(7), "B-1": D(3)}


def test_names_that_differ_by_case_alone_are_told_apart(ctx):
    for sku, brand in (("A-1", "Ambry Wool"), ("B-1", "Ambry wool")):
        make_product(ctx, sku)
        ctx.db.run(lambda tx, brand=brand, sku=sku: _give(tx, brand, sku))
    file = plan_file(ctx, "sku,brand\nA-1,Ambry Wool\nB-1,Ambry wool\n")
    assert file.row["counts"]["unchanged"] == 2


def _give(tx, brand, sku):
    brand_id = tx.insert("INSERT INTO brand (name) VALUES (%s)", [brand])
    tx.run(
        "UPDATE product p JOIN variant v ON v.product_id = p.id SET p.brand_id = %s WHERE v.sku = %s", [brand_id, sku]
    )


def test_who_waited_long_for_a_file_is_told_by_mail_how_it_ended(ctx, editor, monkeypatch):
    mailing = {"smtp_host": "127.0.0.1", "smtp_port": 1, "mail_from": "shop@skeinwright.example"}
    told = replace(ctx, settings=ctx.settings.model_copy(update=mailing))
    written = []
    monkeypatch.setattr(
        telling.mail, "send", lambda settings, to, subject, text, key: written.append((to, subject, text))
    )
    file = plan_file(told, "sku,name\nA-1,A\nA-2,B\n")
    make_product(ctx, "A-2")

    def bring_in_after(seconds):
        job = service.request_apply(told, editor, file.id, leave_out=False)
        ctx.db.run(
            lambda tx: tx.run("UPDATE job SET made_at = made_at - INTERVAL %s SECOND WHERE id = %s", [seconds, job])
        )
        work_off(told)

    bring_in_after(telling.LONG_SECONDS + 5)
    ((to, subject, text),) = written
    assert (to, subject) == (["editor@skeinwright.example"], "A file was brought in: goods.csv")
    assert "1 made, 0 changed. 1 row left out" in text
    assert f"/files/{file.id}" in text
    file = plan_file(told, "sku,name\nB-1,B\n")
    bring_in_after(0)
    assert len(written) == 1, "who stays for it sees it"
    file = plan_file(told, "sku,name\nC-1,C\n")
    ctx.db.run(lambda tx: tx.run("UPDATE import_file SET state = 'planned' WHERE id = %s", [file.id]))
    job = service.request_apply(told, editor, file.id, leave_out=False)
    ctx.db.run(lambda tx: tx.run("UPDATE import_file SET state = 'applied' WHERE id = %s", [file.id]))
    ctx.db.run(lambda tx: tx.run("UPDATE job SET made_at = made_at - INTERVAL 1 HOUR WHERE id = %s", [job]))
    work_off(told)
    assert written[1][1] == "A file was not brought in: goods.csv"
    assert "brought in already" in written[1][2]


def test_what_a_file_did_goes_out_field_by_field(ctx, browser):
    make_product(ctx, "A-1", name="=Fellside", price=D("9.80"))
    file = bring_in(ctx, "sku,name,price\nA-1,,5\nB-1,Bee,6\n")
    address = f"/history/{file.row['change_set_id']}/changes.csv"
    assert address in browser.get(f"/files/{file.id}").text
    answer = browser.get(address)
    found = list(csv.reader(io.StringIO(answer.content.decode("utf-8-sig"))))
    assert found[0] == ["record", "name", "what happened", "field", "before", "after"]
    assert ["Variant", "A-1", "changed", "Price", "9.80", "5.00"] in found
    assert any(row[0] == "Product" and row[2:4] == ["made", "Name"] and row[5] == "Bee" for row in found)
    assert browser.get("/history/999999/changes.csv").status_code == 404


def test_no_variant_that_would_be_archived_falls_between_two_pages(ctx, words, monkeypatch):
    bring_in(ctx, YARN + "FEL,FEL-PLU,,Plum,,,,,\nFEL,FEL-SKY,,Sky,,,,,\n")
    monkeypatch.setattr(planned_rows, "SHOWN_ROWS", 2)
    file = handled(ctx, "sku,price\nPEA-1,7.00\nFEL-HEA,9.80\n", way=Way.EQUAL)
    first = planned_rows.rows_of(ctx, SYSTEM, file, "archived")
    later = planned_rows.rows_of(ctx, SYSTEM, file, "archived", after=first.next)
    assert [one.sku for one in (*first.gone, *later.gone)] == ["FEL-OAT", "FEL-PLU", "FEL-SKY"]
    assert later.next is None


def test_a_file_says_which_goods_are_shown_and_shows_none_that_lack_something(ctx):
    make_product(ctx, "A-1", status=Status.DRAFT)
    make_product(ctx, "B-1", status=Status.DRAFT, price=None)
    make_product(ctx, "C-1", status=Status.DRAFT, category=None)
    make_product(ctx, "D-1")
    text = (
        "sku,name,price,category,status\n"
        "A-1,,,,Live\nB-1,,7,,live\nC-1,,,,live\nD-1,,,,archived\n"
        "N-1,New,3,Yarn,live\nN-2,New,,Yarn,live\nN-3,New,,,draft\nN-4,New,4,Yarn,sold\n"
    )
    file = plan_file(ctx, text)
    counts = file.row["counts"]
    assert (counts["new"], counts["changed"], counts["refused"]) == (2, 3, 3)
    refused = {one.line: one.plan.problems[0] for one in planned_rows.rows_of(ctx, SYSTEM, file, "refused").samples}
    assert {line: problem.field for line, problem in refused.items()} == {4: "category", 7: "price", 9: "status"}
    done = bring_in(ctx, text, leave_out=True)
    stand = {sku: row[5] for sku, row in catalogue(ctx).items()}
    assert stand == {"A-1": "live", "B-1": "live", "C-1": "draft", "D-1": "archived", "N-1": "live", "N-3": "draft"}
    was_live = ctx.db.run(lambda tx: tx.all("SELECT was_live FROM product ORDER BY id"))
    assert [row["was_live"] for row in was_live] == [1, 1, 0, 1, 1, 0]
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, done.row["change_set_id"]))
    back = {sku: row[5] for sku, row in catalogue(ctx).items()}
    assert {sku: back[sku] for sku in ("A-1", "B-1", "C-1", "D-1")} == {
        "A-1": "draft",
        "B-1": "draft",
        "C-1": "draft",
        "D-1": "live",
    }
    assert (back["N-1"], "N-3" in back) == ("archived", False), "what buyers saw is kept, and archived"


def test_a_product_of_several_variants_is_shown_once_each_has_a_price(ctx):
    attributes.make(ctx, SYSTEM, Definition("Colour", AttributeKind.COLOUR, choices=["Heather", "Oat"]))
    bring_in(ctx, "product code,sku,name,colour,price,category\nF,F-H,Fell,Heather,9,Yarn\nF,F-O,Fell,Oat,,Yarn\n")
    refused = plan_file(ctx, "product code,status\nF,live\n")
    (row,) = planned_rows.rows_of(ctx, SYSTEM, refused, "refused").samples
    assert "One variant has no price" in row.plan.problems[0].message
    shown = bring_in(ctx, "product code,sku,price,status\nF,,,live\nF,F-O,10,\n")
    assert shown.row["counts"]["refused"] == 0
    assert {row[5] for row in catalogue(ctx).values()} == {"live"}


def test_part_numbers_stand_with_the_product_or_where_it_varies_with_each_variant(ctx):
    attributes.make(ctx, SYSTEM, Definition("Colour", AttributeKind.COLOUR, choices=["Heather", "Oat"]))
    make_product(ctx, "A-1")
    text = (
        "product code,sku,part number,name,colour,price\n"
        ",A-1,a-100,,,\nN,N-1,N100,New,,5\nF,,F100,Fell,,9\nF,F-H,F100-H,,Heather,\nF,F-O,,,Oat,\n"
    )
    file = bring_in(ctx, text)
    assert (file.row["counts"]["refused"], file.row["counts"]["odd"]) == (0, 1), "a product that varies has none"

    def held():
        sql = "SELECT v.sku, p.mpn, v.mpn AS own FROM variant v JOIN product p ON p.id = v.product_id"
        return {row["sku"]: (row["mpn"], row["own"]) for row in ctx.db.run(lambda tx: tx.all(sql))}

    assert held() == {"A-1": ("a-100", ""), "N-1": ("N100", ""), "F-H": ("", "F100-H"), "F-O": ("", "")}
    changed = bring_in(ctx, "sku,mpn\nA-1,A-100\nF-O,F100-O\nN-1,N100\n")
    assert changed.row["counts"]["changed"] == 2
    assert (held()["A-1"], held()["F-O"]) == (("A-100", ""), ("", "F100-O"))
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, changed.row["change_set_id"]))
    assert (held()["A-1"], held()["F-O"]) == (("a-100", ""), ("", ""))
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, file.row["change_set_id"]))
    assert held() == {"A-1": ("", "")}


def test_goods_are_found_by_their_part_number_and_by_what_another_system_calls_them(ctx):
    erp = attributes.make(ctx, SYSTEM, Definition("ERP number", AttributeKind.SHORT_TEXT)).id
    bring_in(ctx, "sku,name,price,part number,erp number\nA-1,Aran,9,CM-1,0815\nA-2,Bee,9,CM-2,0816\nA-3,Cee,9,CM-2,\n")
    by_number = handled(ctx, "part number,price\ncm-1,5\nCM-2,5\nCM-3,5\n", key_by=Key.MPN)
    assert reasons(ctx, by_number) == {
        3: "2 variants have the part number CM-2. Find goods by their SKU, or mend these first.",
        4: "No variant has the part number CM-3. A new one needs a SKU.",
    }
    assert by_number.row["key_by"] == plan_file(ctx, "part number,price\nCM-1,4\n").row["key_by"], "it is guessed"
    by_erp = handled(ctx, "erp number,sku,name,price\n0816,,,6\n0817,A-4,Dee,7\n", key_by=f"fact-{erp}")
    assert (by_erp.row["counts"]["changed"], by_erp.row["counts"]["new"]) == (1, 1)
    applied(ctx, by_erp)
    there = catalogue(ctx)
    assert (there["A-2"][3], there["A-4"][3]) == (D("6.00"), D("7.00"))
    with pytest.raises(Refused, match="which column holds the ERP number"):
        service.request_plan(ctx, SYSTEM, by_number.id, by_number.rules, Handling(key_by=f"fact-{erp}"))


def test_variants_are_found_by_the_code_of_their_product_and_their_choices(ctx, words):
    attributes.make(ctx, SYSTEM, Definition("Size", AttributeKind.ONE_CHOICE, choices=["S", "M"]))
    head = "product code,sku,name,colour,size,price\n"
    bring_in(ctx, head + "FEL,HS,Fellside,Heather,S,9\nFEL,HM,,Heather,M,9\nFEL,OS,,Oat,S,9\n")
    text = (
        "product code,colour,size,price\nFEL,Heather,S,7\nFEL,heather,M,8\nFEL,Heather,S,9\nFEL,Heather,,9\n"
        "FEL,Mauve,S,9\nFEL,,,12\n"
    )
    file = handled(ctx, text, key_by=Key.CHOICES)
    assert {line: message[:30] for line, message in reasons(ctx, file).items()} == {
        4: "Line 2 means the same variant,",
        5: "Not all is said that the varia",
        6: "No variant of FEL has these ch",
    }
    service.request_apply(ctx, SYSTEM, file.id, leave_out=True)
    work_off(ctx)
    there = catalogue(ctx)
    assert {sku: str(row[3]) for sku, row in there.items()} == {"HS": "7.00", "HM": "8.00", "OS": "9.00"}
    assert there["OS"][10] == D("12.00"), "the row that says no choice speaks of the product"


def test_a_file_is_said_to_be_for_one_shop_and_in_one_language(ctx, browser):
    add_german(ctx)
    shop = f"s{add_outlet(ctx)}"
    make_product(ctx, "A-1", name="Wool", price=D(9))
    table = b"sku,name,name (de),price,list price,weight\nA-1,Wool,Wolle,8.00,,50 g\n"
    address = browser.write("/files", files={"file": ("outlet.csv", table)}).headers["location"]
    assert "Its prices are for" in browser.get(address).text
    file_id = int(address.rpartition("/")[2])
    assert browser.write(f"{address}/held-for", {"destination": shop, "lang": "de"}).status_code == 303
    fields = [rule.field for rule in service.read(ctx, SYSTEM, file_id).rules]
    # Two columns say the name, each in its language: they stay.
    own = [f"own-{shop}..price", f"own-{shop}..list_price"]
    assert fields == ["sku", "name", "own-.de.name", *own, "weight_g"]
    work_off(ctx)
    page = browser.get(address).text
    assert re.search(rf'value="{shop}" selected>Last Skeins alone', page)
    browser.write(f"{address}/apply", {})
    work_off(ctx)
    held = ctx.db.run(lambda tx: tx.value("SELECT value FROM own_value WHERE destination = %s", [shop]))
    assert (held, catalogue(ctx)["A-1"][3]) == ("8.00", D(9))
    next_one = browser.write("/files", files={"file": ("n.csv", b"sku,price\nA-1,9.50\n")}).headers["location"]
    said = service.read(ctx, SYSTEM, int(next_one.rpartition("/")[2])).rules[1].field
    assert said == "price", "the next file is for no shop alone"
    lone = browser.write("/files", files={"file": ("b.csv", b"sku,short text\nA-1,Weich\n")}).headers["location"]
    assert browser.write(f"{lone}/held-for", {"lang": "de"}).status_code == 303
    assert service.read(ctx, SYSTEM, int(lone.rpartition("/")[2])).rules[1].field == "own-.de.short_text"
    assert browser.write(f"{lone}/held-for", {"lang": ""}).status_code == 303
    assert service.read(ctx, SYSTEM, int(lone.rpartition("/")[2])).rules[1].field == "short_text"
    weights = browser.write("/files", files={"file": ("c.csv", b"sku,weight\nA-1,60\n")}).headers["location"]
    refused = browser.write(f"{weights}/held-for", {"destination": shop})
    assert "No column of this file can be for that alone" in refused.text


def test_a_file_that_was_rolled_back_is_brought_in_again_with_its_archived_goods_for_sale(ctx, browser):
    attributes.make(ctx, SYSTEM, Definition("Size", AttributeKind.ONE_CHOICE, choices=["S", "L"]))
    bring_in(
        ctx, "product code,sku,name,size,price,category\nV,V-S,Vee,S,5.00,Yarn\nV,V-L,Vee,L,5.00,Yarn\n", live=True
    )
    text = (
        "product code,sku,name,size,price,category\nA,A-S,Ay,S,5.00,Yarn\nA,A-L,Ay,L,5.00,Yarn\n"
        "V,V-M,,M,5.00,\n,B-1,Bee,,6.00,Yarn\n"
    )
    first = bring_in(ctx, text, live=True)
    archive = "UPDATE variant SET archived = TRUE WHERE sku = 'V-M'"
    ctx.db.run(lambda tx: tx.run(archive))  # as a roll back leaves one that holds something
    for sku in ("A-S", "B-1"):
        product = of_sku(ctx, sku)
        saving.save(ctx, SYSTEM, product.id, saving.replace(product.values, status=Status.ARCHIVED), None)
    again = plan_file(ctx, text.replace("Bee", "Bea"), live=True)
    assert again.row["counts"] | {"changed": 1, "unchanged": 3, "asleep": 4, "new": 0} == again.row["counts"]
    odd = planned_rows.rows_of(ctx, SYSTEM, again, "odd").samples
    assert [one.odd_words for one in odd] == [["It is archived, and stays so"]]
    page = browser.get(f"/files/{again.id}").text
    assert "4 rows are of archived goods, which stay archived" in page
    assert browser.write(f"/files/{again.id}/revive").status_code == 303
    work_off(ctx)
    file = service.read(ctx, SYSTEM, again.id)
    assert file.row["counts"] | {"changed": 3, "asleep": 0, "products": 3} == file.row["counts"]
    told = {
        one.line: one.plan.after.get("status") for one in planned_rows.rows_of(ctx, SYSTEM, file, "changed").samples
    }
    assert told == {2: "live", 4: "live", 5: "live"}
    page = browser.get(f"/files/{file.id}").text
    assert ("stay archived:" in page, '<option value="again" selected>' in page) == (False, True)
    applied(ctx, file)
    assert {one: statuses(ctx)[one] for one in ("A-S", "A-L", "V-M", "B-1")} == dict.fromkeys(
        ("A-S", "A-L", "V-M", "B-1"), ("live", False)
    )
    done = service.read(ctx, SYSTEM, file.id)
    assert done.row["counts"]["changed"] == 3
    told = planned_rows.rows_of(ctx, SYSTEM, done, "changed").samples
    assert {one.line: (one.plan.before["status"], one.plan.after["status"]) for one in told} == dict.fromkeys(
        (2, 4, 5), ("archived", "live")
    )
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, done.row["change_set_id"]))
    assert {statuses(ctx)[one] for one in ("A-S", "B-1")} == {("archived", False)}
    assert statuses(ctx)["V-M"] == ("live", True)
    assert first.id != file.id


def test_a_file_that_was_rolled_back_is_looked_at_again_by_one_press(ctx, browser):
    file = bring_in(ctx, "sku,name,price\nA-1,Ay,5.00\n")
    with pytest.raises(Refused, match="No row of this file was left out"):
        service.request_again(ctx, SYSTEM, file.id)
    assert "Make its dry run again" not in browser.get(f"/files/{file.id}").text
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, file.row["change_set_id"]))
    assert "Make its dry run again" in browser.get(f"/files/{file.id}").text
    address = browser.write(f"/files/{file.id}/again").headers["location"]
    work_off(ctx)
    again = service.read(ctx, SYSTEM, int(address.rpartition("/")[2]))
    assert (again.row["counts"]["new"], again.row["counts"]["refused"]) == (1, 0)
    applied(ctx, again)
    assert set(catalogue(ctx)) == {"A-1"}


def test_one_variant_of_an_archived_product_wakes_it_by_its_code_alone(ctx):
    attributes.make(ctx, SYSTEM, Definition("Size", AttributeKind.ONE_CHOICE, choices=["S", "L"]))
    bring_in(
        ctx, "product code,sku,name,size,price,category\nV,V-S,Vee,S,5.00,Yarn\nV,V-L,Vee,L,5.00,Yarn\n", live=True
    )
    product = of_sku(ctx, "V-S")
    saving.save(ctx, SYSTEM, product.id, saving.replace(product.values, status=Status.ARCHIVED), None)
    file = handled(ctx, "sku,price\nV-S,6.00\n", revive=True)
    assert (reasons(ctx, file), file.row["counts"]["asleep"]) == ({}, 1)
    applied(ctx, file)
    assert statuses(ctx)["V-S"] == ("archived", False)
