"""A file on its way in: dry run, applying whole or not at all, roll back."""

import csv
import html
import io
from datetime import date
from decimal import Decimal

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from graupel.core.columns import Rule
from graupel.core.errors import Refused
from graupel.core.file_columns import ROW_FIELDS
from graupel.core.handling import Handling
from graupel.core.imports import Action, FileRow, jumps, plan_row
from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.core.row_blocks import RowBlock
from graupel.db import Tx
from graupel.features.categories import deleting
from graupel.features.categories import service as categories
from graupel.features.files import exporting, lines, planned_rows, results, service
from graupel.features.history import rolling_back
from graupel.features.history import service as history
from graupel.features.products import many, saving, summary
from graupel.features.products.batch import applying, doubled, numbering, planned, planning, taking_in
from graupel.features.products.batch.spoken import OF_VARIANT, held_sql, spoken
from graupel.features.vocabulary import service as vocabulary
from graupel.tables.shapes import Shape
from graupel.tables.text import rows as text_rows
from graupel.tables.writing import Out
from tests.making import bring_in, catalogue, make_product, outcome, plan_file, set_status, work_off
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser"]

HEADER = "sku,name,price,weight,category,description\n"


def refused_rows(ctx, file_id):
    return results.write(ctx, SYSTEM, file_id, Out.CSV, refused=True).read_text()


def test_a_dry_run_tells_new_changed_unchanged_and_refused_apart_and_writes_nothing(ctx):
    make_product(ctx, "FEL-1", name="Fellside", price=Decimal("9.80"), weight_g=100)
    make_product(ctx, "FEL-2", name="Other")
    before = catalogue(ctx)
    file = plan_file(
        ctx,
        HEADER
        + (
            'FEL-1,,"10,20",,Yarn > Lace,\nFEL-2,Other,9.80,100 g,Aran,\nNEW-1,New yarn,5,50,Yarn > Chunky,Soft.\n'
            "NEW-2,,5,,,\nFEL-1,Twice,,,,\nFEL-🧶,Emoji,1,,,\nFEL-9,Dear,lots,much,,\n"
        ),
    )
    assert catalogue(ctx) == before
    actions = {"new": 1, "changed": 1, "unchanged": 1, "refused": 4}
    assert {**actions, "odd": 0, "categories": 2, "products": 2}.items() <= file.row["counts"].items()
    shown = {action: planned_rows.rows_of(ctx, SYSTEM, file, action).samples for action in Action}
    (changed,) = shown[Action.CHANGED]
    assert changed.plan.before == {"price": "9.80", "category": "Yarn > Aran"}
    assert changed.plan.after == {"price": "10.20", "category": "Yarn > Lace"}
    reasons = {sample.line: " ".join(p.message for p in sample.plan.problems) for sample in shown[Action.REFUSED]}
    assert "needs a name" in reasons[5]
    assert "line 2 already" in reasons[6]
    assert "can't hold “🧶”" in reasons[7]
    assert "not a price" in reasons[8]
    assert "not a weight" in reasons[8]


def test_goods_stay_in_their_tree_when_they_go_out_and_come_in_again(ctx, tmp_path):
    make_product(ctx, "FEL-1", category="Yarn")
    make_product(ctx, "FEL-2", category="Foot of the page: Yarn")
    before = catalogue(ctx)
    assert [c.path for c in categories.read_tree(ctx)] == ["Main navigation: Yarn", "Foot of the page: Yarn"]
    exporting.export(ctx, SYSTEM, tmp_path / "out.csv")
    file = plan_file(ctx, (tmp_path / "out.csv").read_text())
    assert (file.row["counts"]["unchanged"], file.row["counts"]["changed"]) == (2, 0)
    # A path that both trees have says nothing; one that names the other tree is a change, and shown as one.
    file = plan_file(
        ctx, HEADER + "FEL-1,,,,Yarn,\nFEL-2,,,,main navigation: Yarn,\nNEW-1,New,1,,Foot of the page: Help,\n"
    )
    shown = {action: planned_rows.rows_of(ctx, SYSTEM, file, action).samples for action in Action}
    (refused,) = shown[Action.REFUSED]
    assert "Write “Main navigation: Yarn” or “Foot of the page: Yarn”" in refused.plan.problems[0].message
    (changed,) = shown[Action.CHANGED]
    assert (changed.plan.before["category"], changed.plan.after["category"]) == (
        "Foot of the page: Yarn",
        "Main navigation: Yarn",
    )
    assert catalogue(ctx) == before
    bring_in(ctx, HEADER + "NEW-1,New,1,,Foot of the page: Help > Delivery,\n")
    tree = categories.read_tree(ctx)
    assert [tree.trees[one.tree_id] for one in tree if one.name == "Delivery"] == ["Foot of the page"]


