"""A product on its way to Ostlerby, on good days and bad ones."""

from dataclasses import replace
from datetime import timedelta
from decimal import Decimal

import pytest

from graupel.channels import ChannelMisbehaved, ChannelUnreachable
from graupel.channels.ostlerby.client import OstlerbyClient
from graupel.core.errors import NotAllowed, Refused
from graupel.core.listings import ListingState
from graupel.core.pictures import Picture
from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.features.history import rolling_back
from graupel.features.history import service as history
from graupel.features.jobs import service as jobs
from graupel.features.listings import connecting, sending, store
from graupel.features.listings import standing as standings
from graupel.features.media import service as media
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.variants import setting
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.attributes import ChoiceTyped
from tests.making import jpeg, make_product, outcome, roll_back_newest, set_status, work_off
from tests.needles import colour, needles, size
from tests.ostlerby import KEY, Hall, hall

__all__ = ["colour", "hall", "needles", "size"]
GTIN = "9521234567899"
GTINS = [f"95212345678{digits}" for digits in ("06", "13", "20", "37", "44", "51")]


@pytest.fixture
def channel(ctx, hall: Hall) -> int:
    """Ostlerby, connected."""
    channel_id = connecting.connect(ctx, SYSTEM, "ostlerby", hall.address, KEY)
    work_off(ctx)
    return channel_id


def make(ctx, channel, sku="FEL-1", place="H111", **given):
    product_id = make_product(
        ctx, sku, **{"picture_side": 600, "gtin": GTIN, "name": f"Fellside aran wool {sku}", **given}
    )
    standings.set_details(ctx, SYSTEM, product_id, channel, place, "")
    return product_id


def picture(ctx):
    return (Picture(media.take(ctx, SYSTEM, "skein.jpg", jpeg(600)).id, "A pair of needles"),)


def standing(ctx, product_id):
    return standings.standings(ctx, SYSTEM, products.read(ctx, SYSTEM, product_id))[0]


def written(hall):
    """How many listings the hall has, and how many writes came in."""
    counts = hall.counts()
    return counts["listings"], counts["writes"]


def later(ctx, **time):
    """Let time pass, and do what is due then."""
    object.__setattr__(ctx, "ahead", ctx.ahead + timedelta(**time))  # the clock of this test alone
    work_off(ctx)


def review(ctx, hall):
    hall.forward(61)
    later(ctx, seconds=61)


def change(ctx, product_id, **given):
    values = products.read(ctx, SYSTEM, product_id).values
    saving.save(ctx, SYSTEM, product_id, replace(values, **given), None)


def test_a_complete_product_goes_under_review_and_on_sale(ctx, channel, hall):
    product_id = make(ctx, channel)
    assert standing(ctx, product_id).findings == []
    sending.request_send(ctx, SYSTEM, product_id, channel)
    assert standing(ctx, product_id).state is ListingState.SENDING
    work_off(ctx)
    assert standing(ctx, product_id).state is ListingState.REVIEW
    later(ctx, seconds=10)
    assert standing(ctx, product_id).state is ListingState.REVIEW
    review(ctx, hall)
    found = standing(ctx, product_id)
    assert found.state is ListingState.ON_SALE
    assert found.listing["page_number"].startswith("OST-")
    (sent,) = hall.listings()
    assert sent["state"] == "taken"


def test_what_is_missing_keeps_it_from_being_sent(ctx, channel, hall):
    product_id = make(ctx, channel, gtin=None, picture_side=400, name="Short name", place="H11")
    found = {finding.code for finding in standing(ctx, product_id).findings if finding.blocks}
    assert found == {"identifier.missing", "picture.small", "title.short", "place.not_end"}
    with pytest.raises(Refused):
        sending.request_send(ctx, SYSTEM, product_id, channel)
    assert written(hall) == (0, 0)


