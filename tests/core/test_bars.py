"""Several things in one cell, parted by bars."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core import bars
from graupel.core.bars import joined, parted

names = st.lists(st.text(alphabet="ab|,;> \\\"'", min_size=1, max_size=8).map(str.strip).filter(bool), max_size=5)


@given(names)
def test_what_is_joined_is_parted_into_the_same(some):
    assert parted(joined(some)) == (some or [""])


@pytest.mark.parametrize(
    ("text", "parts", "several"),
    [
        ("a | b", ["a", "b"], True),
        ("a|b\nc", ["a", "b", "c"], True),
        (r"a \| b | c", ["a | b", "c"], True),
        (r"a \| b", ["a | b"], False),
        ("a, b", ["a, b"], False),
        (" | b", ["", "b"], True),
    ],
)
def test_bars_and_lines_part_a_cell(text, parts, several):
    assert parted(text) == parts
    assert bars.parts_several(text) is several
