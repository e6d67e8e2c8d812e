"""What a search engine would show: as much as fits, ended at a word, and filled from the copy if nothing is typed."""

from hypothesis import given
from hypothesis import strategies as st

from graupel.core.search_preview import DESCRIPTION_WIDTH, TITLE_SIZE, TITLE_WIDTH, cut, preview, width

texts = st.text(st.sampled_from("aiWm .,é漢M-"), max_size=200)


@given(texts, st.integers(60, 900))
def test_what_is_cut_fits_and_is_a_beginning_and_nothing_is_cut_without_need(text, most):
    shown, was_cut = cut(text, most, TITLE_SIZE)
    assert width(shown, TITLE_SIZE) <= most
    assert was_cut == (width(text, TITLE_SIZE) > most)
    if not was_cut:
        assert shown == text
        return
    assert shown.endswith(" ...")
    head = shown.removesuffix(" ...")
    assert text.startswith(head)
    rest = text[len(head) :].lstrip(" ,.;:")
    assert " " not in head.strip() or not rest or text[len(head)] in " ,.;:", "a word is not cut in two"


def entry(**given):
    nothing = dict.fromkeys(("name", "shop", "meta_title", "meta_description", "short_text", "description"), "")
    return preview(**(nothing | {"address": "/p/12", "shop": "Skeinwright"} | given))


def test_what_was_typed_counts_before_the_name_and_the_copy():
    filled = entry(name="Fellside aran", description="<p>Soft\n  &amp; warm</p>")
    assert (filled.title, filled.title_filled) == ("Fellside aran · Skeinwright", True)
    assert (filled.description, filled.description_filled) == ("Soft & warm", True)
    assert entry().title == "Skeinwright"
    assert entry(short_text="Of wool", description="<p>Soft</p>").description == "Of wool"
    typed = entry(name="Fellside aran", meta_title="Aran yarn", meta_description="Bought for life", short_text="x")
    assert (typed.title, typed.description) == ("Aran yarn", "Bought for life")
    assert not typed.title_filled
    assert not typed.description_filled


def test_the_title_is_narrower_than_the_description():
    long = entry(meta_title="wool " * 40, meta_description="wool " * 80)
    assert long.title_cut
    assert long.description_cut
    assert TITLE_WIDTH < DESCRIPTION_WIDTH
    assert long.title.count("wool") < long.description.count("wool")
