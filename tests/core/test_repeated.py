"""Which words may have come before."""

from hypothesis import given
from hypothesis import strategies as st

from graupel.core.repeated import Repeated

words = st.lists(st.lists(st.sampled_from([*"abcdefgh", "longer", "ä", ""]), max_size=6), max_size=5)


@given(words)
def test_each_word_that_came_before_is_named_and_the_first_of_each_is_not(calls):
    repeated, seen = Repeated(), set()
    for call in calls:
        wanted = set()
        for place, word in enumerate(call):
            if word in seen:
                wanted.add(place)
            seen.add(word)
        assert repeated.among(call) == wanted


def test_of_many_different_words_hardly_any_is_named():
    repeated = Repeated()
    named = [repeated.among([f"SKU-{block}-{one}" for one in range(1_000)]) for block in range(100)]
    assert sum(map(len, named)) <= 2
