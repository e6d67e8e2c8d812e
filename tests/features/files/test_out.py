"""What goes out: in every format the same, brought in again without a change, of a view, and told where it is cut."""

import csv
import tempfile
from decimal import Decimal
from pathlib import Path

import pytest
import python_calamine
from hypothesis import given, settings
from hypothesis import strategies as st

from graupel.core.errors import NotFound, Refused
from graupel.core.roles import SYSTEM, Role
from graupel.features.files import area, exporting, planned_rows
from graupel.tables import spreadsheets, writing
from graupel.tables.going_out import Column
from graupel.tables.spreadsheets import LONGEST_SHEET_CELL
from graupel.tables.writing import Out
from tests.making import add_german, add_outlet, bring_in, catalogue, make_product, plan_file, work_off
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser"]
D = Decimal
ODD = '=SUM(A1) "quoted" <b>&amp; ½ 🧶'


@pytest.fixture
def goods(ctx):
    make_product(ctx, "FEL-1", name=ODD, price=D("9.80"), weight_g=1250, category="Yarn", stock=7)
    make_product(ctx, "FEL-2", name="Plain", description="<p>Two\nlines, and <strong>more</strong></p><p>&lt;3</p>")
    make_product(ctx, "FEL-3", name="'+1", price=D("0.10"), tags=("winter", "a, b"))
    bring_in(ctx, "sku;least per order;back on;packed size;country of origin\nFEL-2;0,5;2027-01-02;30x20x5 cm;PT\n")


def out(ctx, form, **given):
    path = ctx.folder("t") / f"out.{form}"
    return path, exporting.export(ctx, SYSTEM, path, form, **given)


@pytest.mark.parametrize("form", Out)
def test_what_goes_out_comes_in_again_unchanged(ctx, goods, form):
    before = catalogue(ctx)
    path, done = out(ctx, form)
    assert (done.rows, done.cut) == (3, 0)
    file = plan_file(ctx, path.read_bytes(), name=path.name)
    refused = [one.plan.problems for one in planned_rows.rows_of(ctx, SYSTEM, file, "refused").samples]
    assert refused == []
    changed = [(one.plan.before, one.plan.after) for one in planned_rows.rows_of(ctx, SYSTEM, file, "changed").samples]
    assert changed == []
    assert file.row["counts"]["unchanged"] == 3
    assert catalogue(ctx) == before
    fields = {rule.field for rule in file.rules}
    assert {"sku", "name", "price", "category", "description", "weight_g", "origin_country"} <= fields
    assert {"stock", "order_least", "back_on", "packed_size", "tags", "status"} <= fields


def test_chosen_columns_of_a_view_go_out(ctx, goods, browser):
    asked = {"form": "jsonl", "fields": ["name", "status"], "of": "q=plain"}
    assert browser.write("/files/out", asked).status_code == 303
    work_off(ctx)
    (one, *_) = exporting.newest(ctx, SYSTEM)
    assert exporting.path_of(ctx, one.row).read_text() == '{"sku": "FEL-2", "name": "Plain", "status": "live"}\n'
    page = browser.get("/files/out?of=q%3Dplain").text
    assert "1 product as" in page
    assert browser.write("/files/out", {"form": "csv", "fields": []}).status_code == 422


def test_a_file_that_went_out_is_thrown_away_after_a_week_and_its_line_stays(ctx, goods, browser):
    export_id = exporting.request(ctx, SYSTEM, Out.CSV, ["name"], None)
    work_off(ctx)
    assert browser.get(f"/files/out/{export_id}").status_code == 200
    ctx.db.run(lambda tx: tx.run("UPDATE export_file SET made_at = made_at - INTERVAL 8 DAY"))
    ctx.db.run(lambda tx: exporting.throw_away(ctx, tx, ctx.now(tx).replace(tzinfo=None) - area.KEPT))
    assert browser.get(f"/files/out/{export_id}").status_code == 404
    ctx.db.run(lambda tx: tx.run("DELETE FROM job"))  # these are forgotten at some time too
    assert "Thrown away" in browser.get("/files/out").text
    with pytest.raises(NotFound):
        exporting.read(ctx, SYSTEM, 999)


