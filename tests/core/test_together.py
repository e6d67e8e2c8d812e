"""What costs less when it is bought together with something else."""

from datetime import date
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core.baskets import Wanted, Ware, basket
from graupel.core.choices import AddsBy
from graupel.core.errors import Refused
from graupel.core.price_rules import PriceRule
from graupel.core.taxes import Taxing
from graupel.core.together import Less, Offer, Pieces, as_shown, less, parse, show

D = Decimal
TODAY = date(2026, 11, 27)
WOOL, NEEDLES, BOOK = 1, 2, 3
TEN = Offer(WOOL, NEEDLES, AddsBy.PERCENT, D(10))
TWO = Offer(BOOK, NEEDLES, AddsBy.FIXED, D(2))


def pieces(line, product, asked, quantity, variant=None):
    return Pieces(line, product, variant or product * 10, D(asked), D(quantity))


def test_each_piece_costs_less_with_one_piece_of_the_other():
    lines = [pieces(1, WOOL, "9.80", 2), pieces(2, NEEDLES, "8.90", 3)]
    assert less(lines, [TEN]) == {2: Less(D("1.78"), 2, (WOOL,))}
    assert less(lines[1:], [TEN]) == {}, "without the other it costs what it costs"
    assert less([pieces(1, WOOL, "9.80", "2.5"), lines[1]], [TEN])[2].pieces == 2, "only whole pieces count"


def test_a_piece_costs_less_once_by_what_takes_off_the_most():
    lines = [pieces(1, WOOL, "9.80", 1), pieces(2, NEEDLES, "8.90", 3), pieces(3, BOOK, "5", 1)]
    assert less(lines, [TEN, TWO]) == {2: Less(D("2.89"), 2, (BOOK, WOOL))}
    assert as_shown(D("8.90"), [TEN, TWO], PriceRule()) == 2
    assert as_shown(D("8.90"), [], PriceRule()) == 0


def test_it_never_costs_less_than_nothing_and_amounts_pass_the_destinations_rule():
    assert TWO.off(D("1.50"), PriceRule()) == D("1.50")
    assert TWO.off(D(10), PriceRule(rate=D(3))) == 6
    assert Offer(1, 2, AddsBy.PERCENT, D(100)).off(D(7), PriceRule()) == 7


QUANTITIES = st.integers(1, 5)
LINES = st.lists(st.tuples(st.sampled_from([WOOL, NEEDLES, BOOK]), st.integers(100, 2000), QUANTITIES), max_size=7)
OFFERS = st.lists(
    st.builds(
        Offer,
        st.sampled_from([WOOL, BOOK]),
        st.sampled_from([NEEDLES, BOOK]),
        st.sampled_from([AddsBy.PERCENT, AddsBy.FIXED]),
        st.decimals("0.5", "90", places=1),
    ),
    max_size=4,
)


@given(LINES, OFFERS, st.data())
def test_what_is_taken_off_does_not_depend_on_the_order_of_lines(lines, offers, data):
    every = [Pieces(n, product, cents, D(cents) / 100, D(count)) for n, (product, cents, count) in enumerate(lines, 1)]
    found = less(every, offers)
    turned = less(data.draw(st.permutations(every)), offers)
    assert sum(one.amount for one in found.values()) == sum(one.amount for one in turned.values())
    by_id = {one.line_id: one for one in every}
    for key, one in found.items():
        assert 0 < one.amount <= by_id[key].asked * by_id[key].quantity
        assert one.pieces <= by_id[key].quantity


def test_a_basket_is_the_sum_of_its_lines_with_what_is_taken_off():
    taxing = Taxing("19 %", D(19), D(0), typed_with_tax=True)
    wares = {
        10: Ware(10, "Wool", "W", lambda count: D("9.80"), product_id=WOOL),
        20: Ware(20, "Needles", "N", lambda count: D("8.90"), product_id=NEEDLES, taxing=taxing),
    }
    found = basket([Wanted(1, 20, D(1)), Wanted(2, 10, D(1))], wares, TODAY, [TEN])
    assert [one.amount for one in found.lines] == [D("8.01"), D("9.80")]
    assert found.amount == D("17.81")
    assert found.lines[0].taxed.tax == D("1.28"), "the tax is that of what is paid"
    assert found.lines[0].less == Less(D("0.89"), 1, (WOOL,))
    assert found.lines[0].chosen.piece == D("8.90"), "the price of a piece stays, so that it is no news"


@pytest.mark.parametrize(
    ("text", "by", "amount"),
    [("10 %", "percent", 10), ("-10%", "percent", 10), ("2.50", "fixed", "2.50"), ("", "", 0), ("0", "", 0)],
)
def test_how_it_is_typed(text, by, amount):
    assert parse(text, "EUR") == (AddsBy(by), D(amount))
    assert parse(show(AddsBy(by), D(amount)), "EUR") == (AddsBy(by), D(amount))


@pytest.mark.parametrize("text", ["ten", "101 %", "1e9 %", "9" * 4400])
def test_what_can_not_be_read_is_refused(text):
    with pytest.raises(Refused):
        parse(text, "EUR")
