"""Prices: endings, price rules, sales, quantity prices, taxes, unit prices; never a float, rounded as stated."""

from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core import contents, endings, moments, pricing, sale_plans
from graupel.core.endings import Ending, Way
from graupel.core.errors import Refused
from graupel.core.price_history import Change, lowest, states
from graupel.core.price_rules import PriceRule, decimals, rounded
from graupel.core.quoting import Place, QuantityPrice, StepKind, Typed, quote, reduced
from graupel.core.sales import Reach, Reduction, Sale, TakesOff, nearest
from graupel.core.taxes import TaxClass, Taxing, TaxRate
from graupel.core.terms import SellingTerms, read

D = Decimal
NOW = datetime(2026, 11, 26, 12, tzinfo=UTC)
HOUR = timedelta(hours=1)
amounts = st.decimals("0.00", "99999.99", places=2)
percents = st.decimals("0.01", "99.99", places=2)
patterns = st.sampled_from([".90", ".95", "whole", ".x9", "9.90", "90", "0", ".5"])
ended = st.builds(lambda pattern, way: endings.parse(pattern, way), patterns, st.sampled_from(list(Way)))
rules = st.builds(
    PriceRule,
    rate=st.decimals("0.0001", "200", places=4),
    percent=st.decimals("-99", "200", places=2),
    amount=st.decimals("-20", "20", places=2),
    ending=st.none() | ended,
    decimals=st.sampled_from([0, 2]),
)
reductions = st.one_of(
    st.builds(Reduction, st.just(TakesOff.PRICE), amounts, st.booleans()),
    st.builds(Reduction, st.just(TakesOff.PERCENT), percents, st.booleans()),
    st.builds(Reduction, st.just(TakesOff.AMOUNT), amounts, st.booleans()),
)


def sale(
    number=1, reach=Reach.PRODUCT, where="", takes="15 %", targets=((7, 0),), begins=NOW - HOUR, ends=None, **more
):
    taken = sale_plans.reduction(takes, "EUR", ends_so=more.pop("ends_so", False))
    return Sale(number, f"Sale {number}", reach, frozenset(targets), where, taken, begins, ends, **more)


# --- endings -------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("price", "pattern", "way", "then"),
    [
        ("12.34", ".90", "nearest", "11.90"), ("12.40", ".90", "nearest", "12.90"), ("12.40", ".90", "down", "11.90"),
        ("12.34", "whole", "up", "13.00"), ("13.00", "whole", "up", "13.00"), ("6.71", ".x9", "down", "6.69"),
        ("14.00", "9.90", "nearest", "9.90"), ("14.90", "9.90", "nearest", "19.90"), ("1234", "90", "down", "1190"),
        ("0.40", ".90", "down", "0.90"), ("0.00", ".90", "up", "0.00"), ("0.30", "whole", "nearest", "1.00"),
    ],
)  # fmt: skip
def test_a_price_is_moved_to_its_ending(price, pattern, way, then):
    assert endings.parse(pattern, way).apply(D(price)) == D(then)


@given(amounts, ended)
def test_an_ended_price_ends_so_lies_within_a_step_and_stays_when_it_is_ended_again(price, ending):
    then = ending.apply(price)
    assert endings.kept(str(ending)) == ending
    if not price:
        assert then == 0
        return
    assert then > 0
    assert (then - ending.rest) % ending.step == 0
    assert abs(then - price) <= ending.step
    assert ending.apply(then) == then
    assert ending.way is not Way.UP or then >= price
    assert ending.way is not Way.DOWN or then <= max(price, then)


@pytest.mark.parametrize("text", ["90 cents", ".x99", "12345", ".", "-.90", "١"])
def test_what_is_no_ending_is_refused_with_an_example(text):
    with pytest.raises(Refused, match=r"Write \.90"):
        endings.parse(text)


# --- price rules and reductions ------------------------------------------------------------------------------