def test_a_file_is_brought_in_as_one_change_set_and_rolled_back_from_it(ctx):
    make_product(ctx, "FEL-1", name="Fellside", description='<p>Old "text" \\ with\nodd signs 🧶</p>')
    before = catalogue(ctx)
    tree = [c.path for c in categories.read_tree(ctx)]
    file = bring_in(
        ctx,
        HEADER
        + 'FEL-1,Fellside new,11.00,,Yarn > Lace,Changed.\nNEW-1,New yarn,"5,5",50 g,Yarn > Lace,\nNEW-2,Plain,,,,\n',
    )
    after = catalogue(ctx)
    assert after["NEW-1"][3:6] == (Decimal("5.50"), 50, "draft")
    assert after["FEL-1"][1:4] == ("Fellside new", "<p>Changed.</p>", Decimal("11.00"))
    detail = history.read(ctx, SYSTEM, file.row["change_set_id"])
    assert {(row.record_kind, row.made, row.changed) for row in detail.counts} == {
        ("product", 2, 1),
        ("variant", 2, 1),
        ("category", 1, 0),
    }
    plan = rolling_back.plan(ctx, SYSTEM, file.row["change_set_id"])
    assert (plan.back, plan.stay) == (7, 0)
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, file.row["change_set_id"]))
    assert catalogue(ctx) == before
    assert [c.path for c in categories.read_tree(ctx)] == tree


def test_products_that_came_in_live_are_archived_by_a_roll_back_and_not_deleted(ctx):
    file = bring_in(ctx, HEADER + "NEW-1,New yarn,5,50,Yarn,\n", live=True)
    assert catalogue(ctx)["NEW-1"][5] == "live"
    plan = rolling_back.plan(ctx, SYSTEM, file.row["change_set_id"])
    assert plan.back == 1
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, file.row["change_set_id"]))
    assert catalogue(ctx)["NEW-1"][5] == "archived"


def test_a_product_changed_since_it_came_in_stays_when_the_file_is_rolled_back(ctx):
    file = bring_in(ctx, HEADER + "NEW-1,New yarn,5,50,,\nNEW-2,Other yarn,5,50,,\n")
    product = many.list_after(ctx, SYSTEM, after=0, limit=1)[0]
    set_status(ctx, product.id, Status.ARCHIVED)
    assert rolling_back.plan(ctx, SYSTEM, file.row["change_set_id"]).stay == 2  # product and variant
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, file.row["change_set_id"]))
    assert set(catalogue(ctx)) == {"NEW-1"}


def test_one_refused_row_refuses_the_whole_unless_it_is_left_out_on_purpose(ctx):
    file = plan_file(ctx, HEADER + "NEW-1,New yarn,5,,,\nNEW-2,,5,,,\n")
    with pytest.raises(Refused, match=r"Refused rows: 1\. Correct the file"):
        service.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    service.request_apply(ctx, SYSTEM, file.id, leave_out=True)
    work_off(ctx)
    assert set(catalogue(ctx)) == {"NEW-1"}
    rows = list(csv.reader(io.StringIO(refused_rows(ctx, file.id))))
    assert rows[1][0] == "3"
    assert "needs a name" in rows[1][1]
    assert rows[1][2] == "NEW-2"


