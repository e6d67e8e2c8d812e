"""A product on its way to Ostlerby, on good days and bad ones."""

from dataclasses import replace
from decimal import Decimal

import pytest

from graupel.channels import ChannelMisbehaved, ChannelUnreachable
from graupel.channels.ostlerby import Ostlerby
from graupel.core.errors import NotAllowed, Refused
from graupel.core.listings import ListingState
from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.features.history import rolling_back
from graupel.features.history import service as history
from graupel.features.jobs import service as jobs
from graupel.features.listings import service
from graupel.features.products import service as products
from tests.making import make_product, outcome, set_status, work_off
from tests.ostlerby import KEY, Hall, hall

__all__ = ["hall"]
GTIN = "9521234567899"


@pytest.fixture
def channel(ctx, hall: Hall) -> int:
    """Ostlerby, connected."""
    channel_id = service.connect(ctx, SYSTEM, "ostlerby", hall.address, KEY)
    work_off(ctx)
    return channel_id


def make(ctx, channel, sku="FEL-1", place="H111", **given):
    product_id = make_product(
        ctx, sku, **{"picture_side": 600, "gtin": GTIN, "name": f"Fellside aran wool {sku}", **given}
    )
    service.set_details(ctx, SYSTEM, product_id, channel, place, "")
    return product_id


def standing(ctx, product_id):
    return service.standings(ctx, SYSTEM, products.read(ctx, SYSTEM, product_id))[0]


def due_now(ctx):
    """Let everything that waits for a later time be due, and do it."""
    ctx.db.run(lambda tx: tx.run("UPDATE job SET run_after = UTC_TIMESTAMP(3) WHERE state = 'waiting'"))
    work_off(ctx)


def review(ctx, hall):
    hall.forward(61)
    due_now(ctx)


def change(ctx, product_id, **given):
    values = products.read(ctx, SYSTEM, product_id).values
    products.save(ctx, SYSTEM, product_id, replace(values, **given), None)


def test_a_complete_product_goes_under_review_and_on_sale(ctx, channel, hall):
    product_id = make(ctx, channel)
    assert standing(ctx, product_id).findings == []
    service.request_send(ctx, SYSTEM, product_id, channel)
    assert standing(ctx, product_id).state is ListingState.SENDING
    work_off(ctx)
    assert standing(ctx, product_id).state is ListingState.REVIEW
    due_now(ctx)
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
        service.request_send(ctx, SYSTEM, product_id, channel)
    assert hall.counts() == {"listings": 0, "writes": 0}


def test_a_refusal_comes_back_with_its_reasons_and_the_mended_product_is_sent_again_by_itself(ctx, channel, hall):
    product_id = make(ctx, channel, description="<p>A miracle of a yarn.</p>")
    service.request_send(ctx, SYSTEM, product_id, channel)
    work_off(ctx)
    review(ctx, hall)
    found = standing(ctx, product_id)
    assert found.state is ListingState.REFUSED
    assert "miracle" in found.listing["reasons"][0]["message"]
    change(ctx, product_id, description="<p>A good yarn.</p>")
    work_off(ctx)
    review(ctx, hall)
    assert standing(ctx, product_id).state is ListingState.ON_SALE
    assert hall.counts() == {"listings": 1, "writes": 2}


def test_a_changed_price_reaches_the_hall_wherever_the_change_came_from(ctx, channel, hall):
    product_id = make(ctx, channel)
    service.request_send(ctx, SYSTEM, product_id, channel)
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
    assert hall.counts() == {"listings": 1, "writes": 3}


def test_a_change_that_the_hall_would_not_see_is_not_sent(ctx, channel, hall):
    product_id = make(ctx, channel)
    service.request_send(ctx, SYSTEM, product_id, channel)
    work_off(ctx)
    change(
        ctx,
        product_id,
        category_id=products.read(ctx, SYSTEM, make_product(ctx, "X", category="Other")).values.category_id,
    )
    work_off(ctx)
    assert hall.counts()["writes"] == 1


