"""Pictures by a file: from the library, from a zip, from addresses; taken back with it; out and in again unchanged."""

import io
import zipfile
from dataclasses import replace
from datetime import timedelta

import pytest

from graupel.core.errors import Refused
from graupel.core.file_pictures import ALTS, PICTURES
from graupel.core.pictures import Picture
from graupel.core.roles import SYSTEM, Role
from graupel.features.files import exporting, mending, picturing, planned_rows
from graupel.features.files import service as files
from graupel.features.history import rolling_back
from graupel.features.history import service as history
from graupel.features.media import service as media
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.variants import making
from graupel.tables.writing import Out
from tests.making import bring_in, catalogue, jpeg, make_product, plan_file, work_off
from tests.needles import colour, size, wish
from tests.pictures import COLOURS, PictureHost, pictures
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser", "colour", "pictures", "size"]


@pytest.fixture
def ctx(ctx):
    ctx.settings.fetch_hosts = "127.0.0.1"
    return ctx


def take(ctx, name, side=60, hue="#8C7AA0"):
    return media.take(ctx, SYSTEM, name, jpeg(side, hue)).id


def shown(ctx, sku):
    """The names of a product's pictures with their alt texts, by the SKU of a variant."""
    product_id = ctx.db.run(lambda tx: tx.value("SELECT product_id FROM variant WHERE sku = %s", [sku]))
    product = products.read(ctx, SYSTEM, product_id)
    return [(file.file_name, one.alt) for file, one in zip(product.pictures, product.values.pictures, strict=True)]


def names(ctx, sku):
    return [name for name, _ in shown(ctx, sku)]


def counts(ctx, text, **given):
    return plan_file(ctx, text, **given).row["counts"]


def test_pictures_of_the_library_are_put_in_that_order_with_alt_texts_and_said_again_nothing_changes(ctx):
    for name, hue in (("red.jpg", "#B0412E"), ("blue.jpg", "#3C6A8C"), ("old.jpg", "#111111")):
        take(ctx, name, hue=hue)
    yarn = make_product(ctx, "FEL-1", name="Fellside", pictures=(Picture(take(ctx, "old.jpg", 60, "#111111"), "Old"),))
    text = "sku,name,price,pictures,alt texts\nFEL-1,,,blue.jpg | red.jpg,A blue skein |\nNEW-1,New,5,RED.jpg,\n"
    planned = plan_file(ctx, text)
    assert (planned.row["counts"]["changed"], planned.row["counts"]["new"]) == (1, 1)
    row = planned_rows.rows_of(ctx, SYSTEM, planned, "changed", "", 0, "").samples[0]
    assert (row.plan.before["pictures"], row.plan.after["pictures"]) == ("old.jpg", "blue.jpg | red.jpg")
    files.request_apply(ctx, SYSTEM, planned.id, leave_out=False)
    work_off(ctx)
    assert shown(ctx, "FEL-1") == [("blue.jpg", "A blue skein"), ("red.jpg", "")]
    assert names(ctx, "NEW-1") == ["red.jpg"]
    summary = "SELECT lacks_picture FROM product_summary WHERE product_id = %s"
    assert not ctx.db.run(lambda tx: tx.value(summary, [yarn]))
    assert counts(ctx, text)["unchanged"] == 2
    assert counts(ctx, "sku,pictures\nFEL-1,\n")["unchanged"] == 1, "an empty cell says nothing"
    bring_in(ctx, "sku,pictures\nFEL-1,red.jpg\n")
    assert names(ctx, "FEL-1") == ["red.jpg"]
    change = history.list_change_sets(ctx, SYSTEM).change_sets[0]["id"]
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, change))
    assert shown(ctx, "FEL-1") == [("blue.jpg", "A blue skein"), ("red.jpg", "")]


def test_a_column_of_addresses_is_known_by_its_values(ctx):
    text = "sku,name,price,what\nA,One,5,https://pics.example/a.jpg\nB,Two,5,https://pics.example/b.jpg?x=1\n"
    assert [one.rule.field for one in plan_file(ctx, text).columns] == ["sku", "name", "price", "pictures"]


def test_what_is_not_there_or_there_twice_refuses_the_row(ctx):
    take(ctx, "twice.jpg", 60)
    take(ctx, "twice.jpg", 70)
    planned = plan_file(ctx, "sku,name,pictures\nA,One,gone.jpg\nB,Two,twice.jpg\nC,Three,ftp://x/y.jpg\n")
    rows = planned_rows.rows_of(ctx, SYSTEM, planned, "refused", "", 0, "").samples
    assert [row.plan.problems[0].message.partition(".")[0] for row in rows] == [
        "No file gone",
        "2 files in the library are called twice",
        "“ftp://x/y",
    ]


