"""Files whose rows are no goods: categories, attributes with choices, product types, brands and tags."""

import csv
import io
import zipfile
from dataclasses import replace

import pytest

from graupel.core import record_columns
from graupel.core.attributes import AttributeKind
from graupel.core.columns import Rule
from graupel.core.errors import Refused
from graupel.core.record_files import RowsAre
from graupel.core.resolve import Lens
from graupel.core.roles import SYSTEM
from graupel.features.categories import editing
from graupel.features.categories import service as categories
from graupel.features.files import picturing, planned_rows, profiles, results, service
from graupel.features.files.records import out as records_out
from graupel.features.files.records import planning
from graupel.features.history import rolling_back
from graupel.features.history import service as history
from graupel.features.media import service as media
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.attributes import Definition
from graupel.features.wording import service as wording
from graupel.jobs.worker import Worker
from graupel.tables.writing import Out
from tests.making import add_german, bring_in, jpeg, make_product, plan_file, roll_back_newest, work_off
from tests.pictures import PictureHost, pictures
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser", "pictures"]
TREE = (
    "Category;Shown;Description;Meta title;Picture;Alt text;Tags;Description (de)\n"
    "Yarn > Aran;yes;<p>Warm <b>and</b> round</p>;Aran yarn;;;wool | warm;Warm und rund\n"
    "Yarn;yes;All that is spun;;;;;\n"
    "Notions > Buttons > Horn;;;;;;;\n"
)


@pytest.fixture(autouse=True)
def german(ctx):
    add_german(ctx)


def add_picture(ctx, name):
    return media.take(ctx, SYSTEM, name, jpeg()).id


def rows(ctx, file, action):
    return planned_rows.rows_of(ctx, SYSTEM, file, action).records


def values(ctx, path):
    tree = categories.read_tree(ctx)
    return editing.read(ctx, SYSTEM, tree.find(path)).values


def taken_out(ctx, rows_are, out=Out.CSV):
    path = ctx.folder("exports") / f"{rows_are}.{out}"
    records_out.export(ctx, SYSTEM, path, out, rows_are)
    return path


def unchanged(file):
    counts = file.row["counts"]
    return {name: counts[name] for name in ("new", "changed", "refused") if counts[name]}


def test_categories_come_in_with_texts_tags_and_other_languages_in_any_order_and_go_back_whole(ctx):
    file = plan_file(ctx, TREE)
    assert file.row["rows_are"] == RowsAre.CATEGORY
    assert [one[0] for one in file.row["makes"]] == ["Notions", "Notions > Buttons"]
    assert (file.row["counts"]["new"], categories.read_tree(ctx).find("Yarn")) == (3, None)
    service.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    work_off(ctx)
    assert service.read(ctx, SYSTEM, file.id).row["counts"]["made"] == len(categories.read_tree(ctx).by_id) == 5
    aran = values(ctx, "Yarn > Aran")
    assert (aran.description, aran.meta_title, aran.tags) == (
        "<p>Warm <strong>and</strong> round</p>",
        "Aran yarn",
        ("warm", "wool"),
    )
    assert (aran.hidden, values(ctx, "Notions").hidden) == (False, True)
    category_id = categories.read_tree(ctx).find("Yarn > Aran")
    own = ctx.db.run(lambda tx: wording.of_record(tx, "category", category_id))
    assert own[".de.description"].value == "<p>Warm und rund</p>"
    assert unchanged(plan_file(ctx, TREE)) == {}
    roll_back_newest(ctx)
    assert categories.read_tree(ctx).find("Yarn") is None


def test_a_changed_cell_changes_that_alone_and_an_empty_one_leaves_or_empties_as_chosen(ctx):
    bring_in(ctx, TREE)
    file = plan_file(ctx, "category,meta title,description\nyarn > aran,Aran and more,\nYarn,,\n")
    assert [(one.row.name, one.row.was, one.row.becomes) for one in rows(ctx, file, "changed")] == [
        ("yarn > aran", {"meta_title": "Aran yarn"}, {"meta_title": "Aran and more"})
    ]
    cleared = [{**rule, "empty": "clear"} if rule["field"] == "description" else rule for rule in file.row["rules"]]
    service.request_plan(ctx, SYSTEM, file.id, [service.Rule.of(rule) for rule in cleared])
    work_off(ctx)
    service.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    work_off(ctx)
    aran = values(ctx, "Yarn > Aran")
    assert (aran.meta_title, aran.description, aran.tags) == ("Aran and more", "", ("warm", "wool"))


