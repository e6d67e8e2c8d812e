"""Translating: what is left, what is out of date, by hand and by files that go out and come in again."""

import csv
import io
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core.categories import CategoryValues
from graupel.core.errors import NotAllowed, NotFound, Refused
from graupel.core.pictures import Picture
from graupel.core.products import Status
from graupel.core.resolve import Lens
from graupel.core.roles import SYSTEM, Role
from graupel.core.wording import State
from graupel.features.categories import editing
from graupel.features.categories import service as categories
from graupel.features.history import service as history
from graupel.features.media import service as media
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.translating import exchange, service, xliff
from graupel.features.translating.service import ProgressKeeper, Text
from graupel.features.translating.store import Asked
from graupel.features.vocabulary import service as vocabulary
from graupel.features.wording.originals import Words
from tests.making import add_german, jpeg, make_product, roll_back_newest, set_status
from tests.needles import colour, needles, size
from tests.serving import app, as_role, browser, stranger

__all__ = ["app", "as_role", "browser", "colour", "needles", "size", "stranger"]
RICH = '<p>Of <strong>wool</strong> &amp; silk, 5 &lt; 6.</p><ul><li><a href="https://x.example/">round</a></li></ul>'


@pytest.fixture
def yarn(ctx) -> int:
    add_german(ctx)
    return make_product(ctx, "FEL-1", name="Yarn", description=RICH, key_points=("warm", "round"))


@pytest.fixture(autouse=True)
def _always_counted(monkeypatch) -> None:
    monkeypatch.setattr(service, "DEAR", 0)


def left(ctx, kind: str, **asked) -> dict[str, str]:
    """The texts that fit by key, with what stands in German."""
    found = service.worklist(ctx, SYSTEM, "de", kind, Asked(**asked))
    return {text.key: text.value for record in found.records for text in record.texts}


def write(ctx, kind: str, record_id: int, field: str, text: str, **more) -> Text:
    return service.write(ctx, SYSTEM, "de", kind, record_id, field, text, **more)


def test_the_worklist_says_what_is_missing_and_what_is_out_of_date(ctx, yarn):
    assert set(left(ctx, "product", state=State.MISSING)) == {
        f"product-{yarn}-{f}" for f in ("name", "description", "key_points")
    }
    assert write(ctx, "product", yarn, "name", " Garn ").state is State.DONE
    assert write(ctx, "product", yarn, "key_points", "- warm\r\n- rund").value == "warm\nrund"
    assert left(ctx, "product", state=State.DONE)[f"product-{yarn}-name"] == "Garn"
    product = products.read(ctx, SYSTEM, yarn)
    saving.save(ctx, SYSTEM, yarn, replace(product.values, name="Soft yarn"), product.version)
    assert left(ctx, "product", state=State.OUTDATED) == {f"product-{yarn}-name": "Garn"}
    record = service.worklist(ctx, SYSTEM, "de", "product", Asked(State.OUTDATED)).records[0]
    changed = [(piece.kind, piece.text) for piece in record.texts[0].changed]
    assert changed == [("gone", "Yarn"), ("new", "Soft yarn")]
    assert service.progress(ctx, SYSTEM, "de")["product"].outdated == 1
    assert write(ctx, "product", yarn, "name", "Garn", confirm=True).state is State.DONE
    roll_back_newest(ctx)
    assert left(ctx, "product", state=State.OUTDATED), "that it holds was rolled back"
    assert left(ctx, "product", search="GARN")[f"product-{yarn}-name"] == "Garn", "both languages are searched"
    assert left(ctx, "product", search="nowhere") == {}
    assert len(left(ctx, "product", only_live=True)) == 3
    set_status(ctx, yarn, Status.DRAFT)
    assert left(ctx, "product", only_live=True) == {}
    assert write(ctx, "product", yarn, "name", "").state is State.MISSING


