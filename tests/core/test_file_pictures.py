"""Pictures in a table of goods: cells, and what the rows of a product make of its pictures."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core.errors import Refused
from graupel.core.file_pictures import Says, Shown, own_sha, plan, read_alts, read_pictures, seen_by

KEYS = st.lists(st.sampled_from("abcdef"), unique=True, max_size=4)
VARIANTS = (1, 2, 3)
SETS = st.none() | st.frozensets(st.sampled_from(VARIANTS), min_size=1, max_size=2)


@st.composite
def products(draw):
    keys = draw(st.lists(st.sampled_from("abcdef"), unique=True, max_size=5))
    return [Shown(key, draw(st.sampled_from(["", "old"])), draw(SETS)) for key in keys]


ROWS = st.dictionaries(st.sampled_from(VARIANTS), KEYS, min_size=1).map(
    lambda said: [Says(variant, pictures) for variant, pictures in sorted(said.items())]
)


@given(products(), ROWS)
def test_each_variant_shows_what_its_row_says_and_those_without_a_row_what_they_did(there, says):
    after = plan(says, there, VARIANTS)
    now = there if after is None else after
    about = {one.variant: list(one.pictures) for one in says}
    for variant in VARIANTS:
        if variant in about:
            assert set(seen_by(variant, now)) == set(about[variant])
        else:
            assert set(seen_by(variant, now)) == set(seen_by(variant, there))
    assert len({one.key for one in now}) == len(now)
    assert (after is None) == all(seen_by(one.variant, there) == list(one.pictures) for one in says)


@given(products(), KEYS)
def test_a_product_shows_what_its_row_says_in_that_order_and_said_again_nothing_changes(there, pictures):
    says = [Says(None, pictures, dict.fromkeys(pictures[:1], "new"))]
    after = plan(says, there, VARIANTS)
    now = there if after is None else after
    assert [one.key for one in now] == pictures
    assert all(one.alt == "new" for one in now[:1])
    held = {one.key: one.by for one in there}
    assert all(one.by == held.get(one.key) for one in now)
    assert plan(says, now, VARIANTS) is None


@given(products())
def test_what_goes_out_of_a_product_comes_in_again_unchanged(there):
    there = [one for one in there if one.by is None or one.by]
    assert plan([Says(one, seen_by(one, there)) for one in VARIANTS], there, VARIANTS) is None


def test_one_order_is_made_of_several_lists():
    says = [Says(1, "abd"), Says(2, "acd"), Says(3, "xa")]
    assert [one.key for one in plan(says, [], VARIANTS)] == list("xacbd")
    by = {one.key: one.by for one in plan(says, [], VARIANTS)}
    assert by == {"a": None, "b": {1}, "c": {2}, "d": {1, 2}, "x": {3}}


def test_cells():
    text = " https://pics.example/a b.jpg".replace(" b", "%20b") + " | C:\\Photos\\red.jpg|/img/blue.png\nred.jpg |"
    assert read_pictures(text) == ("https://pics.example/a%20b.jpg", "red.jpg", "blue.png")
    assert read_pictures("") == ()
    listed = "https://a.example/1.jpg, http://a.example/2,3.jpg | a, b.jpg"
    assert read_pictures(listed) == ("https://a.example/1.jpg", "http://a.example/2,3.jpg", "a, b.jpg")
    assert read_pictures("pictures/a.jpg, pictures/b.glb, https://a.example/c") == (
        "a.jpg",
        "b.glb",
        "https://a.example/c",
    )
    assert read_alts("A skein |  | Two  skeins") == ("A skein", "", "Two skeins")
    sha = "ab" * 32
    assert own_sha(f"https://shop.example/media/{sha}/full/skein.jpg") == sha
    assert own_sha("https://pics.example/media/skein.jpg") == ""
    for wrong, why in (
        ("ftp://pics.example/a.jpg", "is no address"),
        ("https:///a.jpg", "is no address"),
        ("https://pics.example/a b.jpg", "is no address"),
        ("https://[::1/a.jpg", "is no address"),
        ("/", "names no file"),
        ("x" * 2001, "at most 2,000 signs"),
        ("|".join(f"{n}.jpg" for n in range(51)), "at most 50 pictures"),
    ):
        with pytest.raises(Refused, match=why):
            read_pictures(wrong)
    with pytest.raises(Refused, match="at most 300"):
        read_alts("x" * 301)