def test_the_picture_of_a_category_may_be_one_of_the_library(ctx):
    picture = add_picture(ctx, "aran.jpg")
    file = bring_in(ctx, "category,picture,alt text\nYarn,aran.jpg,A skein\nWool,nowhere.jpg,\n", leave_out=True)
    assert (values(ctx, "Yarn").picture_id, values(ctx, "Yarn").picture_alt) == (picture, "A skein")
    assert "nowhere.jpg" in rows(ctx, file, "refused")[0].row.problems[0].message
    assert categories.read_tree(ctx).find("Wool") is None


def picture_of(ctx, path):
    """What the picture of a category is called in the library, "" where it has none."""
    picture = values(ctx, path).picture_id
    return ctx.db.run(lambda tx: media.by_ids(tx, [picture])[picture].file_name) if picture else ""


def test_pictures_of_categories_are_fetched_afterwards_and_go_back_with_the_file(ctx, pictures: PictureHost):
    ctx.settings.fetch_hosts = "127.0.0.1"
    red, blue, gone = (f"{pictures.address}/{name}.jpg" for name in ("red", "blue", "gone"))
    text = f"path,description,picture\nYarn,Of wool,{red}\nYarn > Sock,,{blue}\nNeedles,,{gone}\nYarn > Lace,,{red}\n"
    file = plan_file(ctx, text)
    assert file.row["counts"]["new"] == 4
    assert pictures.asked == [], "a dry run fetches nothing"
    service.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    work_off(ctx)
    assert [picture_of(ctx, path) for path in ("Yarn", "Yarn > Sock", "Yarn > Lace")] == [
        "red.jpg",
        "blue.jpg",
        "red.jpg",
    ]
    told = picturing.read(ctx, SYSTEM, file.id)
    assert (told.counts.fetched, told.counts.failed, told.failed[0]["sku"]) == (2, 1, "Needles")
    assert pictures.asked.count("/red.jpg") == 1, "what two rows name is fetched once"
    assert plan_file(ctx, text.replace(gone, "")).row["counts"]["unchanged"] == 4
    done = service.read(ctx, SYSTEM, file.id).row["change_set_id"]
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, done))
    assert [one.path for one in categories.read_tree(ctx)] == []


def test_a_picture_that_lies_beside_the_table_is_put_in_unless_another_was_chosen_meanwhile(ctx):
    bring_in(ctx, "path,description\nYarn,Wool\nNeedles,Steel\n")
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as made:
        made.writestr("categories.csv", "path,picture\nYarn,Skeins.jpg\nNeedles,needles.jpg\nYarn > Sock,other.jpg\n")
        made.writestr("pictures/skeins.jpg", jpeg(60, "#B0412E"))
        made.writestr("pictures/needles.jpg", jpeg(50, "#3C6A8C"))
    file = plan_file(ctx, packed.getvalue(), name="categories.zip")
    (refused,) = rows(ctx, file, "refused")
    assert "No file other.jpg is in the library" in refused.row.problems[0].message
    service.request_apply(ctx, SYSTEM, file.id, leave_out=True)
    Worker(ctx).work_one()  # it is brought in; its pictures wait
    chosen = add_picture(ctx, "chosen.jpg")
    needles = categories.read_tree(ctx).find("Needles")
    editing.save(ctx, SYSTEM, needles, replace(values(ctx, "Needles"), picture_id=chosen))
    work_off(ctx)
    assert [picture_of(ctx, path) for path in ("Yarn", "Needles")] == ["skeins.jpg", "chosen.jpg"]
    told = picturing.read(ctx, SYSTEM, file.id)
    assert [one["said"] for one in told.failed] == ["Another picture was chosen meanwhile."]


def test_what_can_not_be_is_refused_row_by_row_and_leaves_nothing_behind(ctx):
    bring_in(ctx, "category,shown\nYarn,yes\n")
    make_product(ctx, "A-1", category_id=categories.read_tree(ctx).find("Yarn"))
    text = (
        "category,kind,link\nYarn,page,\nTo the shop,link,\nAran > > Wool,,\n"
        "Book,leaflet,\nbook,page,\nBook,page,\n,page,\n"
    )
    file = plan_file(ctx, text)
    said = {one.row.line: one.row.problems[0].code for one in rows(ctx, file, "refused")}
    assert said == {
        2: "category.has_goods",
        3: "category.link",
        4: "category.empty_name",
        5: "record.word",
        7: "row.twice",
        8: "row.nameless",
    }
    before = history.list_change_sets(ctx, SYSTEM).change_sets[0]["id"]
    service.request_apply(ctx, SYSTEM, file.id, leave_out=True)
    work_off(ctx)
    assert [one.path for one in categories.read_tree(ctx)] == ["Yarn", "Yarn > Aran", "book"]
    assert history.list_change_sets(ctx, SYSTEM).change_sets[0]["id"] > before
    told = list(csv.reader(io.StringIO(results.write(ctx, SYSTEM, file.id, Out.CSV, refused=False).read_text())))
    assert [row[1] for row in told[1:]] == ["refused"] * 4 + ["new", "refused", "refused"]