def test_every_kind_of_words_can_be_translated_and_buyers_read_them(stranger, ctx, needles):
    add_german(ctx)
    words = vocabulary.read(ctx)
    attribute = next(one for one in words.attributes.values() if one.name == "Colour")
    aran = categories.read_tree(ctx).find("yarn > aran")
    for kind, record_id, field, text in (
        ("attribute", attribute.id, "name", "Farbe"),
        ("choice", attribute.choices[0].id, "label", "Heidekrautfarben"),
        ("category", aran, "name", "Aranstärke"),
        ("product", needles, "name", "Nadelspielstricknadeln"),
        ("tree", 1, "name", "Hauptnavigation"),
    ):
        assert write(ctx, kind, record_id, field, text).state is State.DONE, kind
    page = stranger.get(f"/shop/de/p/{needles}").text
    for text in ("Farbe", "Heidekrautfarben", "Aranstärke", "Nadelspielstricknadeln"):
        assert text in page, text
    through = vocabulary.seen(ctx, Lens("", ("de", "")))
    assert through.attributes[attribute.id].choices[1].label == "Oat", "what is missing stays"
    titles = [row["title"] for row in history.list_change_sets(ctx, SYSTEM).change_sets]
    assert "Translated into German: Name of Colour" in titles


def test_the_words_of_pictures_and_categories_are_translated(stranger, ctx, yarn):
    file = media.take(ctx, SYSTEM, "a.jpg", jpeg())
    product = products.read(ctx, SYSTEM, yarn)
    shown = replace(product.values, pictures=(Picture(file.id, "A skein", "Close by"),))
    saving.save(ctx, SYSTEM, yarn, shown, product.version)
    picture = ctx.db.run(lambda tx: tx.value("SELECT id FROM picture"))
    write(ctx, "picture", picture, "alt", "Ein Strang")
    assert 'alt="Ein Strang"' in stranger.get(f"/shop/de/p/{yarn}").text
    assert 'alt="Ein Strang"' in stranger.get("/shop/de").text
    assert 'alt="A skein"' in stranger.get("/shop").text
    yarns = categories.read_tree(ctx).find("yarn")
    detail = editing.read(ctx, SYSTEM, yarns)
    values: CategoryValues = replace(detail.values, description="<p>Soft</p>")
    editing.save(ctx, SYSTEM, yarns, values, own={".de.description": "<p>Weich</p>", ".de.address_part": "garne"})
    german = stranger.get(f"/shop/de/c/{yarns}")
    assert german.url.path == f"/shop/de/c/{yarns}-garne"
    assert "Weich" in german.text


def test_counts_are_kept_while_nothing_changed_and_for_a_while_where_counting_is_dear(monkeypatch):
    monkeypatch.setattr(service, "DEAR", 20)
    keeper, clock, made = ProgressKeeper(), [100.0], []
    monkeypatch.setattr(service.time, "monotonic", lambda: clock[0])

    def count():
        made.append(clock[0])
        clock[0] += 2
        return {}

    keeper.get("de", "first", count)
    keeper.get("de", "first", count)
    clock[0] += 30
    keeper.get("de", "second", count)
    assert len(made) == 1, "two seconds of counting are good for forty"
    clock[0] += 11
    keeper.get("de", "second", count)
    keeper.get("fr", "second", count)
    assert len(made) == 3


@pytest.mark.parametrize(
    ("kind", "field", "text", "says"),
    [
        ("product", "address_part", "ä ö", "can't stand in an address"),
        ("product", "name", "x" * 300, "at most 255"),
        ("product", "short_text", "x" * 5001, "at most 5,000"),
    ],
)
def test_a_translation_is_checked_like_its_original(ctx, yarn, kind, field, text, says):
    with pytest.raises(Refused) as refused:
        write(ctx, kind, yarn, field, text)
    assert says in refused.value.problems[0].message


def test_what_is_not_there_can_not_be_translated(ctx, yarn, viewer):
    for kind, record, field in (("product", 10**6, "name"), ("product", yarn, "sku"), ("planet", 1, "name")):
        with pytest.raises(NotFound):
            write(ctx, kind, record, field, "x")
    with pytest.raises(NotFound, match="no language"):
        service.write(ctx, SYSTEM, "fr", "product", yarn, "name", "x")
    with pytest.raises(NotAllowed):
        service.write(ctx, viewer, "de", "product", yarn, "name", "x")


