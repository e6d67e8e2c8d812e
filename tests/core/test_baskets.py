"""A basket is the sum of its lines, whatever their order, in exact amounts; and what an order's delivery comes to."""

from datetime import date, datetime, time
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core.baskets import Wanted, Ware, Why, basket, fit
from graupel.core.choices import AddsBy, Answer, Choice, Entry
from graupel.core.delivery import CostBy, Promise, Way, Working, Zone
from graupel.core.order_forms import Buyer, read, wrong
from graupel.core.ordering import Ordering
from graupel.core.orders import Report, Stack, Standing, Told, returnable, stacks, standing
from graupel.core.sending import Piece, countries_of, sending
from graupel.core.taxes import Taxing

D = Decimal
TODAY = date(2026, 11, 26)
TAXED = Taxing("goods", D(19), D(0), typed_with_tax=True)
WRAP = Choice(
    7,
    "Wrap",
    "Wrap it?",
    entries=(
        Entry(71, "Paper", AddsBy.FIXED, D("2.50"), once=True, weight_g=20, sku_code="P"),
        Entry(72, "Box", AddsBy.PERCENT, D(10), weight_g=50, unshipped=True),
        Entry(73, "Tin", AddsBy.FIXED, D("-30.00")),
    ),
)


def ware(key, price="9.80", **given):
    def asked(count):
        return D(price) if count < 10 else D(price) - D("0.31")

    return Ware(
        key, f"Wool {key}", f"W-{key}", asked, **{"choices": (WRAP,), "taxing": TAXED, "weight_g": 100, **given}
    )


WARES = {key: ware(key, price) for key, price in ((1, "9.80"), (2, "0.37"), (3, "120.00"))} | {
    4: ware(4, "3.33", taxing=Taxing("books", D(7), D("0.10"), typed_with_tax=False))
}
lines = st.lists(
    st.builds(
        lambda variant, quantity, entry: (variant, D(quantity) / 10, {7: Answer({entry: 1})} if entry else {}),
        st.sampled_from(sorted(WARES)),
        st.integers(1, 400).filter(lambda n: n % 10 == 0),
        st.sampled_from([0, 71, 72, 73]),
    ),
    min_size=1,
    max_size=12,
).map(lambda rows: [Wanted(place, *row) for place, row in enumerate(rows, 1)])


@given(wanted=lines, data=st.data())
def test_a_basket_is_the_sum_of_its_lines_in_any_order(wanted, data):
    found = basket(wanted, WARES, TODAY)
    mixed = basket(data.draw(st.permutations(wanted)), WARES, TODAY)
    assert found.amount == sum(one.amount for one in found.lines) == mixed.amount
    assert {one.wanted.id: one.amount for one in found.lines} == {one.wanted.id: one.amount for one in mixed.lines}
    assert sum(found.taxes().values()) == found.amount - found.net
    for one in found.lines:
        assert type(one.amount) is Decimal
        assert one.amount == one.amount.quantize(D("0.01")) >= 0


@given(wanted=lines)
def test_pieces_of_a_variant_count_together_for_its_quantity_price(wanted):
    found = basket(wanted, WARES, TODAY)
    for one in found.lines:
        count = sum(other.quantity for other in wanted if other.variant_id == one.wanted.variant_id)
        assert one.asked == WARES[one.wanted.variant_id].asked(int(count))


def test_percent_and_fixed_amounts_each_and_once():
    both = Choice(
        8, "More", "More", entries=(Entry(81, "A", AddsBy.PERCENT, D(10)), Entry(82, "B", AddsBy.FIXED, D("1.11")))
    )
    goods = {1: ware(1, "9.85", choices=(WRAP, both))}
    line = Wanted(1, 1, D(3), {7: Answer({71: 1}), 8: Answer({81: 1})})
    (one,) = basket([line], goods, TODAY).lines
    assert (one.chosen.piece, one.chosen.once, one.amount) == (D("10.84"), D("2.50"), D("35.02"))
    assert one.chosen.sku == "W-1-P"
    assert one.weight_g == 320, "paper weighs once; a box that is not sent weighs nothing"


def test_what_takes_off_more_than_the_price_makes_it_free_and_no_less():
    (one,) = basket([Wanted(1, 1, D(2), {7: Answer({73: 1})})], WARES, TODAY).lines
    assert (one.chosen.piece, one.amount) == (0, 0)