def test_a_refusal_comes_back_with_its_reasons_and_the_mended_product_is_sent_again_by_itself(ctx, channel, hall):
    product_id = make(ctx, channel, description="<p>A miracle of a yarn.</p>")
    sending.request_send(ctx, SYSTEM, product_id, channel)
    work_off(ctx)
    review(ctx, hall)
    found = standing(ctx, product_id)
    assert found.state is ListingState.REFUSED
    assert "miracle" in found.listing["reasons"][0]["message"]
    change(ctx, product_id, description="<p>A good yarn.</p>")
    work_off(ctx)
    review(ctx, hall)
    assert standing(ctx, product_id).state is ListingState.ON_SALE
    assert written(hall) == (1, 2)


def test_a_changed_price_reaches_the_hall_wherever_the_change_came_from(ctx, channel, hall):
    product_id = make(ctx, channel)
    sending.request_send(ctx, SYSTEM, product_id, channel)
    work_off(ctx)
    review(ctx, hall)
    change(ctx, product_id, price=Decimal("11.00"))
    assert standing(ctx, product_id).is_behind
    work_off(ctx)
    number = history.list_change_sets(ctx, SYSTEM, kind="product.save").change_sets[0]["id"]
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, number))
    assert standing(ctx, product_id).is_behind
    work_off(ctx)
    assert not standing(ctx, product_id).is_behind
    assert written(hall) == (1, 3)


def test_a_change_that_the_hall_would_not_see_is_not_sent(ctx, channel, hall):
    product_id = make(ctx, channel)
    sending.request_send(ctx, SYSTEM, product_id, channel)
    work_off(ctx)
    change(
        ctx,
        product_id,
        category_id=products.read(ctx, SYSTEM, make_product(ctx, "X", category="Other")).values.category_id,
    )
    work_off(ctx)
    assert hall.counts()["writes"] == 1


def test_a_listing_is_behind_exactly_when_something_changed_that_the_hall_is_told(ctx, channel, hall):
    """Every field of a product and of its variant: what is declared of the payload against the payload itself."""
    product_id = on_sale(ctx, channel, hall)
    other = products.read(ctx, SYSTEM, make_product(ctx, "X", category="Other")).values.category_id
    told = ("name", "description", "brand", "mpn", "price", "weight_g", "sku", "gtin", "pictures")
    changes = {
        "name": "Fellside aran in a new wool", "short_text": "Short.", "description": "<p>New words.</p>",
        "key_points": ("Soft",), "category_id": other, "brand": "Carrow Mill", "mpn": "CM-9", "price": Decimal("12.00"),
        "list_price": Decimal("15.00"), "cost": Decimal("4.00"), "weight_g": 90, "origin_country": "PT",
        "at_zero": "go_on", "address_part": "elsewhere", "meta_title": "A title", "stock": 12,
        "meta_description": "Said of it.", "sku": "FEL-9", "gtin": "9521234567897", "tags": ("summer",),
        "categories": (other,), "code": "FEL", "pictures": (),
    }  # fmt: skip
    for name, value in changes.items():
        before = standings.payload(standing(ctx, product_id))[1]
        change(ctx, product_id, **{name: value})
        now = standing(ctx, product_id)
        assert now.is_behind == (standings.payload(now)[1] != before) == (name in told), name
        work_off(ctx)
        review(ctx, hall)


def test_a_listing_ends_when_it_is_ended_and_when_its_product_is_archived(ctx, channel, hall):
    one, other = make(ctx, channel), make(ctx, channel, "FEL-2", gtin=None, brand="Carrow Mill", mpn="CM-2")
    for product_id in (one, other):
        sending.request_send(ctx, SYSTEM, product_id, channel)
    work_off(ctx)
    review(ctx, hall)
    sending.request_end(ctx, SYSTEM, one, channel)
    set_status(ctx, other, Status.ARCHIVED)
    work_off(ctx)
    assert [standing(ctx, p).state for p in (one, other)] == [ListingState.ENDED] * 2
    assert {listing["state"] for listing in hall.listings()} == {"ended"}
    with pytest.raises(Refused):
        sending.request_end(ctx, SYSTEM, one, channel)