def test_a_record_that_somebody_changed_since_the_dry_run_is_left_out_and_offered_again(ctx):
    bring_in(ctx, "category,meta title\nYarn,One\nWool,One\n")
    file = plan_file(ctx, "category,meta title\nYarn,Two\nWool,Two\n")
    bring_in(ctx, "category,meta title\nYarn,Three\n")
    service.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    work_off(ctx)
    assert (values(ctx, "Yarn").meta_title, values(ctx, "Wool").meta_title) == ("Three", "Two")
    assert [one.row.name for one in rows(ctx, service.read(ctx, SYSTEM, file.id), "moved")] == ["Yarn"]
    again = service.request_again(ctx, SYSTEM, file.id)
    work_off(ctx)
    (row,) = rows(ctx, service.read(ctx, SYSTEM, again), "changed")
    assert (row.row.was, row.row.becomes) == ({"meta_title": "Three"}, {"meta_title": "Two"})


def test_attributes_come_in_with_their_choices_and_rows_of_one_say_one_thing_of_it(ctx):
    attributes.make(ctx, SYSTEM, Definition("Colour", AttributeKind.COLOUR, choices=["Heather", "Oat"]))
    text = (
        "Attribute,Choice,Kind,Unit,Help,Code,Swatch,Choice (de)\n"
        "colour,heather,,,,HTH,#8C7AA0,Heide\n"
        "Colour,Peat,,,,,#443322,Torf\n"
        "Needle size,,number with unit,mm,As on the band,,,\n"
        "Material,Wool,one choice,,,,,\n"
        "Material,Silk,one choice,,,,,\n"
        "Care,By hand,,,,,,\n"
        "Needle size,4 mm,,,,,,\n"
        "Material,Alpaca,one choice,,Another help,,,\n"
        "Material,Yak,one choice,,No help,,,\n"
        "Colour,Oat,short text,,,,,\n"
    )
    file = plan_file(ctx, text)
    assert file.row["rows_are"] == RowsAre.ATTRIBUTE
    said = {one.row.line: one.row.problems[0].code for one in rows(ctx, file, "refused")}
    assert said == {7: "attribute.new", 8: "choice.kind", 10: "row.apart", 11: "attribute.kind"}
    service.request_apply(ctx, SYSTEM, file.id, leave_out=True)
    work_off(ctx)
    there = {one.name: one for one in vocabulary.read(ctx).attributes.values()}
    colour = {one.label: (one.code, one.swatch) for one in there["Colour"].choices}
    assert colour == {"Heather": ("HTH", "#8C7AA0"), "Oat": ("OAT", None), "Peat": ("PEA", "#443322")}
    assert (there["Needle size"].unit, there["Needle size"].help) == ("mm", "As on the band")
    assert [one.label for one in there["Material"].choices] == ["Wool", "Silk", "Alpaca"]
    german = vocabulary.seen(ctx, Lens(chain=("de", ""))).attributes[there["Colour"].id]
    assert [one.label for one in german.choices] == ["Heide", "Oat", "Torf"]


def test_pictures_of_choices_are_fetched_afterwards_unless_another_was_chosen_meanwhile(ctx, pictures: PictureHost):
    ctx.settings.fetch_hosts = "127.0.0.1"
    moss = add_picture(ctx, "moss.jpg")
    bring_in(ctx, "attribute,choice,kind\nColour,Oat,colour\nColour,Rust,colour\nColour,Peat,colour\n")
    rust, gone = (f"{pictures.address}/{name}.jpg" for name in ("red", "gone"))
    text = (
        f"attribute,choice,swatch picture,swatch\nColour,Rust,{rust},#A04020\nColour,Oat,{rust},\nColour,Peat,{gone},\n"
    )
    file = plan_file(ctx, text)
    service.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    Worker(ctx).work_one()  # it is brought in; its pictures wait
    (colour,) = vocabulary.read(ctx).attributes.values()
    oat = next(one for one in colour.choices if one.label == "Oat")
    chosen = attributes.ChoiceTyped(oat.id, oat.label, oat.code, "", moss)
    attributes.save(ctx, SYSTEM, colour.id, choices=[chosen])
    work_off(ctx)
    (colour,) = vocabulary.read(ctx).attributes.values()
    shown = {one.label: (one.swatch_media_id, one.swatch) for one in colour.choices}
    named = ctx.db.run(lambda tx: media.by_ids(tx, [shown["Rust"][0]])[shown["Rust"][0]].file_name)
    assert (named, shown["Rust"][1], shown["Oat"][0], shown["Peat"][0]) == ("red.jpg", "#A04020", moss, None)
    assert [one["sku"] for one in picturing.read(ctx, SYSTEM, file.id).failed] == ["Colour: Oat", "Colour: Peat"]
    assert unchanged(plan_file(ctx, text.replace(gone, "").replace(f"Oat,{rust}", "Oat,moss.jpg"))) == {}