def test_pictures_that_are_not_there_are_left_out_of_all_rows_where_that_is_chosen(ctx):
    take(ctx, "red.jpg")
    file = plan_file(ctx, "sku,name,price,pictures,alt texts\nA,One,5,gone.jpg|red.jpg,Gone|Red\nB,Two,5,gone.jpg,\n")
    assert file.row["counts"]["refused"] == 2
    mending.mend_all(ctx, SYSTEM, file.id, "pictures", "pictures.unknown", "leave")
    work_off(ctx)
    file = files.read(ctx, SYSTEM, file.id)
    assert (file.row["counts"]["new"], file.row["overview"]["left_out"]) == (2, [["pictures", "pictures.unknown", 2]])
    files.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    work_off(ctx)
    assert shown(ctx, "A") == [("red.jpg", "Red")]
    assert shown(ctx, "B") == []


def test_addresses_are_fetched_after_the_goods_are_there_and_the_same_one_once(ctx, pictures: PictureHost):
    text = (
        "sku,name,price,pictures\n"
        f"A,One,5,{pictures.address}/red.jpg|{pictures.address}/blue.jpg\n"
        f"B,Two,5,{pictures.address}/red.jpg\n"
    )
    planned = plan_file(ctx, text)
    assert pictures.asked == [], "a dry run fetches nothing"
    files.request_apply(ctx, SYSTEM, planned.id, leave_out=False)
    work_off(ctx)
    assert sorted(pictures.asked) == ["/blue.jpg", "/red.jpg"]
    assert names(ctx, "A") == ["red.jpg", "blue.jpg"]
    assert names(ctx, "B") == ["red.jpg"]
    told = picturing.read(ctx, SYSTEM, planned.id)
    assert (told.counts.fetched, told.counts.waiting, told.counts.failed) == (2, 0, 0)
    assert counts(ctx, text)["unchanged"] == 2, "what came from an address is known by it"
    bring_in(ctx, f"sku,name,price,pictures\nC,Three,5,{pictures.address}/blue.jpg\n")
    assert len(pictures.asked) == 2
    assert names(ctx, "C") == ["blue.jpg"]


def test_a_file_that_only_brings_pictures_to_fetch_is_an_act_that_goes_back_too(ctx, pictures: PictureHost):
    make_product(ctx, "FEL-1", name="Fellside")
    at = pictures.address
    file = bring_in(ctx, f"sku,pictures\nFEL-1,{at}/red.jpg|{at}/blue.jpg\n")
    assert names(ctx, "FEL-1") == ["red.jpg", "blue.jpg"]
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, file.row["change_set_id"]))
    assert names(ctx, "FEL-1") == []


def test_a_file_that_was_rolled_back_before_its_pictures_came_gets_none(ctx, pictures: PictureHost):
    make_product(ctx, "FEL-1", name="Fellside")
    pictures.broken["/red.jpg"] = 1
    file = bring_in(ctx, f"sku,name,pictures\nFEL-1,Fell,{pictures.address}/red.jpg\n")
    assert picturing.read(ctx, SYSTEM, file.id).counts.waiting == 1
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, file.row["change_set_id"]))
    work_off(replace(ctx, ahead=timedelta(minutes=1)))
    ctx.db.run(lambda tx: tx.run("UPDATE batch_picture SET due_at = NULL"))
    work_off(replace(ctx, ahead=timedelta(minutes=2)))
    assert pictures.asked == ["/red.jpg", "/red.jpg"]
    assert names(ctx, "FEL-1") == []
    assert "rolled back" in picturing.read(ctx, SYSTEM, file.id).failed[0]["said"]


def test_what_can_not_be_fetched_is_tried_again_named_and_the_rest_comes(ctx, pictures: PictureHost):
    pictures.broken["/red.jpg"] = 1
    at = pictures.address
    text = f"sku,name,price,pictures\nA,One,5,{at}/gone.jpg|{at}/red.jpg\nB,Two,5,{at}/text|{at}/blue.jpg\n"
    file = bring_in(ctx, text)
    assert names(ctx, "A") == []
    assert names(ctx, "B") == ["blue.jpg"]
    told = picturing.read(ctx, SYSTEM, file.id)
    assert (told.counts.fetched, told.counts.waiting, told.counts.failed) == (1, 1, 2)
    assert [(one["sku"], one["said"][:30]) for one in told.failed] == [
        ("A", "127.0.0.1 says 404 (not there)"),
        ("B", told.failed[1]["said"][:30]),
    ]
    work_off(replace(ctx, ahead=timedelta(minutes=1)))
    ctx.db.run(lambda tx: tx.run("UPDATE batch_picture SET due_at = NULL"))
    work_off(replace(ctx, ahead=timedelta(minutes=2)))
    assert names(ctx, "A") == ["red.jpg"]
    picturing.again(ctx, SYSTEM, file.id)
    work_off(ctx)
    assert picturing.read(ctx, SYSTEM, file.id).counts.failed == 2
    with pytest.raises(Refused, match="No picture of this file waits"):
        picturing.again(ctx, SYSTEM, plan_file(ctx, "sku,name,price\nX,Ex,1\n").id)