@pytest.mark.parametrize(
    ("fault", "writes"), [("busy", 1), ("loses_answer", 2), ("answers_twice", 2), ("lies", 1), ("slow", 1)]
)
def test_on_a_bad_day_it_is_tried_again_and_makes_one_listing(ctx, channel, hall, fault, writes):
    product_id = make(ctx, channel)
    hall.fault(fault, times=1, seconds=1)
    sending.request_send(ctx, SYSTEM, product_id, channel)
    work_off(ctx)
    later(ctx, seconds=10)
    assert standing(ctx, product_id).state is ListingState.REVIEW
    assert written(hall) == (1, writes)


def test_sending_twice_makes_one_listing(ctx, channel, hall):
    product_id = make(ctx, channel)
    first, second = (sending.request_send(ctx, SYSTEM, product_id, channel) for _ in range(2))
    work_off(ctx)
    later(ctx, seconds=10)
    assert hall.counts()["listings"] == 1
    assert {outcome(ctx, job)[0] for job in (first, second)} == {"done"}


def test_a_refusal_at_the_door_is_shown_like_any_other(ctx, channel, hall):
    product_id = make(ctx, channel)
    hall.fault("refuses", times=1)
    sending.request_send(ctx, SYSTEM, product_id, channel)
    work_off(ctx)
    found = standing(ctx, product_id)
    assert found.state is ListingState.REFUSED
    assert found.listing["reasons"][0]["message"] == "The hall takes nothing today."


def test_a_hall_that_stays_away_is_given_up_and_said_so(ctx, channel, hall):
    product_id = make(ctx, channel)
    hall.fault("busy", seconds=0)
    job_id = sending.request_send(ctx, SYSTEM, product_id, channel)
    for _ in range(6):
        later(ctx, seconds=10)
    state, said = outcome(ctx, job_id)
    assert state == "failed"
    assert "Given up after 5 tries" in said
    assert standing(ctx, product_id).state is ListingState.FAILED
    hall.fault(None)
    sending.request_send(ctx, SYSTEM, product_id, channel)
    work_off(ctx)
    assert standing(ctx, product_id).state is ListingState.REVIEW


def test_a_send_that_is_cancelled_before_it_began_does_not_hang(ctx, channel, hall):
    product_id = make(ctx, channel)
    jobs.cancel(ctx, SYSTEM, sending.request_send(ctx, SYSTEM, product_id, channel))
    assert standing(ctx, product_id).state is ListingState.FAILED
    assert hall.counts()["writes"] == 0


def test_a_wrong_key_is_said_at_the_channel(ctx, channel, hall, owner, editor):
    with pytest.raises(NotAllowed):
        connecting.connect(ctx, editor, "ostlerby", hall.address, "x")
    connecting.change(ctx, owner, channel, "Ostlerby", hall.address, "wrong")
    work_off(ctx)
    assert "does not know the key" in connecting.read_channel(ctx, owner, channel)["trouble"]
    assert "secret" not in connecting.read_channel(ctx, owner, channel)


def test_a_hall_that_hangs_lies_or_is_not_there_is_told_apart_from_a_refusal(hall):
    client = OstlerbyClient(hall.address, KEY, seconds=0.5)
    hall.fault("hangs", times=1)
    with pytest.raises(ChannelUnreachable, match="in time"):
        client.terms()
    hall.fault("lies", times=1)
    with pytest.raises(ChannelMisbehaved):
        client.terms()
    with pytest.raises(ChannelUnreachable):
        OstlerbyClient("http://127.0.0.1:9", KEY).terms()


def on_sale(ctx, channel, hall, **given):
    """A product that is on sale there."""
    product_id = make(ctx, channel, **given)
    sending.request_send(ctx, SYSTEM, product_id, channel)
    work_off(ctx)
    review(ctx, hall)
    assert standing(ctx, product_id).state is ListingState.ON_SALE
    return product_id


