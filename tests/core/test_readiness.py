"""What a product lacks for the shop and for a channel."""

from dataclasses import replace
from decimal import Decimal

import pytest

from graupel.core import listings, readiness
from graupel.core.products import ProductValues, Status
from graupel.core.readiness import ChannelPlace, ChannelTerms, PictureFacts, Verdict

TERMS = ChannelTerms(20, 80, 500)
END = ChannelPlace("H111", "Yarn > Wool", True)
GOOD = ProductValues(
    name="Fellside aran, Heather, 100 g",
    sku="FEL-1",
    price=Decimal("9.80"),
    weight_g=100,
    category_id=1,
    gtin="9521234567899",
    status=Status.LIVE,
    description="A springy aran of hill wool, spun for hard wear.",
)
PICTURE = PictureFacts(800, 800, "A skein")


def codes(values=GOOD, title=GOOD.name, pictures=(PICTURE,), place=END):
    return [(f.code, f.blocks) for f in readiness.for_channel(values, title, list(pictures), place, TERMS)]


def test_a_complete_product_is_strong_everywhere():
    assert codes() == []
    assert readiness.for_shop(GOOD, [PICTURE]) == []
    assert readiness.verdict([]) is Verdict.STRONG


@pytest.mark.parametrize(
    ("change", "code"),
    [
        ({"values": replace(GOOD, gtin=None)}, "identifier.missing"),
        ({"values": replace(GOOD, gtin=None, brand="Carrow Mill")}, "identifier.missing"),
        ({"values": replace(GOOD, status=Status.DRAFT)}, "status.not_live"),
        ({"title": "Aran"}, "title.short"),
        ({"title": "Aran " * 20}, "title.long"),
        ({"place": None}, "place.missing"),
        ({"place": ChannelPlace("H1", "Yarn", False)}, "place.not_end"),
        ({"pictures": ()}, "picture.missing"),
        ({"pictures": (PictureFacts(800, 499, "x"),)}, "picture.small"),
    ],
)
def test_one_thing_missing_blocks_the_channel_and_is_named(change, code):
    assert codes(**change) == [(code, True)]


def test_brand_and_part_number_stand_in_for_a_gtin():
    assert codes(values=replace(GOOD, gtin=None, brand="Carrow Mill", mpn="CM-1")) == []


def test_what_would_only_help_does_not_block():
    found = readiness.for_shop(replace(GOOD, description="", weight_g=None), [PictureFacts(10, 10, "")])
    assert readiness.verdict(found) is Verdict.READY
    assert {f.code for f in found} == {"description.short", "weight.missing", "alt.missing"}


def test_a_listing_is_the_same_listing_until_something_a_channel_sees_changes():
    def mark(values):
        offers = [listings.Offer(values.sku, values.price, values.weight_g)]
        return listings.fingerprint(listings.payload(values, values.name, "H111", [], "EUR", offers))

    assert mark(GOOD) == mark(replace(GOOD, category_id=99))
    assert mark(GOOD) != mark(replace(GOOD, price=Decimal("9.90")))
    assert listings.state_after("splendid") is None