def test_a_buyer_may_pay_more_and_never_less():
    goods = {1: ware(1, raises=True, choices=()), 2: ware(2, choices=())}
    found = basket([Wanted(1, 1, D(1), pays=D(20)), Wanted(2, 2, D(1), pays=D(20))], goods, TODAY)
    assert [one.amount for one in found.lines] == [D(20), D("9.80")]
    assert basket([Wanted(1, 1, D(1), pays=D(5))], goods, TODAY).amount == D("9.80")


def test_what_can_not_be_had_is_left_out_and_told():
    goods = {
        1: ware(1, most=D(3)),
        2: ware(2, most=D(0)),
        3: ware(3, ordering=Ordering(D(6), D(12), D(6))),
    }
    wanted = [
        Wanted(1, 1, D(2)),
        Wanted(2, 1, D(4)),
        Wanted(3, 2, D(1)),
        Wanted(4, 3, D(7)),
        Wanted(5, 9, D(1), name="Gone wool"),
    ]
    kept, changes = fit(wanted, goods)
    assert [(one.id, one.quantity) for one in kept] == [(1, 2), (2, 1), (4, 12)]
    assert {(one.why, one.name, one.now) for one in changes} == {
        (Why.FEWER, "Wool 1", D(3)),
        (Why.SOLD_OUT, "Wool 2", D(0)),
        (Why.RULES, "Wool 3", D(12)),
        (Why.GONE, "Gone wool", D(0)),
    }
    again, none = fit(kept, goods)
    assert (again, none) == (kept, []), "what fits changes no more"


@given(wanted=lines, most=st.integers(0, 30))
def test_never_more_than_there_is(wanted, most):
    goods = {key: ware(key, most=D(most)) for key in WARES}
    kept, _ = fit(wanted, goods)
    for key in goods:
        assert sum(one.quantity for one in kept if one.variant_id == key) <= most
    assert all(one.quantity > 0 for one in kept)


def test_another_price_than_the_buyer_saw_is_told():
    (change,) = basket([Wanted(1, 1, D(1), seen=D("8.00")), Wanted(2, 2, D(1), seen=D("0.37"))], WARES, TODAY).changes
    assert (change.why, change.was, change.now) == (Why.PRICE, D("8.00"), D("9.80"))


def test_an_answer_that_can_not_be_taken_keeps_it_from_being_ordered():
    needed = Choice(9, "Day", "Day", needed=True, entries=(Entry(91, "Soon"),))
    goods = {1: ware(1, choices=(needed,))}
    assert not basket([Wanted(1, 1, D(1))], goods, TODAY).can_be_ordered
    assert basket([Wanted(1, 1, D(1), {9: Answer({91: 1})})], goods, TODAY).can_be_ordered
    assert not basket([], goods, TODAY).can_be_ordered


def test_an_answer_whose_entry_was_taken_away_counts_for_nothing():
    needed = Choice(9, "Wrap", "Wrap", needed=True, entries=(Entry(91, "Paper", AddsBy.FIXED, D(2)),))
    answers = {9: Answer({90: 1}), 7: Answer({71: 1}), 99: Answer(text="of a choice that is gone")}
    (one,) = basket([Wanted(1, 1, D(1), answers)], {1: ware(1, choices=(needed, WRAP))}, TODAY).lines
    assert one.wrong.keys() == {9}, "it was needed, and has to be chosen again"
    assert one.wanted.answers.keys() == {7}
    assert one.amount == D("12.30")


# --- how it is sent ------------------------------------------------------------------------------------------

PARCEL = Promise(
    1,
    "Parcel",
    CostBy.WEIGHT,
    [Zone(frozenset({"DE", "AT"}), 1, 2, ((D(1000), D("3.90")), (D(5000), D("6.90"))), D(60))],
)
LETTER = Promise(2, "Letter", CostBy.VALUE, [Zone(frozenset({"DE"}), 2, 4, ((None, D("1.60")),))])
NOW = datetime(2026, 11, 26, 10)


def sent(*pieces, country="DE"):
    return sending(pieces, country, Working(cut_off=time(14)), NOW)


def shipped(key, promise=PARCEL, weight=600, value="10", **given):
    return Piece(key, Way.SHIPPED, weight_g=weight, value=D(value), promise=promise, **given)


def test_goods_of_one_promise_go_together():
    assert sent(shipped(1)).cost == D("3.90")
    assert sent(shipped(1), shipped(2)).cost == D("6.90"), "1.2 kg together"
    assert sent(shipped(1), shipped(2, LETTER)).cost == D("5.50")
    assert sent(shipped(1), shipped(2), shipped(3, value="45")).cost == 0, "free from 60 of all that is ordered"
    assert sent(shipped(1, weight=9000)).cost is None, "heavier than any step"


