"""Whole numbers out of what somebody sent."""

from hypothesis import given
from hypothesis import strategies as st

from graupel.core.typed import LARGEST, number, numbers


@given(st.integers(0, LARGEST))
def test_an_id_is_read_as_it_is_written(wanted):
    assert number(str(wanted)) == wanted == number(f"{wanted:010d}")


@given(st.one_of(st.text(), st.none(), st.floats(), st.integers(max_value=-1), st.integers(LARGEST + 1, 10**5000 // 7)))
def test_whatever_else_is_sent_is_an_id_or_none_and_never_a_fault(sent):
    try:
        text = str(sent)
    except ValueError:  # Python writes no number of so many digits
        text = "9" * 5000
    found = number(text)
    assert found is None or (text.isdecimal() and found == int(text) <= LARGEST)


def test_what_is_no_number_is_left_out_and_the_rest_keeps_its_order():
    assert numbers(["7", "x", "", "3", "-1", "99999999999", "3"]) == [7, 3, 3]