def test_a_rule_converts_then_adds_then_ends_and_what_was_typed_there_is_left_alone():
    rule = PriceRule(D("0.94"), D("-15"), D("2.00"), endings.parse(".90", "up"))
    assert rule.apply(D("10.00")) == D("10.90")  # 10 x 0.94 x 0.85 + 2 = 9.99
    assert rule.in_words == "rate 0.94, 15 % less, 2.00 more, ending .90 up"
    assert quote(Typed(D("7.00")), Place("s2", rule)).asked == D("7.00")
    assert decimals("JPY") == 0
    assert decimals("EUR") == 2
    assert rounded(D("2.5"), 0) == D("3.00")


@given(amounts, rules)
def test_a_rule_gives_amounts_of_the_currency_and_never_less_than_nothing(price, rule):
    then = rule.apply(price)
    assert isinstance(then, Decimal)
    assert then >= 0
    assert rule.ending or then == rounded(then, rule.decimals)


@given(amounts, reductions, st.sampled_from(["", "s2"]), st.booleans(), rules, st.none() | ended)
def test_a_reduction_is_an_amount_of_the_currency_wherever_it_was_written(price, taken, where, here, rule, ending):
    then = reduced(Typed(price, here), taken, where, Place("s2", rule, ending=ending, own_currency=True))
    assert isinstance(then, Decimal)
    assert then >= 0
    assert then == rounded(then)


def test_what_is_taken_off_everywhere_passes_the_rule_and_what_is_typed_there_does_not():
    place = Place("s2", PriceRule(percent=D("-15")))
    typed = Typed(D("9.80"), here=False)
    assert reduced(typed, Reduction(TakesOff.PRICE, D("7.90")), "", place) == D("6.72")
    assert reduced(typed, Reduction(TakesOff.PRICE, D("7.90")), "s2", place) == D("7.90")
    assert reduced(typed, Reduction(TakesOff.AMOUNT, D("2.00")), "", place) == D("6.63")  # (9.80 - 2) x 0.85
    assert reduced(Typed(D("8.00")), Reduction(TakesOff.AMOUNT, D("2.00")), "", place) == D("6.30")  # 8 - 2 x 0.85
    foreign = Place("s2", PriceRule(), converts=False)
    assert reduced(Typed(D("8.00")), Reduction(TakesOff.AMOUNT, D("2.00")), "", foreign) is None
    assert reduced(Typed(D("8.00")), Reduction(TakesOff.PERCENT, D("10")), "", foreign) == D("7.20")


# --- sales ---------------------------------------------------------------------------------------------------


def test_the_nearest_sale_counts_variant_choice_product_all_and_one_destination_before_everywhere():
    ways = [
        sale(1, Reach.ALL, targets=()), sale(2, Reach.ALL, "s2", targets=()), sale(3), sale(4, where="s2"),
        sale(5, Reach.CHOICE, targets=((7, 31),)), sale(6, Reach.CHOICE, "s2", targets=((7, 31),)),
        sale(7, Reach.VARIANT, targets=((7, 70),)), sale(8, Reach.VARIANT, "s2", targets=((7, 70),)),
    ]  # fmt: skip
    for count in range(1, 9):
        assert [one.id for one in nearest(ways[:count], "s2")] == [count]
    assert [one.id for one in nearest(ways, "")] == [7]
    assert nearest([], "") == []
    assert ways[4].reaches(7, 99, (31, 40))
    assert not ways[4].reaches(8, 99, (31,))
    assert not ways[6].reaches(7, 71, ())


def test_a_farther_sale_counts_even_where_it_costs_less_but_a_sale_never_makes_anything_dearer():
    cheap, near = sale(1, Reach.ALL, takes="50 %", targets=()), sale(2, takes="9.00")
    assert quote(Typed(D("9.80")), Place(), [cheap, near]).asked == D("9.00")
    dear = quote(Typed(D("9.80")), Place(), [sale(3, takes="12.00")])
    assert (dear.asked, dear.sale, dear.is_reduced) == (D("9.80"), None, False)
    two = [sale(4, Reach.CHOICE, takes="8.00"), sale(5, Reach.CHOICE, takes="7.50")]
    assert quote(Typed(D("9.80")), Place(), two).sale.id == 5