def test_what_changed_since_the_dry_run_is_left_out_named_and_looked_at_again(ctx, browser):
    changed, gone = make_product(ctx, "FEL-1", name="Fellside"), make_product(ctx, "FEL-2", status=Status.DRAFT)
    make_product(ctx, "FEL-3")
    text = "FEL-1,,5,,,\nFEL-2,,5,,,\nFEL-3,,5,,,\nNEW-1,New,,,,\nNEW-2,New,,,,\n"
    file = plan_file(ctx, HEADER + text)
    set_status(ctx, changed, Status.DRAFT)
    saving.delete(ctx, SYSTEM, gone)
    make_product(ctx, "new-1")
    state, said = outcome(ctx, _applied(ctx, file))
    assert (state, said) == ("done", "1 made, 1 changed. 3 rows left out: changed since the dry run.")
    there = catalogue(ctx)
    assert (there["FEL-1"][3], there["FEL-3"][3], "NEW-2" in there) == (Decimal("9.80"), Decimal("5.00"), True)
    page = browser.get(f"/files/{file.id}").text
    assert "3 rows were left out" in page
    assert all(f"<code>{sku}</code>" in page for sku in ("FEL-1", "FEL-2", "NEW-1"))
    again = service.read(ctx, SYSTEM, service.request_again(ctx, SYSTEM, file.id))
    work_off(ctx)
    counts = service.read(ctx, SYSTEM, again.id).row["counts"]
    assert (counts["changed"], counts["refused"], counts["new"]) == (2, 1, 0)  # FEL-2 is gone, NEW-1 is there now


def test_a_row_whose_category_is_deleted_since_the_dry_run_is_left_out(ctx):
    make_product(ctx, "FEL-1", category="Yarn > Lace")
    lace = categories.make(ctx, SYSTEM, "Notions").id
    file = plan_file(ctx, HEADER + "FEL-1,,,,Notions,\nNEW-1,New,5,,Notions,\nNEW-2,New,5,,,\n")
    deleting.delete(ctx, SYSTEM, lace, with_branch=False)
    state, said = outcome(ctx, _applied(ctx, file))
    assert (state, said) == ("done", "1 made, 0 changed. 2 rows left out: changed since the dry run.")
    assert set(catalogue(ctx)) == {"FEL-1", "NEW-2"}


def test_a_file_s_dry_run_names_the_categories_it_would_make_and_what_they_are_much_like(ctx, browser):
    make_product(ctx, "FEL-1", category="Yarn > Laces")
    file = plan_file(ctx, HEADER + "NEW-1,A,1,,Yarn > Lacess > Thin,\nNEW-2,B,1,,Yarn > Lacess > Thick,\n")
    assert file.row["makes"] == [
        ["Yarn > Lacess", [["Yarn > Laces", "a typing slip"]], "category"],
        ["Yarn > Lacess > Thick", [], "category"],
        ["Yarn > Lacess > Thin", [], "category"],
    ]
    page = browser.get(f"/files/{file.id}").text
    assert "Makes 3 categories, hidden until you show them; 1 much like what is there" in page
    _applied(ctx, file)
    made = [one for one in categories.read_tree(ctx) if "Lacess" in one.path]
    assert [(one.name, one.hidden) for one in made] == [("Lacess", True), ("Thick", True), ("Thin", True)]


def test_brands_are_found_in_any_case_named_before_they_are_made_and_taken_back(ctx, browser):
    make_product(ctx, "FEL-1", brand="Carrow Mill")
    header = "sku,name,brand,gtin,short text\n"
    rows = (
        "FEL-1,,carrow mill,9520000000011,\nNEW-1,A,Carow Mill,,Soft.\nNEW-2,B,Peatbank,,\n"
        "NEW-3,C,peatbank,,\nBAD-1,D,,9520000000012,\n"
    )
    file = plan_file(ctx, header + rows)
    assert file.row["makes"] == [
        ["Carow Mill", [["Carrow Mill", "a typing slip"]], "brand"],
        ["Peatbank", [], "brand"],
    ]
    assert "Makes 2 brands; 1 much like what is there" in browser.get(f"/files/{file.id}").text
    (changed,) = planned_rows.rows_of(ctx, SYSTEM, file, "changed").samples
    assert changed.plan.after == {"gtin": "9520000000011"}
    mend = {"kind": "brand", "was": "Carow Mill", "now": "Carrow Mill"}
    assert browser.write(f"/files/{file.id}/mend", mend).status_code == 303
    work_off(ctx)
    file = service.read(ctx, SYSTEM, file.id)
    assert [one[0] for one in file.row["makes"]] == ["Peatbank"]
    assert browser.write(f"/files/{file.id}/mend", mend).status_code == 422, "it is not there any more"
    again = service.read(
        ctx, SYSTEM, service.take(ctx, SYSTEM, "b.csv", io.BytesIO(header.encode() + b"A,,Carow Mill,,\n"))
    )
    assert again.rules[2].replaced == (("Carow Mill", "Carrow Mill"),), "the next file is read so by itself"
    (refused,) = planned_rows.rows_of(ctx, SYSTEM, file, "refused").samples
    assert refused.plan.problems[0].field == "gtin"
    service.request_apply(ctx, SYSTEM, file.id, leave_out=True)
    work_off(ctx)
    made = {sku: (one[8], one[7]) for sku, one in catalogue(ctx).items()}
    assert made == {
        "FEL-1": ("Carrow Mill", "9520000000011"), "NEW-1": ("Carrow Mill", None), "NEW-2": ("Peatbank", None),
        "NEW-3": ("Peatbank", None),
    }  # fmt: skip
    done = service.read(ctx, SYSTEM, file.id).row["change_set_id"]
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, done))
    assert {sku: one[8] for sku, one in catalogue(ctx).items()} == {"FEL-1": "Carrow Mill"}
    assert [one.name for one in vocabulary.list_named(ctx, SYSTEM, "brand")] == ["Carrow Mill"]