def test_what_was_asked_last_is_done_however_late_the_worker_comes(ctx, channel, hall):
    product_id = on_sale(ctx, channel, hall)
    sending.request_end(ctx, SYSTEM, product_id, channel)
    sending.request_send(ctx, SYSTEM, product_id, channel)
    work_off(ctx)
    assert standing(ctx, product_id).state is ListingState.REVIEW
    assert hall.listings()[0]["state"] == "under_review"
    sending.request_send(ctx, SYSTEM, product_id, channel)
    sending.request_end(ctx, SYSTEM, product_id, channel)
    work_off(ctx)
    assert standing(ctx, product_id).state is ListingState.ENDED
    assert hall.listings()[0]["state"] == "ended"


def test_one_job_at_a_time_speaks_of_a_listing_and_one_that_was_killed_holds_others_up_for_a_while_only(
    ctx, channel, hall
):
    product_id = on_sale(ctx, channel, hall)
    listing_id = standing(ctx, product_id).listing["id"]
    now = ctx.db.run(ctx.now)
    assert ctx.db.run(lambda tx: store.hold(tx, listing_id, 999_999, now, now + timedelta(seconds=30)))
    sending.request_end(ctx, SYSTEM, product_id, channel)
    work_off(ctx)
    assert standing(ctx, product_id).state is ListingState.ENDING
    later(ctx, seconds=31)
    assert standing(ctx, product_id).state is ListingState.ENDED


def test_what_is_held_back_stays_behind_until_it_is_mended(ctx, channel, hall):
    product_id = on_sale(ctx, channel, hall)
    change(ctx, product_id, gtin=None, price=Decimal("11.00"))
    work_off(ctx)
    later(ctx, hours=1)
    assert standing(ctx, product_id).is_behind
    assert hall.counts()["writes"] == 1
    change(ctx, product_id, gtin=GTIN)
    work_off(ctx)
    assert not standing(ctx, product_id).is_behind
    assert hall.counts()["writes"] == 2


def test_one_that_is_refused_later_says_that_the_earlier_version_is_on_sale(ctx, channel, hall):
    product_id = on_sale(ctx, channel, hall)
    first = standing(ctx, product_id)
    assert first.earlier_on_sale is None
    change(ctx, product_id, description="<p>A miracle of a yarn.</p>")
    work_off(ctx)
    assert standing(ctx, product_id).earlier_on_sale == first.listing["sent_at"]
    review(ctx, hall)
    found = standing(ctx, product_id)
    assert (found.state, found.earlier_on_sale) == (ListingState.REFUSED, first.listing["sent_at"])
    sending.request_end(ctx, SYSTEM, product_id, channel)
    work_off(ctx)
    assert standing(ctx, product_id).listing["on_sale_as_of"] is None


def test_a_channel_that_does_not_answer_is_shown_as_such_with_since_when(ctx, channel, hall):
    product_id = on_sale(ctx, channel, hall)
    hall.fault("busy", seconds=0)
    change(ctx, product_id, price=Decimal("11.00"))
    work_off(ctx)
    since = connecting.read_channel(ctx, SYSTEM, channel)["silent_since"]
    assert since
    later(ctx, minutes=5)
    assert connecting.read_channel(ctx, SYSTEM, channel)["silent_since"] == since
    assert standing(ctx, product_id).channel["trouble"]
    hall.fault(None)
    later(ctx, minutes=30)
    assert connecting.read_channel(ctx, SYSTEM, channel)["silent_since"] is None
    assert not standing(ctx, product_id).is_behind


