"""What a product lacks for the shop and for a channel."""

from dataclasses import replace
from decimal import Decimal

import pytest

from graupel.channels.ostlerby import Ostlerby
from graupel.core import readiness
from graupel.core.listings import ChannelPlace, Goods, Offer, PictureLink, fingerprint
from graupel.core.products import ProductValues, Status
from graupel.core.readiness import PictureFacts, Verdict

TERMS = {"title_least": 20, "title_most": 80, "picture_least_side": 500}
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
LINK = PictureLink("", 800, 800, "A skein")


def goods(values=GOOD, title=GOOD.name, pictures=(LINK,), place=END, offers=None):
    offers = [Offer("FEL-1", values.price, 100, values.gtin)] if offers is None else offers
    return Goods(values, title, place, pictures, offers, "EUR")


def codes(**given):
    return [(f.code, f.blocks) for f in Ostlerby().findings(goods(**given), TERMS)]


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
        ({"pictures": (PictureLink("", 800, 499, "x"),)}, "picture.small"),
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


def test_each_variant_needs_a_number_of_its_own_and_says_what_it_differs_by():
    versions = [
        Offer(f"FEL-{colour}", Decimal("9.80"), 100, gtin, choices=(("Colour", colour),))
        for colour, gtin in (("Oat", "9521234567899"), ("Rust", None), ("Peat", None))
    ]
    (lacking,) = Ostlerby().findings(goods(values=replace(GOOD, gtin=None), offers=versions), TERMS)
    assert (lacking.code, lacking.field) == ("identifier.missing", "variants")
    assert "2 of its 3 variants, such as FEL-Rust" in lacking.message
    sent = Ostlerby().payload(goods(values=replace(GOOD, gtin=None), offers=versions))
    assert sent["gtin"] is None
    assert [(one["gtin"], one["choices"]) for one in sent["offers"]][:2] == [
        ("9521234567899", [{"name": "Colour", "value": "Oat"}]),
        (None, [{"name": "Colour", "value": "Rust"}]),
    ]
    with_parts = [replace(one, mpn=f"P-{one.sku}") for one in versions]
    assert codes(values=replace(GOOD, gtin=None, brand="Carrow Mill"), offers=with_parts) == []


def test_a_listing_is_the_same_listing_until_something_a_channel_sees_changes():
    def mark(values):
        return fingerprint(Ostlerby().payload(goods(values).with_values(values)))

    assert mark(GOOD) == mark(replace(GOOD, category_id=99))
    assert mark(GOOD) != mark(replace(GOOD, price=Decimal("9.90")))


def test_variants_that_all_have_a_weight_need_none_of_their_product():
    found = [readiness.for_shop(replace(GOOD, weight_g=None), [PICTURE], 0, unweighed=number) for number in (0, 1)]
    assert [[one.code for one in findings] for findings in found] == [[], ["weight.missing"]]