def test_of_many_words_that_a_file_would_make_the_first_are_named_and_how_many_more_there_are(ctx, browser):
    rows = "".join(f"S-{one},Name,Brand {one:03}\n" for one in range(310))
    page = browser.get(f"/files/{plan_file(ctx, f'sku,name,brand{chr(10)}{rows}').id}").text
    assert ("Makes 310 brands" in page, "Brand 299" in page, "Brand 300 ·" in page) == (True, True, False)
    assert "and 10 more, which the rows name" in page


def test_a_bare_name_that_fits_two_categories_makes_no_third(ctx):
    for path in ("Yarn > Aran", "Patterns > Aran"):
        make_product(ctx, path, category=path)
    file = plan_file(ctx, HEADER + "NEW-1,A,1,,Aran,\n")
    (refused,) = planned_rows.rows_of(ctx, SYSTEM, file, "refused").samples
    assert "“Aran” may mean “Yarn > Aran” or “Patterns > Aran”" in refused.plan.problems[0].message


def test_jumps_and_pictures_that_are_left_out_are_shown_before_all_else_that_changes(ctx, browser):
    for number in range(planned_rows.SHOWN_ROWS + 2):
        make_product(ctx, f"FEL-{number}", price=Decimal("6.01"))
    rows = "".join(f"FEL-{n},,{'50000' if n == 51 else '7'},,,\n" for n in range(planned_rows.SHOWN_ROWS + 2))
    file = plan_file(ctx, HEADER + rows + "NEW-1,New,1,,,<p>Soft</p><img src='https://a.example/x.png'>\n")
    page = planned_rows.rows_of(ctx, SYSTEM, file)
    assert (page.shown, [(one.sku, one.odd) for one in page.samples]) == (
        "odd",
        [("FEL-51", ("jump",)), ("NEW-1", ("pictures",))],
    )
    shown = browser.get(f"/files/{file.id}").text
    assert "Price far from what it was" in shown
    assert "Pictures from elsewhere are left out" in shown
    first = browser.get(f"/files/{file.id}?show=changed").text
    later = browser.get(html.unescape(first.split('rel="next" href="')[1].split('"')[0])).text
    assert [first.count("<code>FEL-"), later.count("<code>FEL-")] == [planned_rows.SHOWN_ROWS, 2]
    assert browser.get(f"/files/{file.id}?show=changed&q=fel-51").text.count("<code>FEL-") == 1


def _applied(ctx, file):
    job_id = service.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    work_off(ctx)
    return job_id


def test_a_cancelled_import_writes_nothing_and_can_be_done_later(ctx):
    file = plan_file(ctx, HEADER + "NEW-1,New,5,,,\n")
    job_id = service.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    ctx.db.run(lambda tx: tx.run("UPDATE job SET cancel_wanted = TRUE WHERE id = %s", [job_id]))
    work_off(ctx)
    assert outcome(ctx, job_id)[0] == "cancelled"
    assert catalogue(ctx) == {}
    assert outcome(ctx, _applied(ctx, file))[0] == "done"
    assert set(catalogue(ctx)) == {"NEW-1"}