def test_a_viewer_may_take_out(ctx, goods, as_role):
    assert as_role(Role.VIEWER).write("/files/out", {"form": "csv", "fields": ["name"]}).status_code == 303


def test_what_no_cell_of_a_spreadsheet_holds_is_left_out_and_counted(tmp_path):
    columns, rows = [Column("sku"), Column("text")], [["A", "x" * (LONGEST_SHEET_CELL + 1)], ["B", "y"]]
    for form, cut in ((Out.XLSX, 1), (Out.ODS, 1), (Out.CSV, 0)):
        assert writing.write(tmp_path / f"a.{form}", form, columns, rows).cut == cut


def test_a_sheet_that_would_be_too_long_is_refused_and_nothing_stays(tmp_path, monkeypatch):
    monkeypatch.setattr(spreadsheets, "MOST_SHEET_ROWS", 3)
    with pytest.raises(Refused, match="Take it out as CSV"):
        writing.write(tmp_path / "a.xlsx", Out.XLSX, [Column("sku")], [["A"], ["B"], ["C"]])
    assert list(tmp_path.iterdir()) == []


def test_goods_go_out_as_a_lens_shows_them_in_columns_that_no_file_is_matched_by(ctx, browser):
    add_german(ctx)
    lens = f"s{add_outlet(ctx)}.de"
    make_product(ctx, "FEL-1", name="Fellside", price=D("9.80"))
    make_product(ctx, "FEL-2", name="Tweed", price=D("5.00"))
    bring_in(ctx, "sku,name (de),price last skeins,description (de)\nFEL-1,Fellgarn,7.70,Rund\nFEL-2,,,\n")
    path, _ = out(ctx, Out.CSV, fields=["sku", "name", "price", "description", "weight_g"], lens=lens)
    heads, *rows = list(csv.reader(path.read_text().splitlines()))
    seen = "(as Last Skeins, German)"
    assert heads == ["sku", f"name {seen}", f"price {seen}", "weight", f"description {seen}"]
    assert [row[:3] + row[4:] for row in rows] == [
        ["FEL-1", "Fellgarn", "7.70", "<p>Rund</p>"],
        ["FEL-2", "Tweed", "5.00", ""],
    ]
    assert {rule.field for rule in plan_file(ctx, path.read_bytes()).rules} == {"sku", "weight_g"}
    page = browser.get(f"/files/out?lens={lens}").text
    assert "as Last Skeins shows it in German" in page
    browser.write("/files/out", {"form": "csv", "fields": ["name"], "seen": lens})
    work_off(ctx)
    written = exporting.path_of(ctx, exporting.newest(ctx, SYSTEM)[0].row).read_text()
    assert written.splitlines()[1] == "FEL-1,Fellgarn"


@pytest.mark.parametrize("lens", ["zz", "s99", "s99.de", "de.de", "...."])
def test_a_lens_that_is_not_there_is_refused_instead_of_another(ctx, goods, lens):
    add_german(ctx)
    with pytest.raises(Refused, match="There is no lens"):
        out(ctx, Out.CSV, lens=lens)
    path, _ = out(ctx, Out.CSV, fields=["sku", "name"], lens="en")
    assert path.read_text().splitlines()[0] == "sku,name", "the default one shows the catalogue as it is written"


cells = st.text(st.characters(exclude_categories=["Cs", "Cc"], include_characters="\n\t<&>"), max_size=12)
kept_rows = st.lists(st.tuples(cells, cells | st.sampled_from(["_x0041_", "a  b", " a ", "x" * 300])), max_size=5)


@settings(max_examples=60)
@given(kept_rows)
def test_a_spreadsheet_gives_each_text_back_as_it_was(rows):
    columns = [Column("sku"), Column("price", is_number=True), Column("text")]
    with tempfile.TemporaryDirectory() as folder:
        for form in (Out.XLSX, Out.ODS):
            path = Path(folder) / f"a.{form}"
            written = [(first, f"{number}.5", last) for number, (first, last) in enumerate(rows)]
            assert writing.write(path, form, columns, written).rows == len(rows)
            read = python_calamine.CalamineWorkbook.from_path(path).get_sheet_by_index(0).to_python()
            assert read[0] == ["sku", "price", "text"]
            assert read[1:] == [[first, float(number), last] for first, number, last in written]