# --- files ---------------------------------------------------------------------------------------------------


def out(ctx, form: str, asked: Asked = Asked()) -> bytes:
    return b"".join(exchange.take_out(ctx, SYSTEM, "de", [], asked, form))


def plan(ctx, content: bytes) -> exchange.TranslationPlan:
    return exchange.plan(ctx, SYSTEM, "de", exchange.keep(ctx, SYSTEM, io.BytesIO(content)), "texts")


def bring_in(ctx, content: bytes) -> int:
    return exchange.apply(ctx, SYSTEM, "de", exchange.keep(ctx, SYSTEM, io.BytesIO(content)), "texts").texts


def filled(content: bytes, **said: str) -> bytes:
    """The table with some translations filled in, by key with underscores."""
    rows = list(csv.DictReader(io.StringIO(content.decode("utf-8-sig"), newline="")))
    for row in rows:
        row["translation"] = said.get(row["key"].replace("-", "_"), row["translation"])
    text = io.StringIO()
    writer = csv.DictWriter(text, rows[0].keys(), delimiter=";")
    writer.writeheader()
    writer.writerows(rows)
    return text.getvalue().encode("cp1252")


def test_a_table_goes_out_is_filled_and_comes_in_as_one_change_that_rolls_back(ctx, yarn):
    write(ctx, "product", yarn, "key_points", "warm\nrund")
    content = filled(out(ctx, "csv"), **{f"product_{yarn}_name": "Süßes Garn", f"product_{yarn}_key_points": "weich"})
    found = plan(ctx, content)
    assert [one.value for one in found.new] == ["Süßes Garn"]
    assert [(one.before, one.value) for one in found.changed] == [("warm\nrund", "weich")]
    assert (found.unchanged, found.refused, found.behind) == (0, [], 0)
    assert bring_in(ctx, content) == 2
    assert products.read(ctx, SYSTEM, yarn).values.own == {".de.name": "Süßes Garn", ".de.key_points": "weich"}
    again = plan(ctx, content)
    assert (again.new, again.changed, again.unchanged) == ([], [], 2)
    assert bring_in(ctx, content) == 0
    roll_back_newest(ctx)
    assert products.read(ctx, SYSTEM, yarn).values.own == {".de.key_points": "warm\nrund"}


def test_xliff_goes_out_and_comes_in_with_its_markup_whole(ctx, yarn):
    document = out(ctx, "xliff").decode()
    assert 'srcLang="en" trgLang="de"' in document
    assert "<strong>" not in document.replace("&lt;strong&gt;", "")
    lang, units = xliff.read(document.encode())
    assert lang == "de"
    sources = {unit.key: unit.source for unit in units}
    assert sources[f"product-{yarn}-description"] == products.read(ctx, SYSTEM, yarn).values.description
    translated = document.replace("</source></segment>", "</source><target>Übersetzt</target></segment>")
    found = plan(ctx, translated.encode())
    assert (len(found.new), found.refused) == (len(units), [])
    bring_in(ctx, translated.encode())
    assert products.read(ctx, SYSTEM, yarn).values.own[".de.name"] == "Übersetzt"
    assert service.progress(ctx, SYSTEM, "de")["product"].missing == 0


def test_an_original_that_changed_meanwhile_comes_in_as_out_of_date(ctx, yarn):
    content = filled(out(ctx, "csv"), **{f"product_{yarn}_name": "Garn"})
    product = products.read(ctx, SYSTEM, yarn)
    saving.save(ctx, SYSTEM, yarn, replace(product.values, name="Soft yarn"), product.version)
    assert plan(ctx, content).behind == 1
    bring_in(ctx, content)
    assert set(left(ctx, "product", state=State.OUTDATED)) == {f"product-{yarn}-name"}