@pytest.mark.parametrize(
    ("content", "encoding", "delimiter"),
    [
        ("sku;name;price\nFEL-1;Größe ’x’;1,50\n".encode("cp1252"), None, ";"),
        ("sku\tname\tprice\nFEL-1\tGröße ’x’\t1,50\n".encode("utf-16"), "utf-16", "\t"),
        ("\ufeffsku|name|price\r\nFEL-1|Größe ’x’|1,50\r\n".encode(), "utf-8-sig", "|"),
        ('"sku","name","price"\n"FEL-1","Größe ’x’","1,50"\n'.encode(), "utf-8", ","),
    ],
)
def test_any_delimiter_and_encoding_is_understood(ctx, content, encoding, delimiter):
    file = plan_file(ctx, content)
    assert file.shape.delimiter == delimiter
    assert encoding in (None, file.shape.encoding)
    (sample,) = planned_rows.rows_of(ctx, SYSTEM, file).samples
    assert sample.plan.after == {"sku": "FEL-1", "name": "Größe ’x’", "price": "1.50"}


@pytest.mark.parametrize(
    ("content", "says"),
    [(b"", "empty"), (b"PK\x03\x04\x00\x00\x00\x00", "file can't be unpacked"), (b"\n\n  \n", "empty")],
)
def test_what_is_no_table_is_refused_at_the_door(ctx, content, says):
    with pytest.raises(Refused, match=says):
        service.take(ctx, SYSTEM, "x.csv", io.BytesIO(content))


def test_a_row_with_more_cells_than_headers_is_refused_instead_of_guessed(ctx):
    file = plan_file(ctx, 'sku,name\nFEL-1,Wool, soft\n\nFEL-2,"Wool\n soft"\n')
    assert file.row["counts"]["refused"] == 1
    assert [s.line for shown in ("refused", "new") for s in planned_rows.rows_of(ctx, SYSTEM, file, shown).samples] == [
        2,
        4,
    ]


def test_what_was_taken_out_can_be_brought_in_again_without_a_change(ctx, tmp_path):
    make_product(ctx, "FEL-1", weight_g=1200, description='<p>Soft &amp; warm, "really"</p><ul><li>x</li></ul>')
    make_product(ctx, "FEL-2", price=None, status=Status.DRAFT, category=None, weight_g=None)
    assert exporting.export(ctx, SYSTEM, tmp_path / "out.csv").rows == 2
    file = plan_file(ctx, (tmp_path / "out.csv").read_bytes())
    actions = {"new": 0, "changed": 0, "unchanged": 2, "refused": 0}
    assert {**actions, "odd": 0, "categories": 0, "products": 0}.items() <= file.row["counts"].items()


CLEARED = (
    "price",
    "weight_g",
    "origin_country",
    "contents",
    "at_zero",
    "description",
    "brand",
    "gtin",
    "elsewhere",
    "mpn",
    "short_text",
    "delivered",
)
rows = st.lists(
    st.builds(
        FileRow,
        line=st.just(0),
        sku=st.sampled_from(["S-1", "S-2", "S-3", "S-4"]),
        values=st.fixed_dictionaries(
            {},
            optional={
                "name": st.sampled_from(["a", "A", "b"]),
                "price": st.sampled_from([Decimal("1.00"), Decimal("9.80"), Decimal("29.40"), Decimal("29.41")]),
                "weight_g": st.sampled_from([0, 100]),
                "origin_country": st.sampled_from(["PT", "IE"]),
                "contents": st.sampled_from(["50 g", "25 m"]),
                "list_price": st.sampled_from([Decimal("9.80"), Decimal("12.00")]),
                "at_zero": st.sampled_from(["stop", "go_on"]),
                "order_step": st.sampled_from([Decimal(1), Decimal("0.1")]),
                "back_on": st.sampled_from([date(2026, 12, 24), date(2027, 1, 2)]),
                "packed_size": st.sampled_from(["300x200x50"]),
                "delivered": st.sampled_from(["shipped", "downloaded"]),
                "search_words": st.sampled_from(["worsted", "worsted, jumper wool"]),
                "customs_value": st.sampled_from([Decimal("4.00"), Decimal("4.10")]),
                "category": st.sampled_from(["Yarn > Aran", "Yarn > New"]),
                "brand": st.sampled_from(["Carrow", "New brand"]),
                "status": st.sampled_from(["live", "draft", "archived"]),
                "gtin": st.sampled_from(["9520000000011"]),
                "elsewhere": st.sampled_from(["100482", "a-1", "A-1"]),
                "mpn": st.sampled_from(["P-1", "p-1", "P-2"]),
                "short_text": st.sampled_from(["Soft.", "Warm."]),
                "description": st.sampled_from(["", "<p>a</p>"]),
                "stock": st.sampled_from([Decimal(0), Decimal(4), Decimal("9.5")]),
            },
        ),
    ),
    max_size=4,
    unique_by=lambda row: row.sku,
)


