"""Who may still have a file, and what of it was sent."""

from datetime import datetime, timedelta
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core.downloads import Given, Standing, asked_span, ending, is_whole, joined, read_count

NOW = datetime(2026, 11, 26, 12)
spans = st.lists(st.tuples(st.integers(0, 60), st.integers(0, 60)), max_size=12)


@given(found=spans)
def test_joined_parts_hold_the_same_bytes_and_touch_nowhere(found):
    together = joined(found)
    assert {byte for first, end in together for byte in range(first, end)} == {
        byte for first, end in found for byte in range(first, end)
    }
    assert all(one[1] < other[0] for one, other in pairwise(together))


@given(found=spans, size=st.integers(1, 60))
def test_a_file_is_whole_when_every_byte_was_sent(found, size):
    inside = [(first, min(end, size)) for first, end in found]
    sent = {byte for first, end in inside for byte in range(first, end)}
    assert is_whole(inside, size) == (len(sent) == size)


@given(first=st.integers(0, 99), length=st.integers(1, 200))
def test_a_range_that_is_there_is_given(first, length):
    assert asked_span(f"bytes={first}-{first + length - 1}", 100) == (first, min(first + length, 100))
    assert asked_span(f"bytes={first}-", 100) == (first, 100)
    assert asked_span(f"bytes=-{length}", 100) == (max(100 - length, 0), 100)


@pytest.mark.parametrize(
    "odd", ["", "bytes", "bytes=", "bytes=-", "bytes=5-2", "bytes=0-1,5-6", "items=0-5", "bytes=a-b"]
)
def test_a_range_that_makes_no_sense_is_all_of_it(odd):
    assert asked_span(odd, 100) is None


@pytest.mark.parametrize("beyond", ["bytes=100-", "bytes=500-600", "bytes=-0"])
def test_a_range_of_which_nothing_is_there_is_refused(beyond):
    with pytest.raises(ValueError, match="no such part"):
        asked_span(beyond, 100)


def test_how_a_link_stands():
    assert Given().standing(NOW) is Standing.OPEN
    assert Given(9).standing(NOW) is Standing.OPEN, "without a limit"
    assert Given(2, 3).standing(NOW) is Standing.OPEN
    assert Given(3, 3).standing(NOW) is Standing.USED_UP
    assert Given(2, 3, under_way=1).standing(NOW) is Standing.BUSY
    assert Given(under_way=5).standing(NOW) is Standing.OPEN
    assert Given(0, 3, NOW).standing(NOW) is Standing.EXPIRED
    assert Given(0, 3, NOW + timedelta(seconds=1)).standing(NOW) is Standing.OPEN
    assert Given(closed=True).standing(NOW) is Standing.CLOSED


def test_counts_and_endings_as_typed():
    assert [read_count(text, 100) for text in ("", " 7 ", "100")] == [None, 7, 100]
    for odd in ("0", "101", "-1", "x", "1.5", "9" * 4400, "²"):
        with pytest.raises(ValueError):  # noqa: PT011 - the page has the sentence
            read_count(odd, 100)
    assert [ending(name) for name in ("a.PDF", "a.tar.gz", "none", "x.", "x.äöü")] == ["pdf", "gz", "", "", ""]