def test_choices_get_pictures_of_the_library_which_go_out_and_come_in_again(ctx):
    moss, oat = add_picture(ctx, "moss.jpg"), media.take(ctx, SYSTEM, "oat.jpg", jpeg(colour="white")).id
    attributes.make(ctx, SYSTEM, Definition("Colour", AttributeKind.COLOUR, choices=["Moss", "Oat", "Peat"]))

    def shown():
        (one,) = vocabulary.read(ctx).attributes.values()
        return [choice.swatch_media_id for choice in one.choices]

    text = "attribute,choice,swatch picture\nColour,Moss,moss.jpg\nColour,Oat,oat.jpg\nColour,Peat,"
    file = plan_file(ctx, text + "gone.jpg")
    assert ["No file gone.jpg" in one.row.problems[0].message for one in rows(ctx, file, "refused")] == [True]
    bring_in(ctx, text)
    assert shown() == [moss, oat, None]
    file = plan_file(ctx, taken_out(ctx, RowsAre.ATTRIBUTE).read_bytes())
    assert "swatch_picture" in {rule.field for rule in file.rules}
    assert unchanged(file) == {}
    roll_back_newest(ctx)
    assert shown() == [None, None, None]


def test_product_types_come_in_with_their_attributes_and_what_makes_them_needed(ctx):
    attributes.make(ctx, SYSTEM, Definition("Material", AttributeKind.ONE_CHOICE, choices=["Wool", "Silk"]))
    attributes.make(ctx, SYSTEM, Definition("Micron", AttributeKind.SHORT_TEXT))
    text = (
        "Product type,Attribute,Code prefix,Delivered,Group,Needed,Needed when,Variants may differ\n"
        "Yarn,material,YRN,shipped,Fibre,always,,yes\n"
        "Yarn,Micron,YRN,,Fibre,when,material = wool,no\n"
        "Booklet,,BKL,downloaded,,,,\n"
        "Yarn,Nothing,,,,,,\n"
        "Booklet,Micron,,,,when,Material = Tweed,\n"
    )
    file = bring_in(ctx, text, leave_out=True)
    said = {one.row.line: one.row.problems[0].code for one in rows(ctx, file, "refused")}
    assert said == {5: "attribute.unknown", 6: "choice.unknown"}
    there = {one.name: one for one in vocabulary.read(ctx).types.values()}
    yarn = [(one.attribute.name, one.group, str(one.need), one.may_differ) for one in there["Yarn"].attributes]
    assert yarn == [("Material", "Fibre", "always", True), ("Micron", "Fibre", "when", False)]
    assert (there["Yarn"].code_prefix, there["Booklet"].delivered) == ("YRN", "downloaded")


def test_brands_and_tags_come_in_by_their_names(ctx):
    bring_in(ctx, "brand,tags\nCarrow Mill,spinner | wool\nLoomwright,\n")
    bring_in(ctx, "tag\nsummer\nwool\n")
    assert [one.name for one in vocabulary.list_named(ctx, SYSTEM, "brand")] == ["Carrow Mill", "Loomwright"]
    assert [one.name for one in vocabulary.list_named(ctx, SYSTEM, "tag")] == ["spinner", "summer", "wool"]


def reasons(ctx, file):
    return {one.row.line: one.row.problems[0].code for one in rows(ctx, file, "refused")}


def names_of(ctx, kind):
    return sorted(one.name for one in vocabulary.list_named(ctx, SYSTEM, kind))


