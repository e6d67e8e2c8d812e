"""Facets and words of names kept as sets: they say what looking at every record says."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core.facets import FacetIndex
from graupel.core.words import WordIndex, words_of

records = st.dictionaries(
    st.integers(1, 60),
    st.fixed_dictionaries(
        {"status": st.sets(st.sampled_from("ld"), min_size=1, max_size=1), "tag": st.sets(st.integers(1, 5))}
    ),
    max_size=25,
)


def put_in(index: FacetIndex, records) -> None:
    sets = [(facet, value, [key]) for key, held in records.items() for facet in held for value in held[facet]]
    index.add(records, sets)


@given(records, records, st.sets(st.integers(1, 60)), st.sets(st.sampled_from("ld")), st.sets(st.integers(1, 5)))
def test_facets_kept_as_sets_say_what_looking_at_every_record_says(first, then, gone, status, tag):
    index = FacetIndex()
    put_in(index, first)
    before = index.select({})
    index.remove(then)
    put_in(index, then)
    index = FacetIndex.unpack(index.pack())
    index.remove(gone)
    assert sorted(before) == sorted(first), "a set stays as it was"
    there = {k: v for k, v in (first | then).items() if k not in gone}
    chosen = {"status": status, "tag": tag}

    def fits(values, without=""):
        return all(not wanted or wanted & values[f] for f, wanted in chosen.items() if f != without)

    found = index.select(chosen)
    expected = [k for k, v in there.items() if fits(v)]
    assert list(found) == sorted(expected)
    assert index.of(expected) == found
    assert index.of(range(100)) == index.everything == index.of(there)
    for facet, held in index.counts(chosen).items():
        counted = {}
        for values in there.values():
            for value in values[facet] if fits(values, without=facet) else ():
                counted[value] = counted.get(value, 0) + 1
        assert held == counted


# --- words -----------------------------------------------------------------------------------------------------

NAMED = ("4", "4-ply", "the", "Thé", "then", "Öl", "ol", "x", "100%", "Merino", "🧶", "_a")
names = st.dictionaries(st.integers(1, 40), st.lists(st.sampled_from(NAMED), max_size=4).map(" ".join), max_size=20)


@given(names, names, st.sets(st.integers(1, 40)), st.text("4theolmxéÖ ", max_size=6))
def test_words_kept_as_sets_find_the_names_in_which_all_typed_words_begin(first, then, gone, typed):
    index = WordIndex()
    index.add(first.items())
    index.remove(then)
    index.add(then.items())
    index = WordIndex.unpack(index.pack())
    index.remove(gone)
    there = {key: words_of(name) for key, name in (first | then).items() if key not in gone}
    wanted = words_of(typed)
    fits = [key for key, words in there.items() if all(any(w.startswith(one) for w in words) for one in wanted)]
    assert list(index.having(wanted)) == (sorted(fits) if wanted else [])


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("Fellside ARAN, 4-ply", ["fellside", "aran", "4", "ply"]),
        ("Größe Näh", ["grosse", "nah"]),
        ("Crème brûlée", ["creme", "brulee"]),
        ("O'Brien's", ["o", "brien", "s"]),
        ("羊毛 糸", ["羊毛", "糸"]),
        ("🧶 – %", []),
    ],
)
def test_a_name_is_taken_apart_without_accents_and_capitals(text, words):
    assert words_of(text) == words


def test_what_is_given_out_stays_as_it_was():
    index = WordIndex()
    index.add([(1, "Wool"), (2, "Wool twine")])
    found, short = index.having(["wool"]), index.having(["wo"])
    index.remove([1])
    assert (list(found), list(short), list(index.having(["wool"]))) == ([1, 2], [1, 2], [2])