@settings(max_examples=40)
@given(rows, st.booleans(), st.sets(st.sampled_from(CLEARED), max_size=3))
def test_the_plan_made_in_sets_is_the_plan_made_row_by_row(ctx, said, live, cleared):
    """And after applying it, the catalogue and the journal say the same as the plan."""
    emptied = dict.fromkeys(cleared)
    said = [FileRow(line, row.sku, emptied | row.values, row.problems) for line, row in enumerate(said, 2)]

    class Undo(Exception):
        """Takes everything back, so that each example begins from the same state."""

    def work(tx: Tx) -> None:
        tree = categories.load(tx)
        aran = tree.find("yarn > aran")
        carrow = tx.insert("INSERT INTO brand (name) VALUES ('Carrow')")
        current = {}
        axis = tx.insert("INSERT INTO attribute (name, kind) VALUES ('Colour', 'colour')")
        for sku, category_id in (("S-1", aran), ("S-2", None)):
            product = tx.insert(
                "INSERT INTO product (category_id, brand_id, made_at, changed_at) VALUES (%s, %s, NOW(3), NOW(3))",
                [category_id, carrow],
            )
            tx.run("INSERT INTO product_text (product_id, lang, name) VALUES (%s, 'en', 'a')", [product])
            varies = sku == "S-2"
            if varies:  # one of several variants: its price comes from the product
                said_of_all = "price = 9.80, origin_country = 'PT', contents = '50 g', at_zero = 'go_on'"
                tx.run(f"UPDATE product SET {said_of_all} WHERE id = %s", [product])
                tx.run(
                    "INSERT INTO product_axis (product_id, attribute_id, position) VALUES (%s, %s, 1)", [product, axis]
                )
            price = None if varies else Decimal("9.80")
            tx.run(
                "INSERT INTO variant (product_id, sku, price, mpn) VALUES (%s, %s, %s, %s)",
                [product, sku, price, "P-1" if varies else ""],
            )
            tx.run("UPDATE product SET mpn = %s WHERE id = %s", ["" if varies else "P-1", product])
            if sku == "S-1":
                variant = tx.value("SELECT id FROM variant WHERE sku = 'S-1'")
                tx.run("INSERT INTO stock (id, product_id, on_hand) VALUES (%s, %s, 4)", [variant, product])
                tx.run("INSERT INTO stock_at (variant_id, location_id, on_hand) VALUES (%s, 1, 4)", [variant])
            current[sku] = dict.fromkeys(ROW_FIELDS) | {
                "at_zero": "go_on" if varies else None,
                "delivered": "",
                "search_words": "",
                "name": "a",
                "price": Decimal("9.80"),
                "weight_g": None,
                "origin_country": "PT" if varies else None,
                "contents": "50 g" if varies else None,
                "description": "",
                "stock": Decimal(4) if sku == "S-1" else None,
                "category": tree.path(category_id) or None,
                "brand": "Carrow",
                "status": "draft",
                "mpn": "P-1",
                "short_text": "",
                "varies": varies,
                "inherited": set(CLEARED) & set(OF_VARIANT) if varies else (),
            }
        expected = {row.line: plan_row(row, current.get(row.sku), live=live) for row in said}
        fields = {name for row in said for name in row.values}
        of = spoken(fields, cleared)
        handling = Handling(go_live=live)
        planning.load(tx, 1, [RowBlock.of(said)], "en", handling=handling, of=of)
        planning.plan(tx, 1, "en", handling=handling, of=of)
        actions = {
            row["line"]: row["action"] for row in tx.all("SELECT line, action FROM batch_row WHERE batch_id = 1")
        }
        assert actions == {line: str(plan.action) for line, plan in expected.items()}
        listed = [s for action in Action for s in planned.samples(tx, 1, action, "en", 10, cleared=cleared)]
        samples, odd = {s.line: s.plan for s in listed}, {s.line: s.odd for s in listed}
        for line, plan in expected.items():
            if plan.action is Action.CHANGED:
                assert (samples[line].before, samples[line].after) == (plan.before, plan.after)
                assert ("jump" in odd[line]) == bool(jumps(plan.before, plan.after))
        with history.change_set(tx, SYSTEM, "files.apply", "test") as recorder:
            handling = Handling(go_live=live, show_new=True)
            ids = numbering.reserve(tx, len(said), len(said))
            applying.apply(tx, recorder, 1, "en", handling=handling, progress=lambda *_: None, ids=ids, of=of)
        _check_catalogue(tx, said, expected, current, live=live)
        check_summaries(tx)
        raise Undo

    make_category(ctx)
    with pytest.raises(Undo):
        ctx.db.run(work)