def test_answers_are_asked_for_together_and_with_growing_pauses(ctx, channel, hall):
    ids = [make(ctx, channel, f"FEL-{n}", gtin=None, brand="Carrow Mill", mpn=f"P-{n}") for n in range(5)]
    for product_id in ids:
        sending.request_send(ctx, SYSTEM, product_id, channel)
    work_off(ctx)
    before = hall.counts()["asked"]
    for _ in range(60):
        later(ctx, seconds=10)
    asked = hall.counts()["asked"] - before
    assert 3 <= asked <= 12, "ten minutes of waiting for five listings"
    hall.forward(700)
    later(ctx, hours=1)
    assert {standing(ctx, product_id).state for product_id in ids} == {ListingState.ON_SALE}


def test_a_renamed_brand_and_choice_reach_the_channel(ctx, channel, hall, needles):
    for variant, number in zip(products.read(ctx, SYSTEM, needles).variants, GTINS, strict=True):
        setting.save_one(ctx, SYSTEM, variant.id, {"gtin": number})
    change(ctx, needles, brand="Carrow Mill", pictures=picture(ctx), name="Fellside needles of beech")
    standings.set_details(ctx, SYSTEM, needles, channel, "H121", "")
    sending.request_send(ctx, SYSTEM, needles, channel)
    work_off(ctx)
    review(ctx, hall)
    assert standing(ctx, needles).state is ListingState.ON_SALE
    heather = next(c for a in products.read(ctx, SYSTEM, needles).axes for c in a.choices if c.label == "Heather")
    words = attributes.read(ctx, SYSTEM, products.read(ctx, SYSTEM, needles).axes[0].attribute.id).attribute.choices
    attributes.save(
        ctx,
        SYSTEM,
        products.read(ctx, SYSTEM, needles).axes[0].attribute.id,
        choices=[ChoiceTyped(c.id, "Bell heather" if c.id == heather.id else c.label, c.code) for c in words],
    )
    assert standing(ctx, needles).is_behind
    work_off(ctx)
    brand = next(key for key, name in vocabulary.read(ctx).brands.items() if name == "Carrow Mill")
    vocabulary.rename(ctx, SYSTEM, "brand", brand, "Carrow Mills")
    work_off(ctx)
    assert not standing(ctx, needles).is_behind
    assert hall.counts()["writes"] == 3


def test_a_draft_for_which_a_place_was_kept_is_deleted_and_comes_back_with_it(ctx, channel):
    product_id = make_product(ctx, "FEL-9", status=Status.DRAFT)
    standings.set_details(ctx, SYSTEM, product_id, channel, "H111", "Fellside, a fine yarn of wool")
    saving.delete(ctx, SYSTEM, product_id)
    roll_back_newest(ctx)
    found = standing(ctx, product_id)
    assert (found.place.code, found.title) == ("H111", "Fellside, a fine yarn of wool")


def test_category_and_title_there_go_back_and_are_sent(ctx, channel, hall):
    product_id = on_sale(ctx, channel, hall)
    standings.set_details(ctx, SYSTEM, product_id, channel, "H112", "Another title for the hall")
    work_off(ctx)
    roll_back_newest(ctx)
    assert standing(ctx, product_id).is_behind
    work_off(ctx)
    assert (standing(ctx, product_id).place.code, standing(ctx, product_id).is_behind) == ("H111", False)


def test_several_accounts_of_one_marketplace_stand_side_by_side(ctx, channel, hall):
    with pytest.raises(Refused, match="a name of its own"):
        connecting.connect(ctx, SYSTEM, "ostlerby", hall.address, KEY)
    other = connecting.connect(ctx, SYSTEM, "ostlerby", hall.address, KEY, "Ostlerby, outlet")
    work_off(ctx)
    assert [row["name"] for row in connecting.list_channels(ctx, SYSTEM)] == ["Ostlerby", "Ostlerby, outlet"]
    product_id = make(ctx, channel)
    standings.set_details(ctx, SYSTEM, product_id, other, "H112", "")
    both = standings.standings(ctx, SYSTEM, products.read(ctx, SYSTEM, product_id))
    assert [one.place.code for one in both] == ["H111", "H112"]
