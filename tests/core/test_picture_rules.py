"""Which pictures a variant shows, what their names tell, and what is suggested for those who can't see them."""

from hypothesis import given
from hypothesis import strategies as st

from graupel.core.attributes import Attribute, AttributeKind, Choice
from graupel.core.pictures import Picture, belongs, guess_choices, labels_of, shown_for, suggest_alts
from graupel.core.products import picture_of_plain, plain_picture
from graupel.core.variants import Axis


def axis(key: int, name: str, *labels: str) -> Axis:
    """An axis whose choices have the ids key * 10, key * 10 + 1, …"""
    choices = tuple(Choice(key * 10 + at, label, label[:3].upper()) for at, label in enumerate(labels))
    return Axis(Attribute(key, name, AttributeKind.ONE_CHOICE, choices=choices), choices)


COLOUR = axis(1, "Colour", "Heather", "Dark heather", "Oat")
SIZE = axis(2, "Put-up", "50 g", "100 g")
HEATHER, DARK, OAT, SMALL, LARGE = 10, 11, 12, 20, 21
AXES = (COLOUR, SIZE)


def test_a_variant_shows_its_own_before_those_for_all_and_never_anothers():
    pictures = [Picture(1), Picture(2, choices=(HEATHER,)), Picture(3, choices=(OAT,)), Picture(4, variants=(7,))]
    assert shown_for(pictures, AXES, 7, (HEATHER, SMALL)) == [1, 3, 0]
    assert shown_for(pictures, AXES, 8, (HEATHER, LARGE)) == [1, 0]
    assert shown_for(pictures, AXES, 9, (DARK, SMALL)) == [0]


def test_a_variant_without_any_shows_the_products():
    pictures = [Picture(1, choices=(HEATHER,)), Picture(2, choices=(OAT,))]
    assert shown_for(pictures, AXES, 9, (DARK, SMALL)) == [0, 1]
    assert shown_for([], AXES, 9, (DARK, SMALL)) == []


def test_choices_of_one_axis_are_alternatives_and_of_several_must_all_fit():
    picture = Picture(1, choices=(HEATHER, OAT, LARGE))
    assert [
        belongs(picture, AXES, 0, (colour, size)) for colour in (HEATHER, DARK, OAT) for size in (SMALL, LARGE)
    ] == [False, True, False, False, False, True]
    assert not belongs(Picture(1, choices=(999,)), AXES, 0, (HEATHER, SMALL)), "a choice of no axis is nobody's"


some_pictures = st.lists(
    st.builds(
        Picture,
        st.integers(1, 9),
        choices=st.lists(st.sampled_from([HEATHER, DARK, OAT, SMALL, LARGE, 999]), unique=True).map(tuple),
        variants=st.lists(st.integers(1, 4), unique=True).map(tuple),
    ),
    max_size=6,
)


@given(some_pictures, st.integers(1, 6), st.sampled_from([HEATHER, DARK, OAT]), st.sampled_from([SMALL, LARGE]))
def test_every_variant_shows_something_where_there_is_anything(pictures, variant_id, colour, size):
    shown = shown_for(pictures, AXES, variant_id, (colour, size))
    assert bool(shown) == bool(pictures)
    assert len(set(shown)) == len(shown)
    own = [belongs(pictures[place], AXES, variant_id, (colour, size)) for place in shown]
    assert own == sorted(own, reverse=True), "its own stand first"
    if any(own) or any(one.is_for_all for one in pictures):
        assert all(mine or pictures[place].is_for_all for mine, place in zip(own, shown, strict=True))


@given(some_pictures)
def test_a_picture_survives_being_written_down(pictures):
    for one in pictures:
        again = picture_of_plain(plain_picture(one))
        assert (again.media_id, set(again.choices), set(again.variants)) == (
            one.media_id, set(one.choices), set(one.variants),
        )  # fmt: skip


def test_file_names_tell_of_choices():
    def told(name: str) -> tuple[int, ...]:
        return guess_choices(name, AXES)

    assert told("fellside-heather.jpg") == (HEATHER,)
    assert told("Fellside Dark-Heather 2.JPG") == (DARK,)
    assert told("fellside_oat_100g.png") == (OAT, LARGE)
    assert told("FA-HEA-01.jpg") == (HEATHER,), "by its code"
    assert told("heathery.jpg") == () == told("img_4711.jpg")
    assert told("heather-aran-oat.jpg") == (OAT,), "the product's name comes first"


def test_alt_texts_are_suggested_from_product_and_choice():
    assert suggest_alts("Fellside aran", [[], ["Heather"], ["Heather"], []]) == [
        "Fellside aran",
        "Fellside aran, Heather",
        "Fellside aran, Heather, view 2",
        "Fellside aran, view 2",
    ]
    picture = Picture(1, choices=(OAT, 999), variants=(7, 8))
    assert labels_of(picture, AXES, {7: (HEATHER, LARGE)}) == ["Oat", "Heather, 100 g"]