def test_goods_with_a_cost_of_their_own_pay_it_for_each_piece():
    loom = shipped(1, weight=30_000, own={"DE": D("24.00")}, quantity=D(2))
    assert sent(loom).cost == D("48.00")
    assert sent(loom, shipped(2)).cost == D("51.90"), "and they weigh nothing in the rest"


def test_what_does_not_go_to_a_country_is_named():
    found = sent(shipped(1), shipped(2, LETTER), shipped(3, not_to=("AT",)), country="AT")
    assert (found.cost, found.not_sent) == (None, [2, 3])
    assert countries_of([shipped(1), shipped(2, LETTER)]) == {"DE"}


def test_it_arrives_when_the_last_of_it_does():
    assert sent(shipped(1)).arrival.last < sent(shipped(1), shipped(2, LETTER)).arrival.last
    later = sent(shipped(1, ready_on=date(2026, 12, 24)))
    assert later.arrival.first > date(2026, 12, 24)


def test_downloads_and_services_are_not_sent():
    found = sent(Piece(1, Way.DOWNLOADED), Piece(2, Way.SERVICE))
    assert (found.ships, found.cost, found.arrival) == (False, 0, None)


# --- who orders ----------------------------------------------------------------------------------------------


def test_an_address_is_asked_only_where_something_is_sent():
    buyer = read({"mail": " mira@skein.example ", "name": "Mira\x00  Oldcastle"})
    assert (buyer.mail, buyer.name) == ("mira@skein.example", "Mira Oldcastle")
    assert wrong(buyer, ships=False, countries=()) == {}
    assert set(wrong(buyer, ships=True, countries=("DE",))) == {"street", "postcode", "town", "country"}
    there = Buyer("a@b.example", "A", "Mill 1", "1", "Fell", "AT")
    assert set(wrong(there, ships=True, countries=("DE",))) == {"country"}


@pytest.mark.parametrize("mail", ["", "x", "a@b", "a b@c.de", "a@b.c,d@e.f", "a@b." + "c" * 300, 'a"@b.de', "<a@b.de>"])
def test_what_is_no_mail_address_is_not_taken(mail):
    assert "mail" in wrong(read({"mail": mail, "name": "A"}), ships=False, countries=())


# --- how it stands -------------------------------------------------------------------------------------------


def test_how_an_order_stands_by_its_reports_in_any_order():
    ordered = Report(Told.ORDERED, {"A": D(2), "B": D(1)})
    assert standing([ordered]) == Standing()
    assert standing([Report(Told.PAID), ordered]) == Standing(paid=True)
    assert standing([ordered, Report(Told.PAID, {"A": D(2)})]) == Standing(), "a part of it is not all of it"
    assert standing([ordered, Report(Told.PAID, {"A": D(2), "B": D(1)})]).paid
    assert standing([ordered, Report(Told.CANCELLED, {"B": D(1)}), Report(Told.SENT, {"A": D(2)})]) == Standing(
        sent=True
    )
    assert standing([ordered, Report(Told.CANCELLED)]).cancelled
    assert standing([ordered, Report(Told.PAID), Report(Told.RETURNED, {"A": D(1)})]) == Standing(
        paid=True, returned=True
    )


@pytest.mark.parametrize(
    ("stands", "here", "found"),
    [
        (Standing(), True, {Stack.OPEN, Stack.PAY}),
        (Standing(paid=True), True, {Stack.OPEN, Stack.SEND}),
        (Standing(paid=True), False, set()),
        (Standing(sent=True), True, {Stack.OPEN, Stack.PAY}),
        (Standing(paid=True, sent=True), True, set()),
        (Standing(paid=True, sent=True, returned=True), True, {Stack.BACK}),
        (Standing(paid=True, cancelled=True), True, {Stack.BACK}),
        (Standing(cancelled=True), True, {Stack.BACK}),
    ],
)
def test_where_an_order_lies(stands, here, found):
    assert stacks(stands, trial=False, sent_here=here) == {*found, Stack.ALL}
    assert stacks(stands, trial=True, sent_here=here) == {Stack.TRIAL, Stack.ALL}, "nobody has anything to do with it"


def test_what_can_still_come_back():
    ordered, back = Report(Told.ORDERED, {"A": D(3), "B": D(1)}), Report(Told.RETURNED, {"A": D(1), "B": D(1)})
    assert returnable([]) == {}
    assert returnable([back, ordered]) == {"A": D(2)}
    assert returnable([ordered, back, back, back]) == {}