def test_only_equals_stand_in_each_others_way():
    first = sale(1, begins=NOW, ends=NOW + 2 * HOUR)
    assert sale(2, begins=NOW + HOUR).equals(first)
    assert not sale(2, begins=NOW + 2 * HOUR).equals(first), "one may begin as the other ends"
    for other in (
        sale(2, where="s2", begins=NOW), sale(2, Reach.VARIANT, targets=((7, 70),), begins=NOW),
        sale(2, targets=((8, 0),), begins=NOW),
    ):  # fmt: skip
        assert not other.equals(first)


def test_of_sale_and_quantity_price_the_lowest_counts_unless_they_are_joined():
    ten = QuantityPrice(1, 10, sale_plans.reduction("8.00", "EUR"))
    at = [quote(Typed(D("9.80")), Place(), [sale(takes="10 %")], [ten], count) for count in (9, 10)]
    assert [(one.asked, bool(one.sale), bool(one.quantity)) for one in at] == [
        (D("8.82"), True, False),
        (D("8.00"), False, True),
    ]
    joined = quote(Typed(D("9.80")), Place(), [sale(takes="10 %", joined=True)], [ten], 10)
    assert (joined.asked, [step.kind for step in joined.steps]) == (
        D("7.20"),
        [StepKind.TYPED, StepKind.QUANTITY, StepKind.SALE],
    )
    own = QuantityPrice(2, 5, sale_plans.reduction("9.00", "EUR"), variant_id=70)
    assert quote(Typed(D("9.80")), Place(), [], [ten, own], 10).asked == D("9.00"), (
        "the variant's own before all others"
    )


def test_a_price_says_why_step_by_step():
    place = Place("s2", PriceRule(percent=D("-15"), ending=endings.parse(".x4", "down")))
    tax = Taxing("Full", D("19"), D(0), typed_with_tax=True)
    found = quote(Typed(D("9.80"), here=False), place, [sale(takes="7.90")], (), 1, tax)
    assert [(step.kind, step.amount) for step in found.steps] == [
        (StepKind.TYPED, D("9.80")), (StepKind.SALE, D("7.90")), (StepKind.RULE, D("6.64")), (StepKind.TAX, D("1.06")),
    ]  # fmt: skip
    there = quote(Typed(D("9.80"), here=False), place, [sale(where="s2", takes="-1.00")])
    assert [step.kind for step in there.steps] == [StepKind.TYPED, StepKind.RULE, StepKind.SALE]


@given(amounts, st.lists(reductions, max_size=3), rules, st.integers(1, 12))
def test_the_steps_lead_from_what_was_typed_to_what_is_asked(price, taken, rule, quantity):
    sales = [
        Sale(n, "", reach, frozenset({(7, 0)}), "", one, NOW)
        for n, (reach, one) in enumerate(zip(Reach, taken, strict=False))
    ]
    bulk = [QuantityPrice(1, 5, taken[0])] if taken else []
    for here in (True, False):
        found = quote(Typed(price, here), Place("s2", rule), sales, bulk, quantity)
        assert found.steps[0].amount == price
        assert found.steps[-1].amount == found.asked <= found.regular


# --- taxes ---------------------------------------------------------------------------------------------------


def test_a_rate_holds_from_its_day_on_and_for_its_country():
    full = TaxClass(1, "Full", [TaxRate("DE", date(2007, 1, 1), D(19)), TaxRate("DE", date(2027, 1, 1), D(20))])
    assert full.rate("DE", date(2026, 12, 31)).percent == 19
    assert full.rate("DE", date(2027, 1, 1)).percent == 20
    assert full.rate("AT", date(2026, 1, 1)) is None
    assert full.rate("DE", date(2006, 12, 31)) is None


def test_a_fixed_charge_is_told_apart_and_everything_is_rounded_once_a_line():
    media = Taxing("Recording media", D(0), D("2.00"), typed_with_tax=False)
    found = quote(Typed(D("0.00")), Place(), taxing=media)
    assert [(step.kind, step.amount) for step in found.steps] == [(StepKind.TYPED, D(0)), (StepKind.CHARGE, D("2.00"))]
    assert found.line.gross == D("2.00")
    seven = Taxing("Reduced", D("7"), D(0), typed_with_tax=False)
    assert seven.line(D("0.07"), 10).gross == D("0.75"), "0.749, not ten times 0.07"
    assert Taxing("All", D(100), D(0), typed_with_tax=True).line(D("9.99")).net == D("5.00")


