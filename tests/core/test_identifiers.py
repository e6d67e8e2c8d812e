"""SKUs and GTINs."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core.errors import Refused
from graupel.core.identifiers import free_number, gtin_check_digit, parse_gtin, parse_sku
from standins.ostlerby.rules import check_digit_fits


def test_a_sku_is_taken_without_the_blanks_around_it():
    assert parse_sku("  FEL-AR 100/2 ") == "FEL-AR 100/2"


@pytest.mark.parametrize(
    ("typed", "code", "says"),
    [
        ("", "sku.missing", "needed"),
        ("FEL-🧶", "sku.characters", "“🧶”"),
        ("-FEL", "sku.characters", "begin with"),
        ("F" * 65, "sku.too_long", "65"),
        ("Fell’s", "sku.characters", "“’”"),
    ],
)
def test_a_sku_that_labels_could_not_carry_is_refused(typed, code, says):
    with pytest.raises(Refused) as refusal:
        parse_sku(typed)
    assert refusal.value.problems[0].code == code
    assert says in refusal.value.problems[0].message


@given(st.integers(min_value=0, max_value=10**9 - 1))
def test_a_gtin_with_its_check_digit_is_taken_and_any_other_digit_is_named(number):
    body = f"952{number:09d}"
    right = gtin_check_digit(body)
    assert parse_gtin(f"{body[:3]} {body[3:]}-{right}") == body + right
    assert check_digit_fits(body + right)
    wrong = str((int(right) + 1) % 10)
    with pytest.raises(Refused, match=f"should be {right}, not {wrong}"):
        parse_gtin(body + wrong)


@pytest.mark.parametrize("typed", ["95212345", "abc", "952123456789", "٩٥٢١٢٣٤٥٦٧٨٩٩"])
def test_what_is_no_gtin_is_refused(typed):
    with pytest.raises(Refused):
        parse_gtin(typed)


@given(st.integers(1, 10**6), st.sets(st.integers(2, 60)))
def test_a_running_number_is_free_and_follows_one_that_is_given(last, given_before):
    looked_at = []

    def is_given(number: int) -> bool:
        looked_at.append(number)
        return number <= last

    assert free_number(is_given) == last + 1
    assert len(looked_at) <= 2 * last.bit_length() + 1
    number = free_number(given_before.__contains__)
    assert number not in given_before
    assert number == 2 or number - 1 in given_before