def check_summaries(tx: Tx) -> None:
    """What was written out of the batch is what is worked out from the catalogue."""
    written = tx.all("SELECT * FROM product_summary ORDER BY product_id")
    tx.run("CREATE OR REPLACE TEMPORARY TABLE every_product (product_id INT UNSIGNED NOT NULL PRIMARY KEY)")
    tx.run("INSERT INTO every_product SELECT id FROM product")
    tx.run("DELETE FROM product_summary")
    summary.summarise(tx, "every_product")
    worked_out = {row["product_id"]: row for row in tx.all("SELECT * FROM product_summary")}
    assert written == [worked_out[row["product_id"]] for row in written]


def make_category(ctx):
    if not list(categories.read_tree(ctx)):
        categories.make(ctx, SYSTEM, "Yarn > Aran")


#: Fields whose columns hold an empty text where nothing is said.
EMPTY = ("description", "delivered", "search_words", "short_text", "mpn")


def _check_catalogue(tx: Tx, said, expected, current, *, live) -> None:
    tree = categories.load(tx)
    held = {
        row["sku"]: row
        for row in tx.all(
            f"""SELECT v.sku, p.code, p.status, p.was_live, NULL AS type, NULL AS tax_class, t.name, t.description,
                       t.short_text, t.search_words, p.category_id, p.delivered,
                       p.customs_value, p.version, IF(k.counted, k.on_hand, NULL) AS stock, br.name AS brand,
                       {", ".join(f"{held_sql(name)} AS {name}" for name in (*OF_VARIANT, "mpn"))}
           FROM product p JOIN product_text t ON t.product_id = p.id JOIN variant v ON v.product_id = p.id
           LEFT JOIN brand br ON br.id = p.brand_id LEFT JOIN stock k ON k.id = v.id"""
        )
    }
    for row in said:
        plan = expected[row.line]
        if plan.action is Action.REFUSED:
            assert (row.sku in held) == (row.sku in current)
            continue
        begins = {"status": "live" if live else "draft"}
        was = current.get(row.sku, dict.fromkeys(ROW_FIELDS) | dict.fromkeys(EMPTY, "") | begins)
        assert bool(held[row.sku]["was_live"]) == (held[row.sku]["status"] == "live")
        for name in set(ROW_FIELDS) - {"category"}:
            value = row.values.get(name, was[name])
            if value is None and name in row.values:
                value = was[name] if name in was.get("inherited", ()) else "" if name in EMPTY else None
            assert held[row.sku][name] == value, name
        path = tree.path(held[row.sku]["category_id"]) or None
        assert path == row.values.get("category", was["category"])
        moves = plan.action is Action.CHANGED and set(plan.after) != {"stock"}
        assert held[row.sku]["version"] == (2 if moves else 1), "stock moves no version"