@given(amounts, st.decimals(0, 100, places=4), st.decimals(0, 5, places=2), st.booleans(), st.integers(1, 500))
def test_a_line_is_never_less_than_its_charge_and_net_and_tax_make_the_whole(price, percent, charge, with_tax, count):
    line = Taxing("x", percent, charge, with_tax).line(price, count)
    assert line.net + line.tax == line.gross >= line.fixed == charge * count
    assert all(one == rounded(one) for one in (line.net, line.gross))
    assert line.net >= 0
    exact = price * count if with_tax else price * count * (1 + percent / 100) + charge * count
    assert abs(line.gross - max(exact, line.fixed)) <= D("0.005")


# --- margins, contents, the past -----------------------------------------------------------------------------


@given(st.decimals("0.01", "9999", places=2), st.decimals("0", "95", places=1))
def test_a_typed_margin_or_markup_gives_the_price_that_has_it(cost, percent):
    price = pricing.from_margin(cost, percent)
    assert abs(pricing.margin(price, cost) - percent / 100) <= D("0.005") / price
    assert abs(pricing.markup(pricing.from_markup(cost, percent), cost) * cost - percent * cost / 100) <= D("0.0050001")
    with pytest.raises(Refused, match="below 100"):
        pricing.from_margin(cost, D(100))


@pytest.mark.parametrize(
    ("text", "kept", "price", "told"),
    [
        ("50g", "50 g", "5.40", "10.80 per 100 g"), ("0,75 l", "0.75 l", "9.00", "12.00 per l"),
        ("25 m", "25 m", "6.00", "0.24 per m"), ("1.2 kg", "1.2 kg", "30.00", "25.00 per kg"),
        ("6 pcs", "6 pc", "9.00", "1.50 per piece"), ("8 oz", "8 oz", "8.00", "3.53 per 100 g"),
    ],
)  # fmt: skip
def test_the_price_by_unit_of_measure_follows_from_the_contents(text, kept, price, told):
    assert contents.parse(text) == kept
    found = contents.unit_price(D(price), kept)
    assert f"{found.amount} per {found.per}" == told
    assert contents.unit_price(D(price), kept, "1 °C" if kept == "25 m" else "3 K") is None


@pytest.mark.parametrize("text", ["fifty", "0 g", "-3 g", "50", "4 °C", "1" * 30 + " g"])
def test_what_is_no_measure_is_refused(text):
    with pytest.raises(Refused):
        contents.parse(text)


def test_the_lowest_price_of_thirty_days_knows_what_was_typed_and_what_was_on_sale():
    begins = NOW
    changes = [Change(begins - 40 * 24 * HOUR, "p", D("4.00")), Change(begins - 10 * 24 * HOUR, "p", D("9.80"))]
    changes += [Change(begins + HOUR, "p", D("10.40"))]
    held = states({"p": D("12.00")}, changes, begins - 30 * 24 * HOUR, begins)
    assert [typed["p"] for _, typed in held] == [D("9.80"), D("10.40")], (
        "before those 30 days 4.00; raised before the sale"
    )
    on = sale(begins=begins - 20 * 24 * HOUR, ends=begins - 19 * 24 * HOUR, takes="10 %")

    def ask(typed, at):
        return quote(Typed(typed["p"]), Place(), [on] if on.holds(at) else []).asked

    assert lowest(held, [], begins, ask) == D("9.80")
    assert lowest(held, [on.begins, on.ends], begins, ask) == D("8.82")


# --- what people type ----------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "takes", "amount"),
    [
        ("7.90", "price", "7.90"), ("15 %", "percent", "15"), ("-15%", "percent", "15"),
        ("12,5 % off", "percent", "12.5"),
        ("-2.00", "amount", "2.00"), ("2,00 off", "amount", "2.00"), ("0", "price", "0.00"),
    ],
)  # fmt: skip
def test_what_a_sale_takes_off_is_typed_as_people_write_it(text, takes, amount):
    found = sale_plans.reduction(text, "EUR")
    assert (found.takes_off, found.amount) == (takes, D(amount))
    assert sale_plans.reduction(sale_plans.typed_reduction(found), "EUR") == found