BOMB = b'<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]><xliff>&b;</xliff>'


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b" ", "empty"),
        (b"<xliff", "no XML that can be read"),
        (BOMB, "no XML that can be read"),
        (b'<xliff xmlns="urn:oasis:names:tc:xliff:document:1.2" version="1.2"/>', "no XLIFF 2.0"),
        (b'<xliff xmlns="urn:oasis:names:tc:xliff:document:2.0" version="2.0" trgLang="fr"/>', "is for French"),
        (b"name,translation\nx,y\n", "no column"),
        (b"\x00\x01\x02binary\x00", "not a text file"),
    ],
)
def test_a_file_that_is_none_is_refused_with_what_is_wrong(ctx, yarn, content, says):
    with pytest.raises(Refused) as refused:
        plan(ctx, content)
    assert says in refused.value.problems[0].message
    assert products.read(ctx, SYSTEM, yarn).values.own == {}


def test_what_can_not_come_in_is_named_with_its_line_and_the_rest_comes(ctx, yarn):
    keys = ("planet-1-name", "product-999999-name", f"product-{yarn}-address_part", "nokey", f"product-{yarn}-name")
    rows = "key,original,translation\n" + "".join(f"{key},,ä\n" for key in keys)
    found = plan(ctx, rows.encode())
    assert [problem.row for problem in found.refused] == [2, 5, 3, 4]
    assert "is no key" in found.refused[1].message
    assert bring_in(ctx, rows.encode()) == 1


def test_a_translation_that_lost_markup_comes_in_with_a_warning(ctx, yarn):
    product = products.read(ctx, SYSTEM, yarn)
    rich = '<p>Soft and <a href="https://yarn.example/">warm</a></p><ul><li>one</li><li>two</li></ul>'
    saving.save(ctx, SYSTEM, yarn, replace(product.values, description=rich), product.version)
    whole = '<p><a href="https://garn.example/">Warm</a> und weich</p><ul><li>eins</li><li>zwei</li></ul>'
    key = f"product_{yarn}_description"
    assert plan(ctx, filled(out(ctx, "csv"), **{key: whole})).bare == 0
    bare = filled(
        out(ctx, "csv"), **{key: "<p>Warm und weich</p><ul><li>eins</li></ul>", f"product_{yarn}_name": "Garn"}
    )
    found = plan(ctx, bare)
    assert found.bare == 1
    assert exchange.page_of(found).texts[0].lost == ("1 link", "1 point of a list")
    assert bring_in(ctx, bare) == 2


def test_what_changed_since_the_dry_run_is_left_out_and_looked_at_again(browser, ctx, yarn):
    other = make_product(ctx, "H-2", name="Other yarn")
    made = filled(out(ctx, "csv"), **{f"product_{yarn}_name": "Garn", f"product_{other}_name": "Anderes Garn"})
    upload = {"file": ("texts.csv", made, "text/csv")}
    address = browser.write("/translate/de/file", files=upload).headers["location"]
    page = browser.get(address).text
    seen = page.split('name="seen" value="')[1].split('"')[0]
    product = products.read(ctx, SYSTEM, yarn)
    saving.save(ctx, SYSTEM, yarn, replace(product.values, name="Renamed meanwhile"), product.version)
    form = {"name": "texts.csv", "seen": seen}
    done = browser.write(address.partition("?")[0], data=form).headers["location"]
    again = browser.get(done).text
    assert "1 text was left out" in again
    assert (f"product-{yarn}-name" in again, f"product-{other}-name" in again) == (True, False)
    assert products.read(ctx, SYSTEM, other).values.own == {".de.name": "Anderes Garn"}
    assert products.read(ctx, SYSTEM, yarn).values.own == {}
    found = browser.get(f"{address}&show=new&q=nothing+like+it").text
    assert "None of these texts holds" in found