def test_brands_and_tags_get_other_names_and_go_back(ctx):
    bring_in(ctx, "Brand,Tags\nCarrow Mill,wool\nFell,\n")
    make_product(ctx, "A-1", brand="Carrow Mill")
    text = "Brand,New name\nCarrow Mill,Carrow\nFell,Carrow\nGone,Come\nfell,\n"
    plan = plan_file(ctx, text)
    assert plan.row["counts"]["changed"] == 1
    assert reasons(ctx, plan) == {3: "name.taken", 4: "name.none", 5: "row.twice"}
    bring_in(ctx, text, leave_out=True)
    assert names_of(ctx, "brand") == ["Carrow", "Fell"]
    assert plan_file(ctx, "Brand,New name\nCarrow Mill,Carrow\n").row["counts"]["unchanged"] == 1, "it is done"
    roll_back_newest(ctx)
    assert names_of(ctx, "brand") == ["Carrow Mill", "Fell"]


def paths_of(ctx):
    return [one.path for one in categories.read_tree(ctx)]


def test_categories_are_moved_and_renamed_by_a_file_with_what_is_below_them(ctx):
    bring_in(ctx, TREE)
    before = paths_of(ctx)
    assert before == ["Yarn", "Yarn > Aran", "Notions", "Notions > Buttons", "Notions > Buttons > Horn"]
    text = (
        "Category;New path\n"
        "Notions > Buttons;Buttons and clasps\n"
        "Yarn;Wool\n"
        "Yarn > Aran;Yarn > Aran\n"
        "Notions > Buttons > Horn;Wool > Sundries > Horn\n"
        "Nowhere;Somewhere\n"
    )
    plan = plan_file(ctx, text)
    assert reasons(ctx, plan) == {6: "category.none"}
    assert (plan.row["counts"]["changed"], plan.row["counts"]["unchanged"]) == (3, 1)
    assert [one[0] for one in plan.row["makes"]] == ["Wool > Sundries"]
    bring_in(ctx, text, leave_out=True)
    assert paths_of(ctx) == ["Wool", "Wool > Aran", "Wool > Sundries", "Wool > Sundries > Horn", "Notions",
                             "Buttons and clasps"]  # fmt: skip
    again = plan_file(ctx, "Category;New path\nYarn;Wool\nWool > Aran;Wool\nWool > Sundries;Wool > Sundries > In\n")
    assert again.row["counts"]["unchanged"] == 1, "it stands there already"
    assert set(reasons(ctx, again)) == {3, 4}, "a place that is taken, and one below itself"
    roll_back_newest(ctx)
    assert paths_of(ctx) == before
    bring_in(ctx, "Category;New path\nYarn > Aran;Top > Aran\n")
    assert (values(ctx, "Top > Aran").hidden, values(ctx, "Top").hidden) == (False, False), "its goods stay in the shop"


def test_categories_are_put_in_order_by_their_places_and_the_others_stand_around_them(ctx):
    bring_in(ctx, "Category\n" + "\n".join(f"Yarn > {name}" for name in ("Aran", "Chunky", "Lace", "Sock")))

    def order():
        return [one.rpartition(" > ")[2] for one in paths_of(ctx)[1:]]

    plan = plan_file(ctx, "Category,Place\nYarn > Sock,1\nYarn > Aran,1.0\nYarn > Lace,0\nYarn > Lace,first\n")
    assert [one.row.name for one in rows(ctx, plan, "unchanged")] == ["Yarn > Aran"], "as it stood in the file"
    assert reasons(ctx, plan) == {4: "record.place", 5: "record.place"}
    bring_in(ctx, "Category,Place\nYarn > Sock,1\nYarn > Aran,1\nYarn > Chunky,9\nYarn > Merino,2\n")
    assert order() == ["Sock", "Merino", "Aran", "Lace", "Chunky"]
    assert plan_file(ctx, taken_out(ctx, RowsAre.CATEGORY).read_bytes()).row["counts"]["unchanged"] == 6
    roll_back_newest(ctx)
    assert order() == ["Aran", "Chunky", "Lace", "Sock"]
    file = plan_file(ctx, "Category,Place\nYarn > Sock,1\nYarn > Lace,2\n")
    bring_in(ctx, "Category,Place\nYarn > Sock,2\n")
    service.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    work_off(ctx)
    left = [one.row.name for one in rows(ctx, service.read(ctx, SYSTEM, file.id), "moved")]
    assert left == ["Yarn > Sock", "Yarn > Lace"], "somebody put them elsewhere meanwhile"
    assert order() == ["Aran", "Sock", "Chunky", "Lace"]