def test_nothing_is_fetched_from_a_private_network_that_is_not_named(ctx, pictures: PictureHost):
    closed = replace(ctx, settings=ctx.settings.model_copy(update={"fetch_hosts": ""}))
    file = bring_in(closed, f"sku,name,price,pictures\nA,One,5,{pictures.address}/red.jpg\n")
    assert pictures.asked == []
    assert "private network" in picturing.read(ctx, SYSTEM, file.id).failed[0]["said"]


def test_a_zip_has_the_table_and_its_pictures(ctx):
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as file:
        file.writestr("goods/goods.csv", "sku,name,price,pictures\nA,One,5,red.jpg|pics/blue.jpg\n")
        file.writestr("goods/pics/red.jpg", jpeg(60, COLOURS["red"]))
        file.writestr("goods/pics/blue.jpg", jpeg(60, COLOURS["blue"]))
        file.writestr("../../etc/evil.jpg", jpeg(60))
    planned = plan_file(ctx, packed.getvalue(), name="goods.zip")
    assert planned.row["counts"]["new"] == 1
    files.request_apply(ctx, SYSTEM, planned.id, leave_out=False)
    work_off(ctx)
    assert names(ctx, "A") == ["red.jpg", "blue.jpg"]


def test_variants_show_what_their_rows_say_and_a_roll_back_of_the_file_takes_all_of_it(
    ctx, pictures: PictureHost, colour
):
    before = catalogue(ctx)
    at = pictures.address
    text = (
        "product code,sku,name,price,colour,pictures\n"
        f"SOX,S-1,Socks,5,Heather,{at}/green.jpg|{at}/red.jpg\n"
        f"SOX,S-2,Socks,5,Oat,{at}/green.jpg|{at}/blue.jpg\n"
    )
    file = bring_in(ctx, text)
    product_id = ctx.db.run(lambda tx: tx.value("SELECT id FROM product WHERE code = 'SOX'"))
    product = products.read(ctx, SYSTEM, product_id)
    assert names(ctx, "S-1") == ["green.jpg", "blue.jpg", "red.jpg"]
    by_sku = {one.sku: {names(ctx, "S-1")[place] for place in product.picture_places(one)} for one in product.variants}
    assert by_sku == {"S-1": {"green.jpg", "red.jpg"}, "S-2": {"green.jpg", "blue.jpg"}}
    assert counts(ctx, text)["unchanged"] == 2
    change = files.read(ctx, SYSTEM, file.id).row["change_set_id"]
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, change))
    assert catalogue(ctx) == before
    assert ctx.db.run(lambda tx: tx.value("SELECT COUNT(*) FROM picture")) == 0


@pytest.mark.parametrize("out", [Out.CSV, Out.LINES, Out.XLSX, Out.LINKED])
def test_what_goes_out_comes_in_again_unchanged_pictures_of_choices_too(ctx, tmp_path, colour, size, out):
    ids = [take(ctx, f"{name}.jpg", hue=hue) for name, hue in COLOURS.items()]
    make_product(ctx, "FEL-1", pictures=(Picture(ids[1], "Blue"), Picture(ids[0])))
    socks = make_product(ctx, "SOX", code="SOX")
    making.make(ctx, SYSTEM, socks, wish((colour, ["Heather", "Oat"]), (size, ["3 mm", "4 mm"])))
    values = products.read(ctx, SYSTEM, socks).values
    own = (Picture(ids[2]), Picture(ids[0], "Heather", "", (colour.choices[0].id,)), Picture(ids[1]))
    saving.save(ctx, SYSTEM, socks, replace(values, pictures=own), None)
    path = tmp_path / f"out.{out}"
    exporting.export(ctx, SYSTEM, path, out)
    planned = plan_file(ctx, path.read_bytes(), name=path.name)
    assert planned.row["counts"]["unchanged"] == 5, planned.row["counts"]
    assert {PICTURES, ALTS} <= {rule.field for rule in planned.rules}


