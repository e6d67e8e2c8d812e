"""The library: found, used, replaced everywhere, deleted where nothing uses it, and brought back."""

from dataclasses import replace

import pytest

from graupel.core.errors import NotAllowed, NotFound, Refused
from graupel.core.media import MediaKind
from graupel.core.pictures import Picture
from graupel.core.roles import SYSTEM
from graupel.demo import films
from graupel.features.history import rolling_back
from graupel.features.history import service as history
from graupel.features.media import library, service
from graupel.features.media.library import Wanted
from graupel.features.products import saving, summary
from graupel.features.products import service as products
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary.attributes import ChoiceTyped
from tests.making import jpeg, make_product, roll_back_newest
from tests.needles import colour, needles, size
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser", "colour", "needles", "size"]


def names(ctx, **wanted) -> list[str]:
    """The file names of what the library shows."""
    return [one.file_name for one in library.shelf(ctx, SYSTEM, Wanted(**wanted)).media]


def show(ctx, product_id, *pictures, **values):
    """Give a product these pictures."""
    current = products.read(ctx, SYSTEM, product_id).values
    saving.save(ctx, SYSTEM, product_id, replace(current, pictures=pictures, **values), None)


@pytest.fixture
def files(ctx):
    """Three pictures by colour."""
    return {name: service.take(ctx, SYSTEM, f"{name}.jpg", jpeg(60, name)) for name in ("red", "green", "blue")}


def put_in_place(ctx, actor, media_id, name, content, *, keep_old=False):
    """Another file, just taken in, in the place of one."""
    return service.replace(ctx, actor, media_id, service.take(ctx, SYSTEM, name, content).id, keep_old=keep_old)


def test_what_is_found_by_file_product_or_text(ctx, files):
    show(ctx, make_product(ctx, "A", name="Fellside aran"), Picture(files["red"].id, "A ball of wool", "Close by"))
    assert names(ctx) == ["blue.jpg", "green.jpg", "red.jpg"]
    for words in ("fellside", "BALL of", "close", "red.j"):
        assert names(ctx, search=words) == ["red.jpg"], words
    assert names(ctx, search="100%") == names(ctx, search="r_d") == []
    assert names(ctx, before=files["blue"].id) == ["green.jpg", "red.jpg"]
    assert names(ctx, kind=MediaKind.VIDEO) == []


def test_unused_is_what_stands_in_no_record_and_no_text(ctx, colour, files):
    product_id = make_product(ctx, "A")
    show(ctx, product_id, Picture(files["red"].id), description=f'<p><img src="{files["green"].link("page")}"></p>')
    assert names(ctx, unused=True) == ["blue.jpg"]
    typed = [ChoiceTyped(one.id, one.label, one.code, "", files["blue"].id) for one in colour.choices]
    attributes.save(ctx, SYSTEM, colour.id, choices=typed)
    assert names(ctx, unused=True) == []
    assert library.shelf(ctx, SYSTEM, Wanted()).uses == {files["red"].id: 1, files["blue"].id: 4}
    used = {one.label: [r.title for r in one.records] for one in library.detail(ctx, SYSTEM, files["green"].id).used}
    assert used == {"Texts: product": ["Fellside aran A"]}


def test_what_is_in_use_can_not_be_deleted_and_it_is_said_where(ctx, editor, files):
    show(ctx, make_product(ctx, "A", name="Fellside aran"), Picture(files["red"].id))
    with pytest.raises(Refused, match=r"red.jpg.* is in use \(products: Fellside aran\)"):
        service.delete(ctx, editor, [files["blue"].id, files["red"].id])
    assert len(names(ctx)) == 3, "all or nothing"


def test_what_is_deleted_is_given_to_nobody_until_it_is_brought_back(ctx, editor, files):
    service.save(ctx, editor, files["red"].id, "red.jpg", None, ["summer"])
    assert service.delete(ctx, editor, [files["red"].id, files["blue"].id]) == 2
    with pytest.raises(NotFound):
        service.find(ctx, files["red"].sha256, "full")
    roll_back_newest(ctx)
    assert names(ctx) == ["blue.jpg", "green.jpg", "red.jpg"]
    assert service.find(ctx, files["red"].sha256, "full")[0].exists()
    assert library.detail(ctx, editor, files["red"].id).tags == ["summer"]


def test_a_file_is_replaced_wherever_it_stands_and_put_back(ctx, editor, colour, needles, files):
    red, green = files["red"], files["green"]
    heather = colour.choices[0].id
    text = f'<p>See <img src="{red.link("page")}" alt="it"></p>'
    show(ctx, needles, Picture(green.id), Picture(red.id, "Red", "Close by", (heather,)), description=text)
    both = make_product(ctx, "B")
    typed = [ChoiceTyped(one.id, one.label, one.code, "", red.id) for one in colour.choices[:1]]
    attributes.save(ctx, SYSTEM, colour.id, choices=typed)
    version = products.read(ctx, SYSTEM, needles).version
    new = put_in_place(ctx, editor, red.id, "better.jpg", jpeg(90, "red"))
    show(ctx, both, Picture(new.id))
    now = products.read(ctx, SYSTEM, needles)
    assert now.values.pictures == (Picture(green.id), Picture(new.id, "Red", "Close by", (heather,)))
    assert new.sha256 in now.values.description
    assert now.version > version, "who has the page open is told"
    assert attributes.read(ctx, SYSTEM, colour.id).attribute.choices[0].swatch_media_id == new.id
    assert "red.jpg" not in names(ctx)
    number = [one["id"] for one in history.list_change_sets(ctx, SYSTEM).change_sets if one["kind"] == "media.replace"]
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, number[0]))
    back = products.read(ctx, SYSTEM, needles).values
    assert (back.pictures[1], back.description) == (Picture(red.id, "Red", "Close by", (heather,)), text)
    assert attributes.read(ctx, SYSTEM, colour.id).attribute.choices[0].swatch_media_id == red.id


