"""Pictures of a product and of its variants: saved, shown to buyers, gone with what they belonged to."""

import re
from dataclasses import replace

import pytest

from graupel.core.errors import Refused
from graupel.core.pictures import Picture
from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.demo import films
from graupel.features.media import service as media
from graupel.features.products import saving, service
from graupel.features.products.saving import SaveConflict
from graupel.features.variants import taking
from tests.making import jpeg, make_product, roll_back_newest
from tests.needles import by_label, colour, needles, size
from tests.serving import app, as_role, browser, stranger

__all__ = ["app", "as_role", "browser", "colour", "needles", "size", "stranger"]


def take(ctx, name: str, side: int) -> int:
    """The id of a picture that was taken in."""
    return media.take(ctx, SYSTEM, name, jpeg(side)).id


@pytest.fixture
def shown(ctx, needles, colour):
    """The needles with a picture for all, one of the colour Heather, and one of a single variant."""
    heather = next(one.id for one in colour.choices if one.label == "Heather")
    single = by_label(ctx, needles)["Oat, 4 mm"].id
    pictures = (
        Picture(take(ctx, "all.jpg", 50), "All", "In the drawer"),
        Picture(take(ctx, "h.jpg", 51), "Heather", "", (heather,)),
        Picture(take(ctx, "o.jpg", 52), "Oat", "", (), (single,)),
    )
    save(ctx, needles, pictures)
    return pictures


def save(ctx, product_id, pictures, **given):
    current = service.read(ctx, SYSTEM, product_id)
    return saving.save(ctx, SYSTEM, product_id, replace(current.values, pictures=pictures), None, **given)


def test_what_a_picture_belongs_to_is_kept_and_rolled_back(ctx, needles, shown):
    product = service.read(ctx, SYSTEM, needles)
    assert product.values.pictures == shown
    labels = {label: [shown[p].alt for p in product.picture_places(v)] for label, v in by_label(ctx, needles).items()}
    assert labels["Heather, 3 mm"] == ["Heather", "All"]
    assert labels["Oat, 4 mm"] == ["Oat", "All"]
    assert labels["Rust, 3 mm"] == ["All"]
    assert product.picture_names == [
        "fellside-aran-ndl", "fellside-aran-ndl-heather", "fellside-aran-ndl-oat-4-mm",
    ]  # fmt: skip
    save(ctx, needles, tuple(replace(one, choices=(), variants=()) for one in shown))
    roll_back_newest(ctx)
    assert service.read(ctx, SYSTEM, needles).values.pictures == shown
    save(ctx, needles, ())
    roll_back_newest(ctx)
    assert service.read(ctx, SYSTEM, needles).values.pictures == shown


def test_a_variant_that_goes_takes_only_its_claim_with_it(ctx, needles, shown, colour):
    oat = next(one.id for one in colour.choices if one.label == "Oat")
    going = taking.plan_taking(ctx, SYSTEM, needles, choice=oat)
    taking.take_away(ctx, SYSTEM, needles, going.signature, choice=oat)
    assert service.read(ctx, SYSTEM, needles).values.pictures == (*shown[:2], replace(shown[2], variants=()))
    roll_back_newest(ctx)
    assert service.read(ctx, SYSTEM, needles).values.pictures == shown


def test_pictures_can_not_belong_to_what_is_not_there(ctx, needles, shown):
    elsewhere = service.read(ctx, SYSTEM, make_product(ctx, "B")).variants[0].id
    for wrong in (replace(shown[0], variants=(elsewhere,)), replace(shown[0], choices=(9_999_999,))):
        with pytest.raises(Refused, match="not there any more"):
            save(ctx, needles, (wrong,))


def test_a_product_with_pictures_of_variants_can_be_deleted_and_brought_back(ctx, needles, shown):
    draft = make_product(ctx, "D", status=Status.DRAFT)
    only = service.read(ctx, SYSTEM, draft).variants[0].id
    save(ctx, draft, (Picture(shown[0].media_id, "", "", (), (only,)),))
    saving.delete(ctx, SYSTEM, draft)
    roll_back_newest(ctx)
    assert service.read(ctx, SYSTEM, draft).values.pictures[0].variants == (only,)


def test_two_people_who_change_pictures_see_both(ctx, needles, shown):
    seen = service.products.flat(service.read(ctx, SYSTEM, needles).values)
    version = service.read(ctx, SYSTEM, needles).version
    save(ctx, needles, shown[:2])
    mine = replace(service.read(ctx, SYSTEM, needles).values, pictures=shown[1:])
    with pytest.raises(SaveConflict) as caught:
        saving.save(ctx, SYSTEM, needles, mine, version, seen)
    assert [one.field for one in caught.value.merge.conflicts] == ["pictures"]


def test_videos_and_links_count_as_no_picture(ctx, needles):
    film = media.take(ctx, SYSTEM, "film.mp4", films.film("#8C7AA0", 1, frames=3, side=64)).id
    link = media.take_link(ctx, SYSTEM, "https://films.example/a").id
    save(ctx, needles, (Picture(film), Picture(link, "", "Winding")))
    product = service.read(ctx, SYSTEM, needles)
    assert "picture.missing" in [one.code for one in service.findings(product)]
    assert product.facts == []


def test_buyers_see_what_their_variant_shows_under_the_products_name(stranger, browser, ctx, needles, shown):
    film = media.take(ctx, SYSTEM, "film.mp4", films.film("#8C7AA0", 1, frames=3, side=64)).id
    link = media.take_link(ctx, SYSTEM, "https://films.example/a").id
    model = media.take(ctx, SYSTEM, "button.glb", films.model("#7A5A3C", 5)).id
    save(ctx, needles, (*shown, Picture(film, "Turning"), Picture(link, "", "Winding"), Picture(model)))
    by = by_label(ctx, needles)

    def page(label: str) -> str:
        return stranger.get(f"/shop/p/{needles}?v={by[label].id}", follow_redirects=True).text

    def alts(label: str) -> list[str]:
        return re.findall(r'<figure[^>]*>(?:<a [^>]*>)?<img [^>]*alt="([^"]*)"', page(label).replace("\n", ""))

    assert alts("Heather, 4 mm") == ["Heather", "All"]
    assert alts("Oat, 4 mm") == ["Oat", "All"]
    text = page("Rust, 3 mm")
    assert re.search(r'src="(/media/\w+/full/fellside-aran-ndl-view-2.mp4)"', text)
    assert '<a href="https://films.example/a" rel="noopener">' in text
    assert "Watch: Winding" in text
    assert "In the drawer" in text
    named = re.search(r'src="(/media/\w+/page/fellside-aran-ndl\.webp)"', text)[1]
    assert stranger.get(named).status_code == 200
    panel = browser.get(f"/products/{needles}/variants/{by['Oat, 4 mm'].id}").text
    assert "its own first" in panel
    assert "from the product" in browser.get(f"/products/{needles}/variants/{by['Rust, 3 mm'].id}").text


def test_a_file_named_after_a_choice_is_given_to_it(browser, ctx, needles, colour):
    file = take(ctx, "needle-heather-4mm.jpg", 60)
    row = browser.get(f"/products/picture-row/{needles}?media={file}&guess=1").text
    product = service.read(ctx, SYSTEM, needles)
    chosen = [c.id for axis in product.axes for c in axis.choices if c.label in ("Heather", "4 mm")]
    assert re.search(r'name="belongs" value="([^"]*)"', row)[1].split() == [f"c{one}" for one in chosen]
    assert browser.get("/products/picture-row/new?media=999999").status_code == 404