def test_a_listing_ends_when_it_is_ended_and_when_its_product_is_archived(ctx, channel, hall):
    one, other = make(ctx, channel), make(ctx, channel, "FEL-2", gtin=None, brand="Carrow Mill", mpn="CM-2")
    for product_id in (one, other):
        service.request_send(ctx, SYSTEM, product_id, channel)
    work_off(ctx)
    review(ctx, hall)
    service.request_end(ctx, SYSTEM, one, channel)
    set_status(ctx, other, Status.ARCHIVED)
    work_off(ctx)
    assert [standing(ctx, p).state for p in (one, other)] == [ListingState.ENDED] * 2
    assert {listing["state"] for listing in hall.listings()} == {"ended"}
    with pytest.raises(Refused):
        service.request_end(ctx, SYSTEM, one, channel)


@pytest.mark.parametrize(
    ("fault", "writes"), [("busy", 1), ("loses_answer", 2), ("answers_twice", 2), ("lies", 1), ("slow", 1)]
)
def test_on_a_bad_day_it_is_tried_again_and_makes_one_listing(ctx, channel, hall, fault, writes):
    product_id = make(ctx, channel)
    hall.fault(fault, times=1, seconds=1)
    service.request_send(ctx, SYSTEM, product_id, channel)
    work_off(ctx)
    due_now(ctx)
    assert standing(ctx, product_id).state is ListingState.REVIEW
    assert hall.counts() == {"listings": 1, "writes": writes}


def test_sending_twice_makes_one_listing(ctx, channel, hall):
    product_id = make(ctx, channel)
    first, second = (service.request_send(ctx, SYSTEM, product_id, channel) for _ in range(2))
    work_off(ctx)
    due_now(ctx)
    assert hall.counts()["listings"] == 1
    assert {outcome(ctx, job)[0] for job in (first, second)} == {"done"}


def test_a_refusal_at_the_door_is_shown_like_any_other(ctx, channel, hall):
    product_id = make(ctx, channel)
    hall.fault("refuses", times=1)
    service.request_send(ctx, SYSTEM, product_id, channel)
    work_off(ctx)
    found = standing(ctx, product_id)
    assert found.state is ListingState.REFUSED
    assert found.listing["reasons"][0]["message"] == "The hall takes nothing today."


def test_a_hall_that_stays_away_is_given_up_and_said_so(ctx, channel, hall):
    product_id = make(ctx, channel)
    hall.fault("busy", seconds=0)
    job_id = service.request_send(ctx, SYSTEM, product_id, channel)
    for _ in range(6):
        due_now(ctx)
    state, said = outcome(ctx, job_id)
    assert state == "failed"
    assert "Given up after 5 tries" in said
    assert standing(ctx, product_id).state is ListingState.FAILED
    hall.fault(None)
    service.request_send(ctx, SYSTEM, product_id, channel)
    work_off(ctx)
    assert standing(ctx, product_id).state is ListingState.REVIEW


def test_a_send_that_is_cancelled_before_it_began_does_not_hang(ctx, channel, hall):
    product_id = make(ctx, channel)
    jobs.cancel(ctx, SYSTEM, service.request_send(ctx, SYSTEM, product_id, channel))
    assert standing(ctx, product_id).state is ListingState.FAILED
    assert hall.counts()["writes"] == 0


def test_a_wrong_key_is_said_at_the_channel(ctx, channel, hall, owner, editor):
    with pytest.raises(NotAllowed):
        service.connect(ctx, editor, "ostlerby", hall.address, "x")
    service.connect(ctx, owner, "ostlerby", hall.address, "wrong")
    work_off(ctx)
    assert "does not know the key" in service.read_channel(ctx, owner, channel)["trouble"]
    assert "secret" not in service.read_channel(ctx, owner, channel)


def test_a_hall_that_hangs_lies_or_is_not_there_is_told_apart_from_a_refusal(hall):
    client = Ostlerby(hall.address, KEY, seconds=0.5)
    hall.fault("hangs", times=1)
    with pytest.raises(ChannelUnreachable, match="in time"):
        client.terms()
    hall.fault("lies", times=1)
    with pytest.raises(ChannelMisbehaved):
        client.terms()
    with pytest.raises(ChannelUnreachable):
        Ostlerby("http://127.0.0.1:9", KEY).terms()