def test_the_old_file_may_stay_and_the_new_one_come_from_the_library(browser, ctx, needles, files):
    show(ctx, needles, Picture(files["red"].id))
    form = {"from_library": str(files["green"].id), "keep_old": "yes"}
    answer = browser.write(f"/media/{files['red'].id}/replace", form)
    assert answer.headers["hx-redirect"] == f"/media/{files['green'].id}?replaced=1"
    assert products.read(ctx, SYSTEM, needles).values.pictures == (Picture(files["green"].id),)
    assert "red.jpg" in names(ctx)
    again = browser.write(f"/media/{files['red'].id}/replace", {"from_library": "", "keep_old": "yes"})
    assert (again.status_code, "Choose the file" in again.text) == (422, True)


def test_where_both_stand_one_stays_and_a_roll_back_gives_the_other_back(ctx, editor, colour, needles, files):
    red, green = files["red"], files["green"]
    shown = (Picture(green.id, "Green"), Picture(red.id, "Red", "", (colour.choices[0].id,)))
    show(ctx, needles, *shown)
    put_in_place(ctx, editor, red.id, "green.jpg", jpeg(60, "green"))
    assert products.read(ctx, SYSTEM, needles).values.pictures == shown[:1]
    roll_back_newest(ctx)
    assert products.read(ctx, SYSTEM, needles).values.pictures == shown


def test_a_replacement_is_another_file_of_the_same_kind(ctx, editor, files):
    with pytest.raises(Refused, match="very same file"):
        put_in_place(ctx, editor, files["red"].id, "again.jpg", jpeg(60, "red"))
    with pytest.raises(Refused, match=r"This is a picture, and “film.mp4” is a video"):
        put_in_place(ctx, editor, files["red"].id, "film.mp4", films.film("#8C7AA0", 1, frames=3, side=64))


def test_a_replaced_picture_is_news_to_whoever_follows_its_products(ctx, editor, files):
    product_id = make_product(ctx, "A")
    show(ctx, product_id, Picture(files["red"].id))
    heard = []
    follower = summary.on_touched(lambda tx, touched: heard.extend(tx.all(f"SELECT product_id FROM {touched.table}")))
    try:
        put_in_place(ctx, editor, files["red"].id, "b.jpg", jpeg(61))
    finally:
        summary._FOLLOWERS.remove(follower)
    assert [row["product_id"] for row in heard] == [product_id]


def test_name_poster_and_tags_are_saved(ctx, editor, files):
    link = service.take_link(ctx, editor, "https://films.example/winding")
    service.save(ctx, editor, link.id, "Winding", files["red"].id, ["summer", "films"])
    detail = library.detail(ctx, editor, link.id)
    assert (detail.media.file_name, detail.poster.id, detail.tags) == ("Winding", files["red"].id, ["films", "summer"])
    with pytest.raises(Refused, match="must be a picture"):
        service.save(ctx, editor, link.id, "Winding", link.id, [])
    with pytest.raises(Refused, match="poster"):
        service.delete(ctx, editor, [files["red"].id])


def test_a_viewer_looks_and_changes_nothing(ctx, viewer, files):
    assert library.detail(ctx, viewer, files["red"].id).media.id
    for act in (
        lambda: service.take(ctx, viewer, "a.jpg", jpeg()),
        lambda: service.take_link(ctx, viewer, "https://films.example/a"),
        lambda: service.save(ctx, viewer, files["red"].id, 1, "a", None, []),
        lambda: put_in_place(ctx, viewer, files["red"].id, "a.jpg", jpeg()),
        lambda: service.delete(ctx, viewer, [files["red"].id]),
    ):
        with pytest.raises(NotAllowed):
            act()


def test_the_pages_of_the_library(browser, ctx, files):
    assert "red.jpg" in browser.get("/media?kind=picture&q=red").text
    page = browser.get(f"/media/{files['red'].id}")
    assert "Nothing uses this file." in page.text
    assert "60 × 60" in page.text
    assert 'data-picked="' in browser.get("/media/pick?pictures=1").text
    product_id = make_product(ctx, "A", name="Fellside aran")
    assert "Fellside aran" in browser.get(f"/products/for-media/{files['red'].id}?q=fells").text
    answer = browser.write(f"/products/{product_id}/media", {"media": str(files["red"].id)})
    assert answer.headers["hx-redirect"] == f"/products/{product_id}#pictures"
    assert "in use" in browser.write(f"/media/{files['red'].id}/delete").text
    answer = browser.write(f"/media/{files['red'].id}/replace", files={"file": ("new.jpg", jpeg(61))})
    assert "replaced=1" in answer.headers["hx-redirect"]
    assert browser.write(f"/media/{files['green'].id}/replace", {}).status_code == 422
    assert browser.write("/media/delete", {"chosen": str(files["green"].id)}).status_code == 200
    assert browser.get(f"/media/{files['green'].id}").status_code == 404
    refused = browser.write("/media", files={"file": ("setup.exe.jpg", b"MZ" + b"\0" * 99)})
    assert (refused.status_code, "a program" in refused.json()["problem"]) == (422, True)
    assert browser.write("/media/link", {"address": "nowhere"}).status_code == 422