def test_categories_have_fields_of_their_own_in_files(ctx):
    for name, kind, choices in (
        ("Season", AttributeKind.ONE_CHOICE, ["Winter", "Summer"]),
        ("Needs", AttributeKind.SEVERAL_CHOICES, ["Needles", "Hook"]),
        ("Width", AttributeKind.NUMBER, []),
        ("Kind", AttributeKind.SHORT_TEXT, []),
        ("Care", AttributeKind.SHORT_TEXT, []),
    ):
        attributes.make(ctx, SYSTEM, Definition(name, kind, "length:mm" if name == "Width" else "", choices=choices))
    text = (
        "Category;Season;Needs;Width;Kind (attribute)\n"
        "Yarn;winter;needles | Hook;1,5 cm;=1+1\n"
        "Needles;Autumn;;;\n"
        "Hooks;;;wide;\n"
    )
    file = bring_in(ctx, text, leave_out=True)
    assert reasons(ctx, file) == {3: "choice.unknown", 4: "number.not_a_number"}
    path = taken_out(ctx, RowsAre.CATEGORY)
    heads, row = csv.reader(path.read_text(encoding="utf-8-sig").splitlines())
    said = dict(zip(heads, row, strict=True))
    assert [said[one] for one in ("season", "needs", "width")] == ["Winter", "Needles | Hook", "1.5 cm"]
    assert "care" not in said, "no category has it"
    assert unchanged(plan_file(ctx, path.read_bytes())) == {}
    assert unchanged(plan_file(ctx, "Category,Width\nYarn,15 mm\n")) == {"changed": 1}, "it is shown in another unit"
    file = plan_file(ctx, "Category,Season,Width\nYarn,Summer,\n")
    cleared = [{**rule, "empty": "clear"} if rule["column"] == 2 else rule for rule in file.row["rules"]]
    service.request_plan(ctx, SYSTEM, file.id, [Rule.of(rule) for rule in cleared])
    work_off(ctx)
    service.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    work_off(ctx)
    words = {one.id: one for one in vocabulary.read(ctx).attributes.values()}
    facts = {words[key].name: fact for key, fact in values(ctx, "Yarn").facts.items()}
    assert facts.keys() == {"Season", "Needs", "Kind"}
    assert (
        words[next(key for key in words if words[key].name == "Season")].choice(facts["Season"].choices[0]).label
        == "Summer"
    )
    roll_back_newest(ctx)
    assert len(values(ctx, "Yarn").facts) == 4


def test_attributes_choices_and_types_get_other_names_and_go_back(ctx):
    bring_in(ctx, "attribute,choice,kind\nColour,Oat,colour\nColour,Peat,colour\nCare,,short text\n")
    bring_in(ctx, "product type,attribute\nYarn,Colour\nYarn,Care\nTool,\n")
    text = (
        "Attribute,Choice,New attribute,New choice,Swatch,Choice (de)\n"
        "Colour,Oat,Shade,Sand,#EEDDCC,\n"
        "Colour,Peat,Shade,,#443322,Torf\n"
        "Colour,Moss,Shade,Lichen,,\n"
        "Care,,Shade,,,\n"
        "Gone,,Come,,,\n"
        "Colour,Fern,Tint,,,\n"
    )
    plan = plan_file(ctx, text)
    assert reasons(ctx, plan) == {4: "choice.none", 5: "attribute.taken", 6: "attribute.none", 7: "row.apart"}
    assert [one.row.becomes.get("new_attribute") for one in rows(ctx, plan, "changed")] == ["Shade", None]
    file = bring_in(ctx, text, leave_out=True)

    def shade():
        found = {one.name: [choice.label for choice in one.choices] for one in vocabulary.read(ctx).attributes.values()}
        return found.get("Shade"), found.get("Colour")

    assert shade() == (["Sand", "Peat"], None)
    assert unchanged(plan_file(ctx, "\n".join(text.splitlines()[:3]))) == {}, "it is done"
    assert reasons(ctx, plan_file(ctx, "Attribute,Choice,New choice\nShade,Sand,peat\n")) == {2: "choice.taken"}
    types = "Product type,Attribute,New name,Needed\nYarn,Shade,Yarns,always\nYarn,Care,Yarns,\nTool,,yarns,\nX,,Y,\n"
    assert reasons(ctx, plan_file(ctx, types)) == {4: "type.taken", 5: "type.none"}
    bring_in(ctx, types, leave_out=True)
    (tool, yarns) = sorted(vocabulary.read(ctx).types.values(), key=lambda one: one.name)
    assert (tool.name, yarns.name, [str(one.need) for one in yarns.attributes]) == ("Tool", "Yarns", ["always", "no"])
    for rows_are in (RowsAre.ATTRIBUTE, RowsAre.TYPE):
        assert unchanged(plan_file(ctx, taken_out(ctx, rows_are).read_bytes())) == {}
    roll_back_newest(ctx)
    assert sorted(one.name for one in vocabulary.read(ctx).types.values()) == ["Tool", "Yarn"]
    done = service.read(ctx, SYSTEM, file.id).row["change_set_id"]
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, done))
    assert shade() == (None, ["Oat", "Peat"])