@pytest.mark.parametrize("at_once", [2, 3, 50])
def test_a_sku_that_stands_twice_is_refused_the_second_time_wherever_that_is(ctx, monkeypatch, at_once):
    monkeypatch.setattr(lines, "AT_ONCE", at_once)
    monkeypatch.setattr(taking_in, "BLOCK", at_once)
    monkeypatch.setattr(doubled, "_MOST", at_once)
    skus = ["A", "B", "a", "C", "B", "", "D", "A", "E", "e", "", "F", "dé", "de", "C"]
    file = plan_file(ctx, "sku,name,price\n" + "".join(f"{sku},{sku} {one},1.00\n" for one, sku in enumerate(skus)))
    refused = planned_rows.rows_of(ctx, SYSTEM, file, "refused").samples
    said = {one.line: one.plan.problems[0] for one in refused}
    twice = {line: problem.message for line, problem in said.items() if problem.code == "sku.twice"}
    first = {4: ("a", 2), 6: ("B", 3), 9: ("A", 2), 11: ("e", 10), 16: ("C", 5)}
    assert twice == {
        line: f"“{sku}” stands in line {before} already. Keep one of the two." for line, (sku, before) in first.items()
    }
    assert set(said) - set(twice) == {7, 12, 14}, "without a SKU, and one of other signs"
    assert file.row["counts"]["new"] == 7


def test_a_quotation_mark_that_is_not_closed_swallows_no_rows(ctx):
    text = 'sku,name,price\nA,"Fellside,5\nB,Quarry,6\nC,Peat,7\nD,"Oat",8\n'
    with pytest.raises(Refused, match="In line 2 a quotation mark is opened"):
        list(text_rows(written(ctx, text), Shape()))
    fine = 'sku,name,text\nA,Fellside,"Two\nlines, and a comma"\nB,Quarry,x\n'
    assert len(list(text_rows(written(ctx, fine), Shape()))) == 3


def written(ctx, text):
    path = ctx.folder("uploads") / "a.csv"
    path.write_bytes(text.encode())
    return path


def test_a_sign_that_the_encoding_has_not_refuses_its_row_alone(ctx):
    content = "sku,name,price\nA,Größe,5\nB,Grün,6\n".encode().replace("ü".encode(), b"\xfc")
    file_id = service.take(ctx, SYSTEM, "a.csv", io.BytesIO(content))
    assert service.read(ctx, SYSTEM, file_id).shape.encoding == "utf-8"
    service.request_plan(ctx, SYSTEM, file_id, [Rule("sku", 0), Rule("name", 1), Rule("price", 2)])
    work_off(ctx)
    counts = service.read(ctx, SYSTEM, file_id).row["counts"]
    assert (counts["new"], counts["refused"]) == (1, 1)
    assert "In name stands a sign that is not UTF-8" in refused_rows(ctx, file_id)


def test_encoding_and_delimiter_can_be_chosen(ctx, browser):
    file_id = service.take(ctx, SYSTEM, "a.csv", io.BytesIO("sku|name;x\nA|Grüß;e\n".encode("cp850")))
    form = {"csrf": browser.csrf, "encoding": "cp850", "delimiter": "|"}
    assert browser.post(f"/files/{file_id}/shape", data=form, follow_redirects=False).status_code == 303
    page = browser.get(f"/files/{file_id}").text
    assert "Grüß;e" in page
    assert "DOS, Western Europe" in page
    assert browser.post(f"/files/{file_id}/shape", data={**form, "encoding": "martian"}).status_code == 422
    beyond = browser.post(f"/files/{file_id}/shape", data={**form, "header": "99"})
    assert (beyond.status_code, "no row in line 99" in beyond.text) == (422, True)
    assert "DOS, Western Europe" in browser.get(f"/files/{file_id}").text, "it stays as it was read"


def test_what_a_spreadsheet_would_run_goes_out_harmless_and_comes_back_as_it_was(ctx, tmp_path):
    make_product(ctx, "FEL-1", name='=HYPERLINK("http://evil.example")')
    out = tmp_path / "out.csv"
    exporting.export(ctx, SYSTEM, out)
    assert "'=HYPERLINK" in out.read_text()
    with out.open("rb") as content:
        file_id = service.take(ctx, SYSTEM, "out.csv", content)
    rules = service.read(ctx, SYSTEM, file_id).rules
    service.request_plan(ctx, SYSTEM, file_id, rules)
    work_off(ctx)
    counts = service.read(ctx, SYSTEM, file_id).row["counts"]
    assert (counts["changed"], counts["refused"], counts["unchanged"]) == (0, 0, 1)