def test_the_page_says_how_far_the_pictures_are_and_tries_them_again(ctx, pictures: PictureHost, as_role):
    me = as_role(Role.EDITOR)
    planned = plan_file(ctx, f"sku,name,price,pictures\nA,One,5,{pictures.address}/gone.jpg\n")
    form = {f"column_{one.index}": one.rule.field for one in planned.columns}
    assert me.write(f"/files/{planned.id}/plan", form).status_code == 200
    assert me.write("/files/out", {"form": "csv", "fields": ["sku", "pictures"]}).status_code == 303
    work_off(ctx)
    file = files.read(ctx, SYSTEM, planned.id)
    files.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    work_off(ctx)
    page = me.get(f"/files/{file.id}").text
    assert "1 picture to fetch: 0 fetched" in page
    assert "says 404 (not there)" in page
    assert me.write(f"/files/{file.id}/pictures").status_code == 303
    assert len(pictures.asked) == 1
    work_off(ctx)
    assert len(pictures.asked) == 2
    assert me.write(f"/files/{file.id + 1}/pictures").status_code in (404, 422)


def test_several_pictures_of_one_product_go_out_beside_json_ld_and_come_in_again_in_their_order(ctx):
    taken = [
        media.take(ctx, SYSTEM, f"{name}.jpg", jpeg(side)).id for side, name in enumerate(("oat", "moss", "fern"), 40)
    ]
    product_id = make_product(
        ctx, "C-1", short_text="Of wool", pictures=tuple(Picture(one, f"Skein {one}") for one in taken)
    )
    path = ctx.folder("exports") / "all.zip"
    exporting.export(ctx, SYSTEM, path, Out.LINKED, with_pictures=True)
    again = plan_file(ctx, path.read_bytes(), name="all.zip")
    assert (again.row["counts"]["unchanged"], again.row["counts"]["changed"]) == (1, 0)
    assert "short_text" in {rule.field for rule in again.rules}
    values = products.read(ctx, SYSTEM, product_id).values
    saving.save(ctx, SYSTEM, product_id, replace(values, pictures=values.pictures[1:2]), None)
    files.request_apply(ctx, SYSTEM, plan_file(ctx, path.read_bytes(), name="all.zip").id, leave_out=False)
    work_off(ctx)
    assert names(ctx, "C-1") == ["oat.jpg", "moss.jpg", "fern.jpg"]


@pytest.mark.parametrize("out", [Out.CSV, Out.LINKED])
def test_goods_go_out_with_their_pictures_in_a_zip_and_come_in_again_elsewhere_too(ctx, browser, out):
    one = make_product(ctx, "A-1", picture_side=40)
    make_product(ctx, "B-1", name="Without")
    path = ctx.folder("exports") / "all.zip"
    assert exporting.export(ctx, SYSTEM, path, out, with_pictures=True).rows == 2
    assert [one.name for one in path.parent.iterdir()] == ["all.zip"]
    with zipfile.ZipFile(path) as packed:
        table, picture = packed.namelist()
        content = packed.read(table).decode()
    assert table == f"goods.{out}"
    assert (picture in content) == (out is Out.LINKED), "read as an address it leads there"
    assert picture.startswith("pictures/skein.")
    again = plan_file(ctx, path.read_bytes(), name="all.zip")
    assert (again.row["counts"]["unchanged"], again.row["counts"]["refused"]) == (2, 0)
    ctx.db.run(lambda tx: tx.run("DELETE FROM picture"))
    ctx.db.run(lambda tx: tx.run("UPDATE media SET sha256 = REVERSE(sha256), file_name = 'other.jpg'"))
    brought = plan_file(ctx, path.read_bytes(), name="all.zip")
    assert brought.row["counts"]["changed"] == 1
    files.request_apply(ctx, SYSTEM, brought.id, leave_out=False)
    work_off(ctx)
    assert names(ctx, "A-1") == ["skein.jpg"]
    assert products.read(ctx, SYSTEM, one).values.pictures
    form = {"form": "jsonl", "fields": ["name", "pictures"], "with_pictures": "yes"}
    assert browser.write("/files/out", form).status_code == 303
    work_off(ctx)
    (written, *_) = exporting.newest(ctx, SYSTEM)
    fetched = browser.get(f"/files/out/{written.row['id']}")
    assert (fetched.headers["content-type"], written.file_name.endswith(".zip")) == ("application/zip", True)
    with pytest.raises(Refused, match="beside a table that has their column"):
        exporting.request(ctx, SYSTEM, Out.CSV, ["name"], None, with_pictures=True)
