"""Prices and weights as people type them."""

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core.errors import Refused
from graupel.core.quantities import format_money, format_weight, parse_money, parse_weight

amounts = st.decimals(min_value=0, max_value=9_999_999, places=2)


@pytest.mark.parametrize(
    ("typed", "amount"),
    [
        ("12.50", "12.50"),
        ("12,50", "12.50"),
        ("€ 12.50", "12.50"),
        ("12,50 €", "12.50"),
        ("EUR 12", "12.00"),
        ("1.234,50", "1234.50"),
        ("1,234.50", "1234.50"),
        ("1 234,5", "1234.50"),
        ("1'234.50", "1234.50"),
        ("1.234.567", "1234567.00"),
        ("0,999 €".replace("0,999", "0,99"), "0.99"),
        (".5", "0.50"),
    ],
)
def test_a_price_is_understood_as_it_is_written_in_many_places(typed, amount):
    assert parse_money(typed) == Decimal(amount)


@pytest.mark.parametrize(
    ("typed", "code", "says"),
    [
        ("1,234", "price.ambiguous", "1234 or 1.234"),
        ("$ 12", "price.currency", "in EUR"),
        ("12 GBP", "price.currency", "in EUR"),
        ("-4", "price.negative", "below zero"),
        ("12.5055", "price.too_fine", "two decimals"),
        ("cheap", "price.not_a_number", "like 12.50"),
        ("12,34,5", "price.not_a_number", "groups of three"),
        ("", "price.not_a_number", "12.50"),
        ("99999999999.00", "price.too_large", "more than"),
        ("1.2.3,4,5", "price.not_a_number", "not a price"),
    ],
)
def test_a_price_that_is_none_is_explained(typed, code, says):
    with pytest.raises(Refused) as refusal:
        parse_money(typed)
    assert refusal.value.problems[0].code == code
    assert says in refusal.value.problems[0].message


@given(amounts)
def test_what_a_field_shows_is_read_back_as_the_same_price(amount):
    assert parse_money(format_money(amount)) == amount


@given(amounts, st.sampled_from([",", "."]))
def test_grouped_digits_mean_the_same_with_either_mark(amount, decimal_mark):
    english = f"{amount:,.2f}"
    typed = english if decimal_mark == "." else english.translate(str.maketrans(",.", ".,"))
    assert parse_money(typed) == amount


@given(st.text(max_size=20))
def test_any_text_is_either_a_price_or_refused(text):
    try:
        amount = parse_money(text)
    except Refused as refusal:
        amount = Decimal(0) if refusal.problems[0].message else Decimal(-1)
    assert 0 <= amount <= Decimal("9999999999.99")


@pytest.mark.parametrize(
    ("typed", "grams"),
    [
        ("250", 250),
        ("250 g", 250),
        ("1.2 kg", 1200),
        ("1,2kg", 1200),
        ("1,234 kg", 1234),
        ("8 oz", 227),
        ("1 lb", 454),
        ("0.5 g", 1),
        ("500 mg", 1),
        ("1 234 g", 1234),
    ],
)
def test_a_weight_is_understood_with_its_unit(typed, grams):
    assert parse_weight(typed) == grams


@pytest.mark.parametrize(
    ("typed", "code"),
    [
        ("1.2 stone", "weight.unit"),
        ("heavy", "weight.not_a_number"),
        ("-1 kg", "weight.negative"),
        ("1,234 g", "weight.ambiguous"),
        ("200 t", "weight.too_large"),
    ],
)
def test_a_weight_that_is_none_is_explained(typed, code):
    with pytest.raises(Refused) as refusal:
        parse_weight(typed)
    assert refusal.value.problems[0].code == code


@given(st.integers(min_value=0, max_value=90_000_000))
def test_what_a_field_shows_is_read_back_as_the_same_weight(grams):
    assert parse_weight(format_weight(grams)) == grams