@pytest.mark.parametrize("text", ["", "100 %", "0 %", "-0.00", "--2", "7.905", "12345678901", "USD 5", "half"])
def test_what_takes_off_nothing_or_too_much_is_refused(text):
    with pytest.raises(Refused):
        sale_plans.reduction(text, "EUR")


ZONES = [ZoneInfo(name) for name in ("Europe/Berlin", "America/New_York", "Australia/Lord_Howe")]
#: The hour that is left out, and the first and the second time that an hour is shown twice, in 2026.
JUMPS = [
    ("2026-03-29T02:30", "2026-10-25T02:30"),
    ("2026-03-08T02:30", "2026-11-01T01:30"),
    ("2026-10-04T02:10", "2026-04-05T01:40"),
]


@pytest.mark.parametrize(("zone", "jump"), zip(ZONES, JUMPS, strict=True))
def test_a_sale_cannot_begin_at_an_hour_that_does_not_exist_and_takes_the_first_of_two(zone, jump):
    with pytest.raises(Refused, match="does not exist"):
        moments.parse(jump[0], zone)
    first = moments.parse(jump[1], zone)
    assert moments.typed(first, zone) == jump[1]
    assert first.astimezone(zone).fold == 0
    again = first + (first.astimezone(zone).replace(fold=1).utcoffset() - first.astimezone(zone).utcoffset()) * -1
    assert moments.typed(again, zone) == jump[1], "the same clock, one change later"


@given(st.datetimes(datetime(2020, 1, 1), datetime(2035, 1, 1)), st.sampled_from(ZONES))
def test_every_moment_that_is_shown_is_read_back(moment, zone):
    at = moment.replace(second=0, microsecond=0, tzinfo=UTC)
    assert moments.typed(moments.parse(moments.typed(at, zone), zone), zone) == moments.typed(at, zone)


def test_a_sale_that_ends_before_it_begins_is_refused_and_all_that_is_wrong_is_said_at_once():
    place = sale_plans.Place(ZONES[0], "EUR", {"s2": "JPY"}, {"": "Main", "s2": "Japan"})
    raw = {"begins": "2026-12-01T00:00", "ends": "2026-11-30T00:00", "amount": "7.90"}
    assert [p.field for p in sale_plans.read(raw, sale(), place)[1]] == ["ends"]
    raw = {"begins": "2026-03-29T02:30", "ends": "x", "amount": "100 %", "promotion": "4", "destination": "c9"}
    assert {p.field for p in sale_plans.read(raw, sale(), place)[1]} == {*raw}
    found, problems = sale_plans.read({"destination": "s2", "amount": "900"}, sale(), place)
    assert not problems
    assert found.reduction.amount == 900
    assert sale_plans.read({"destination": "s2", "amount": "7.90"}, sale(), place)[1][0].code == "price.too_fine"


def test_terms_are_read_field_by_field_and_a_rate_is_needed_for_another_currency():
    raw = {
        "rate": "0,94",
        "rate_on": "2026-11-20",
        "percent": "-15 %",
        "amount": "2",
        "ending": ".90",
        "ending_way": "up",
    }
    found, problems = read(
        {**raw, "country": "Switzerland", "tax_shown": "both", "jump_percent": "30"}, SellingTerms("s2")
    )
    assert not problems
    assert found.rule("CHF", converted=True).factor == D("0.799")
    assert found.country == "CH"
    assert str(found.price_ending) == ".90 up"
    assert found.rule("EUR", converted=False).rate == 1
    assert SellingTerms("s2", percent=D(5)).rule("CHF", converted=True) is None
    assert SellingTerms("s2").rule("EUR", converted=False) is None
    assert SellingTerms("", percent=D(5)).rule("EUR", converted=False) is None
    wrong = {"rate": "0", "rate_on": "soon", "percent": "-101", "amount": "x", "country": "Nowhere", "tax_shown": "?"}
    assert [p.field for p in read({**wrong, "jump_percent": "0.5"}, SellingTerms())[1]] == [*wrong, "jump_percent"]
    assert isinstance(Ending(D(0), D(1)).pattern, str)
