"""The state of the table in its address."""

from decimal import Decimal
from itertools import pairwise
from urllib.parse import parse_qs

from hypothesis import given
from hypothesis import strategies as st

from graupel.core.tables import ID_FACETS, SORTS, WORD_FACETS, Cursor, TableState, price_bands, search_words

cursors = st.builds(Cursor, st.none() | st.text(max_size=20), st.integers(1, 10**9), st.booleans())
states = st.builds(
    TableState,
    q=st.text(max_size=20).map(lambda t: " ".join(t.split())),
    chosen=st.fixed_dictionaries(
        {},
        optional={
            **{
                f: st.lists(st.sampled_from(words), min_size=1, unique=True).map(tuple)
                for f, words in WORD_FACETS.items()
            },
            **{f: st.lists(st.integers(1, 10**9), min_size=1, max_size=3, unique=True).map(tuple) for f in ID_FACETS},
        },
    ),
    sort=st.sampled_from([*SORTS, *(f"-{name}" for name in SORTS)]),
    cursor=cursors,
    page=st.integers(2, 10**6),
)


@given(states)
def test_an_address_holds_the_whole_state(state):
    assert TableState.read(parse_qs(state.query(), keep_blank_values=True)) == state


@given(
    st.dictionaries(
        st.sampled_from(["q", "status", "category", "price", "fact", "sort", "at", "page", "odd"]),
        st.lists(st.text(max_size=30), min_size=1),
    )
)
def test_any_address_opens_some_table(query):
    assert TableState.read(query).sort_key in SORTS


@given(states, st.integers(1, 9))
def test_switching_a_facet_twice_leads_back_to_the_first_page_of_the_same_table(state, category):
    again = state.toggled("category", category).toggled("category", category)
    assert {f: set(v) for f, v in again.chosen.items()} == {f: set(v) for f, v in state.chosen.items()}
    assert again.cursor is None
    assert again.page == 1


def test_a_search_is_taken_apart_into_words_and_what_an_index_of_the_database_can_find():
    words = search_words(" the 4-ply Mérino ")
    assert words is not None
    assert words.words == ("the", "4", "ply", "merino")
    assert words.indexed == "+ply* +mérino*"
    assert words.code == "the 4-ply Mérino"
    assert search_words("   ") is None


@given(st.decimals(0, 900, places=2), st.decimals(0, 900, places=2))
def test_a_range_of_prices_touches_every_band_between_its_ends(one, other):
    low, high = sorted((one, other))
    bands = price_bands(low, high)
    ends = [Decimal(text) for text in WORD_FACETS["price"][:-1]] + [Decimal("1e9")]
    for begin, end in pairwise(ends):
        assert (str(begin) in bands) == (low < end and high >= begin)
    assert price_bands(None, None) == ["none"]
