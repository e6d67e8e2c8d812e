"""Facets and words of names kept as sets: they say what looking at every record says."""

from unittest.mock import patch

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from graupel.core import words
from graupel.core.facets import NONE, FacetIndex, Ids, NewestFirst
from graupel.core.words import WordIndex, all_begin, words_of

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

NAMED = ("4", "4-ply", "the", "Thé", "theremin", "Öl", "then-x", "x", "100%", "Merino", "merinos", "🧶", "_a")
names = st.dictionaries(st.integers(1, 40), st.lists(st.sampled_from(NAMED), max_size=4).map(" ".join), max_size=20)


@given(names, names, st.sets(st.integers(1, 40)), st.text("4theolmrinxéÖ ", max_size=9), st.sampled_from([1, 2, 64]))
def test_words_kept_as_sets_find_the_names_in_which_all_typed_words_begin(first, then, gone, typed, most_told):
    """However few words are told apart; of the others it says which names are to be looked at."""
    with patch.object(words, "MOST_TOLD", most_told), patch.object(words, "FREQUENT", 3):
        index = WordIndex()
        index.add(first.items())
        index.remove(then)
        index.add(then.items())
        index = WordIndex.unpack(index.pack())
        index.remove(gone)
    there = {key: name for key, name in (first | then).items() if key not in gone}
    wanted = words_of(typed)
    fits = {key for key, name in there.items() if wanted and all_begin(wanted, name)}
    sure, unsure = map(set, index.having(wanted))
    assert sure <= fits <= sure | unsure
    assert not sure & unsure
    if most_told == 64:
        assert not unsure


def test_where_very_many_words_begin_alike_only_few_names_are_looked_at():
    index = WordIndex()
    index.add((number, f"Merino yarn {1_000_000 + number}") for number in range(2000))
    sure, unsure = index.having(["merino", "1000123"])
    assert not sure
    assert 123 in unsure
    assert len(unsure) == 1000
    assert index.having(["100"]) == (index.having(["merino"])[0], NONE), "a short beginning is known without looking"


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("Fellside ARAN, 4-ply", ["fellside", "aran", "4", "ply"]),
        ("Größe Näh", ["grosse", "nah"]),
        ("Crème brûlée", ["creme", "brulee"]),
        ("O'Brien's", ["o", "brien", "s"]),
        ("Softwool™ Ⅳ", ["softwooltm", "iv"]),
        ("羊毛 糸", ["羊毛", "糸"]),
        ("🧶 – %", []),
    ],
)
def test_a_name_is_taken_apart_without_accents_and_capitals(text, words):
    assert words_of(text) == words


def test_what_is_given_out_stays_as_it_was():
    index = WordIndex()
    index.add([(1, "Woollen"), (2, "Woollen twine")])
    found = [index.having([typed])[0] for typed in ("woollen", "wool", "wo")]
    index.remove([1])
    assert [list(ids) for ids in found] == [[1, 2]] * 3
    assert list(index.having(["woollen"])[0]) == [2]


@pytest.mark.parametrize(
    ("typed", "found"),
    [
        ("Child's hat", {1}), ("child’s", {1}), ("childs hat", {1}), ("hat child", {1}), ("hat lo", {1}),
        ("GROSSE", {3}), ("größe", {3}), ("strumpf", {3}),
        ("side ara", {2}),  # further in
        ("felslide", {2}), ("fellsde", {2}), ("fellsiide tweed", {2}), ("tweet wool", {2}),  # one slip
        ("fxllsyde", set()), ("hax", set()), ("1234", set()), ("felslide hat", set()),
    ],
)  # fmt: skip
def test_a_name_is_found_as_people_type_it(typed, found):
    index = WordIndex()
    index.add([(1, "Child’s hat, long"), (2, "Fellside aran, tweed wool"), (3, "Größe Strümpfe"), (4, "Skein 1235")])
    words = words_of(typed)
    assert set(index.having(words)[0] or index.much_like(words)[0]) == found


@given(st.text(alphabet="abcdefgh", min_size=4, max_size=9), st.data())
def test_any_one_slip_behind_the_first_letter_finds_the_word(word, data):
    index = WordIndex()
    index.add([(1, f"Yarn {word}"), (2, "Something else")])
    at = data.draw(st.integers(1, len(word) - 1))
    slip = data.draw(st.sampled_from(["wrong", "missing", "more", "exchanged"]))
    typed = {
        "wrong": word[:at] + "z" + word[at + 1 :],
        "missing": word[:at] + word[at + 1 :],
        "more": word[:at] + "z" + word[at:],
        "exchanged": word[: at - 1] + word[at] + word[at - 1] + word[at + 1 :] if at > 1 else word,
    }[slip]
    assume(len(typed) >= 4)
    ids, instead = index.much_like([typed])
    assert 1 in ids
    assert 2 not in ids
    assert instead == [] if word.startswith(typed) else word in instead


@given(st.sets(st.integers(0, 60)), st.lists(st.integers(0, 60), max_size=8), st.data())
def test_the_newest_first_are_the_set_backwards_behind_those_ahead(ids, ahead, data):
    shelf = NewestFirst(Ids(ids), ahead)
    first = [one for one in dict.fromkeys(ahead) if one in ids]
    plain = first + sorted(ids - set(first), reverse=True)
    part = data.draw(st.slices(len(plain)))
    assert (list(shelf), len(shelf), shelf[part]) == (plain, len(plain), plain[part])
    assert [shelf[at] for at in range(-len(plain), len(plain))] == [*plain, *plain]
    assert [one in shelf for one in range(61)] == [one in ids for one in range(61)]