@pytest.mark.parametrize("out", [Out.CSV, Out.XLSX, Out.ODS, Out.LINES, Out.XML])
def test_what_goes_out_comes_in_again_unchanged_in_each_format(ctx, out):
    add_picture(ctx, "aran.jpg")
    bring_in(ctx, TREE.replace("Aran yarn;;", "=1+1;aran.jpg;"))
    bring_in(ctx, "attribute,choice,kind,swatch\nColour,Oat,colour,#EEDDCC\nColour,Peat,colour,\nCare,,short text,\n")
    bring_in(ctx, "product type,attribute,needed,needed when\nYarn,Colour,always,\nYarn,Care,when,Colour = Oat\n")
    bring_in(ctx, "brand,tags\nCarrow Mill,wool\n")
    make_product(ctx, "A-1")
    bring_in(ctx, "sku,sale price,from\nA-1,15 %,2031-12-01\n")
    for rows_are in RowsAre:
        if rows_are is not RowsAre.GOODS:
            file = plan_file(ctx, taken_out(ctx, rows_are, out).read_bytes(), name=f"again.{out}")
            assert (file.row["rows_are"], unchanged(file)) == (rows_are, {}), rows_are
            assert file.row["counts"]["unchanged"]


def test_the_page_says_what_rows_are_takes_another_word_for_it_and_brings_them_in(ctx, browser):
    page = browser.write("/files/paste", {"text": "Name\tTags\nCarrow Mill\twool\n"})
    address = page.headers["location"]
    file_id = int(address.rsplit("/", 1)[1])
    browser.write(f"{address}/rows-are", {"rows_are": "brand"})
    work_off(ctx)
    text = browser.get(address).text
    assert "Bring in 1 brand" in text
    assert "Carrow Mill" in text
    browser.write(f"{address}/apply", {})
    work_off(ctx)
    done = browser.get(address).text
    assert "See the brands" in done
    assert service.read(ctx, SYSTEM, file_id).row["counts"]["new"] == 1


def test_a_file_that_only_adds_or_only_changes_leaves_the_rest_alone(ctx):
    bring_in(ctx, "brand,tags\nCarrow Mill,\n")
    file = plan_file(ctx, "brand,tags\nCarrow Mill,wool\nLoomwright,wool\n")
    for way, written, alone in (("add", "Loomwright", "Carrow Mill"), ("change", "Carrow Mill", "Loomwright")):
        handling = service.Handling.of({**file.row, "way": way})
        service.request_plan(ctx, SYSTEM, file.id, file.rules, handling)
        work_off(ctx)
        planned = service.read(ctx, SYSTEM, file.id)
        shown = [one.row.name for action in ("new", "changed") for one in rows(ctx, planned, action)]
        assert (shown, [one.row.name for one in rows(ctx, planned, "skipped")]) == ([written], [alone])


ODD = [
    "9" * 4_400,
    "-1",
    "1e30",
    "\U0001f9f6\u202e'\"><script>x</script>%s{{7*7}}",
    "[1, null]",
    "> > >",
    " | , | ",
    "\u00df" * 500,
]
ODD += ["a | " * 5_000, "=1+1", "\\", "Yarn > " * 30, "0001-01-01", "2031-02-30", "100 %", "$.x", "%(name)s"]