def test_what_goes_out_is_what_is_listed(browser, ctx, yarn):
    make_product(ctx, "H-1", name="Hidden draft", status=Status.DRAFT)
    everything = browser.get("/translate/de/file?form=csv&kind=product&state=missing").text
    assert "Hidden draft" in everything
    seen = browser.get("/translate/de/file?form=csv&kind=product&state=missing&live=1")
    assert ("Hidden draft" in seen.text, f"product-{yarn}-name" in seen.text) == (False, True)
    assert "Hidden draft" not in browser.get("/translate/de/file?form=csv&q=yarn").text
    offered = browser.get("/translate/de?kind=product&state=missing&live=1&q=yarn").text
    assert "/file?form=csv&amp;kind=product&amp;state=missing&amp;live=1&amp;q=yarn" in offered


def test_a_link_does_not_choose_a_files_name(browser, yarn):
    assert browser.get("/translate/de/file?form=csv&state=invoice.exe").status_code == 422
    file = browser.get("/translate/de/file?form=csv&state=all&name=invoice.exe")
    assert file.headers["Content-Disposition"] == 'attachment; filename="catalogue-en-de.csv"'


texts = st.text(st.characters(codec="utf-8", exclude_categories=("Cs", "Cc")), max_size=30)


@given(st.lists(st.tuples(texts, texts), max_size=4))
def test_any_text_survives_the_way_through_xliff(pairs):
    words = Words("Name", "t.name")
    sent = [
        (Text("product", number, "name", words, original, value, None, State.DONE), "A title")
        for number, (original, value) in enumerate(pairs)
    ]
    _, units = xliff.read("".join(xliff.write(sent, "en", "de")).encode())
    kept = [(xliff._CONTROL.sub("", original), xliff._CONTROL.sub("", value)) for original, value in pairs]
    assert [(unit.source, unit.target) for unit in units] == kept


def test_the_pages_of_translating(browser, as_role, ctx, yarn):
    page = browser.get("/translate", follow_redirects=True)
    assert page.url.path == "/translate/de"
    assert "Yarn" in page.text
    said = browser.write(f"/translate/de/product/{yarn}/name", {"value": "Garn"})
    assert 'data-state="done"' in said.text
    refused = browser.write(f"/translate/de/product/{yarn}/address_part", {"value": "ä"})
    assert (refused.status_code, "can&#39;t stand" in refused.text) == (422, True)
    file = browser.get("/translate/de/file?form=csv&kind=product")
    assert file.headers["Content-Disposition"] == 'attachment; filename="catalogue-en-de-product.csv"'
    assert browser.get("/translate/de/file?form=xliff").text.startswith("<?xml")
    content = filled(file.content, **{f"product_{yarn}_key_points": "weich"})
    sent = browser.write("/translate/de/file", {}, files={"file": ("back.csv", content)})
    plan_page = browser.get(sent.headers["location"])
    assert "What back.csv does" in plan_page.text
    assert "weich" in plan_page.text
    seen = plan_page.text.split('name="seen" value="')[1].split('"')[0]
    done = browser.write(sent.headers["location"].partition("?")[0], {"name": "back.csv", "seen": seen})
    assert done.status_code == 303
    assert products.read(ctx, SYSTEM, yarn).values.own[".de.key_points"] == "weich"
    assert "is empty" in browser.write("/translate/de/file", {}, files={"file": ("e.csv", b" ")}).text
    assert "Choose a file" in browser.write("/translate/de/file", {}).text
    assert browser.get("/translate/fr").status_code == 404
    viewer = as_role(Role.VIEWER)
    assert "readonly" in viewer.get("/translate/de?state=all").text
    assert viewer.write(f"/translate/de/product/{yarn}/name", {"value": "X"}).status_code == 403


def test_a_word_seen_in_german_leads_to_where_it_is_translated(browser, ctx, needles, colour):
    add_german(ctx)
    page = browser.get(f"/vocabulary/attributes/{colour.id}?lens=de").text
    way = page.split('href="/translate/')[2].split('"')[0].replace("&amp;", "&")
    assert "Colour" in browser.get(f"/translate/{way}").text
    assert "/translate/de?kind" not in browser.get(f"/vocabulary/attributes/{colour.id}").text