@pytest.mark.parametrize("rows_are", [one for one in RowsAre if one is not RowsAre.GOODS])
def test_odd_cells_in_any_column_are_refused_or_read_and_never_a_fault(ctx, rows_are):
    make_product(ctx, "A-1")
    columns = record_columns.columns_of(rows_are, ["de"])
    plain = {columns.keys[0]: "Yarn"}
    plain |= {RowsAre.ATTRIBUTE: {"kind": "colour"}, RowsAre.SALE: {"goods": "A-1"}}.get(rows_are, {})
    text = io.StringIO()
    writer = csv.writer(text)
    writer.writerow([one.headers[0] for one in columns.columns.values()])
    for name in columns.columns:
        writer.writerows([{**plain, name: odd}.get(one, "") for one in columns.columns] for odd in ODD)
    file_id = service.take(ctx, SYSTEM, "odd.csv", io.BytesIO(text.getvalue().encode()))
    service.rows_are(ctx, SYSTEM, file_id, rows_are)
    service.request_plan(ctx, SYSTEM, file_id, service.read(ctx, SYSTEM, file_id).rules)
    work_off(ctx)
    file = service.read(ctx, SYSTEM, file_id)
    assert (file.trouble, file.step) == ("", "planned")
    counts = file.row["counts"]
    assert sum(counts[one] for one in ("new", "changed", "unchanged", "refused")) == len(ODD) * len(columns.columns)
    service.request_apply(ctx, SYSTEM, file_id, leave_out=True)
    work_off(ctx)
    assert (service.read(ctx, SYSTEM, file_id).trouble, file.row["counts"]["refused"] > 0) == ("", True)


def test_more_rows_than_one_act_can_write_are_taken_where_they_change_nothing(ctx, monkeypatch):
    monkeypatch.setattr(planning, "MOST_WRITTEN", 3)
    names = ["Aran", "Fellside", "Loom", "Moss", "Tarn"]
    for name in names:
        vocabulary.make(ctx, SYSTEM, "brand", name)
    file = plan_file(ctx, "brand,new name\n" + "".join(f"{name},{name}\n" for name in names))
    assert (file.trouble, file.row["counts"]["unchanged"]) == ("", 5)
    for rows_said in ("".join(f"{name},{name} wool\n" for name in names), "A,A\nB,B\nC,C\nD,D\n"):
        file = plan_file(ctx, f"brand,new name\n{rows_said}")
        assert "More than 3 rows would make or change something" in file.trouble
    monkeypatch.setattr(planning, "MOST_ROWS", 4)
    file = plan_file(ctx, "brand,new name\n" + "".join(f"{name},{name}\n" for name in names))
    assert "at most 4" in file.trouble
    assert sorted(ctx.db.run(lambda tx: vocabulary.names_of(tx, "brand")).values()) == names


def test_no_such_file_is_all_there_is(ctx):
    file = plan_file(ctx, "brand,tags\nCarrow Mill,wool\n")
    with pytest.raises(Refused, match="Only a file of goods"):
        service.request_plan(ctx, SYSTEM, file.id, file.rules, service.Handling.of({**file.row, "way": "equal"}))
    assert service.read(ctx, SYSTEM, file.id).row["way"] == "both"


def test_a_profile_keeps_what_rows_are(ctx):
    file = plan_file(ctx, "Name,Labels\nCarrow Mill,wool\n")
    service.rows_are(ctx, SYSTEM, file.id, RowsAre.BRAND)
    service.request_plan(ctx, SYSTEM, file.id, [Rule("name", 0), Rule("tags", 1)])
    work_off(ctx)
    profiles.keep(ctx, SYSTEM, file.id, "Labels of the mill")
    again = plan_file(ctx, "Name,Labels\nLoomwright,silk\n")
    assert (again.row["rows_are"], again.row["counts"]["new"]) == ("brand", 1)
    assert [rule.field for rule in again.rules] == ["name", "tags"], "without the profile nothing knows “Labels”"


def test_rows_are_narrowed_by_a_field_and_a_reason_and_searched(ctx):
    bring_in(ctx, "category,meta title\nYarn,One\nWool,One\n")
    text = (
        "category,meta title,search words,kind\nYarn,Two,,\nWool,,fleece,\nSilk,,,leaflet\nFelt,,,x\nOdd > > one,a,,\n"
    )
    file = plan_file(ctx, text)

    def names(action, **asked):
        return [one.row.name for one in planned_rows.rows_of(ctx, SYSTEM, file, action, **asked).records]

    assert names("changed", by="search_words") == ["Wool"]
    assert names("refused", by="why-record.word") == ["Silk", "Felt"]
    assert names("changed", search="yar") == ["Yarn"]


def test_an_attribute_that_got_another_name_after_the_dry_run_is_left_out(ctx):
    made = attributes.make(ctx, SYSTEM, Definition("Colour", AttributeKind.COLOUR, choices=["Oat"])).id
    file = plan_file(ctx, "attribute,choice,swatch\nColour,Oat,#EEDDCC\n")
    attributes.save(ctx, SYSTEM, made, "Shade")
    service.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    work_off(ctx)
    assert service.read(ctx, SYSTEM, file.id).row["counts"]["moved"] == 1
    assert [one.name for one in vocabulary.read(ctx).attributes.values()] == ["Shade"]
