"""Any value for product, variant, destination and language, from the nearest place that has one."""

import re
from dataclasses import replace
from decimal import Decimal
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core import languages, phrases, product_fields, products, resolve, wording
from graupel.core.errors import Refused
from graupel.core.price_rules import PriceRule
from graupel.core.products import ProductValues
from graupel.core.resolve import DEFAULT_LENS, OF_PRODUCT, OF_VARIANT, Lens, Level, ValuePlace
from graupel.core.wording import Piece, Progress, State

OSTLERBY = "c1"
NAMES = {"": "English", "de": "German", "de-AT": "Austrian German", OSTLERBY: "Ostlerby", "s2": "Last Skeins"}
DE = Lens("", ("de", ""))
HALL_DE = Lens(OSTLERBY, ("de", ""))

lenses = st.builds(
    Lens,
    st.sampled_from(["", OSTLERBY, "s2"]),
    st.sampled_from([("",), ("de", ""), ("de-AT", "de", ""), ("fr", "de", "")]),
)
all_places = [
    ValuePlace(level, where, lang)
    for level in OF_VARIANT
    for where in ("", OSTLERBY, "s2")
    for lang in ("", "de", "de-AT", "fr")
]
held = st.dictionaries(st.sampled_from(all_places), st.sampled_from(["", "one", "another"]))


@given(held, lenses)
def test_a_value_is_the_nearest_readable_first_then_the_variants_own_then_the_destinations(values, lens):
    found = resolve.resolve(values, resolve.places(lens, OF_VARIANT, worded=True))
    may = [
        place
        for place, value in values.items()
        if value and place.lang in lens.chain and place.destination in ("", lens.destination)
    ]
    nearest = min(
        may,
        key=lambda p: (lens.chain.index(p.lang), OF_VARIANT.index(p.level), p.destination != lens.destination),
        default=None,
    )
    assert found.place == nearest
    assert found.value == (values[nearest] if nearest else None)


@given(held)
def test_the_default_lens_sees_what_is_written_once(values):
    found = resolve.resolve(values, resolve.places(DEFAULT_LENS, OF_PRODUCT, worded=True))
    assert found.value == (values.get(ValuePlace(Level.PRODUCT)) or None)
    assert resolve.origin(found.place, DEFAULT_LENS, Level.PRODUCT, NAMES, worded=True) == ""


@pytest.mark.parametrize(
    ("lens", "place", "says"),
    [
        (DE, ValuePlace(Level.PRODUCT, "", ""), "German is missing: English shown"),
        (DE, ValuePlace(Level.PRODUCT, "", "de"), ""),
        (HALL_DE, ValuePlace(Level.PRODUCT, OSTLERBY, "de"), "set for Ostlerby"),
        (HALL_DE, ValuePlace(Level.PRODUCT, "", "de"), "as everywhere"),
        (HALL_DE, ValuePlace(Level.PRODUCT, OSTLERBY, ""), "German is missing: English shown, set for Ostlerby"),
        (HALL_DE, None, ""),
    ],
)
def test_an_origin_is_said_in_words(lens, place, says):
    assert resolve.origin(place, lens, Level.PRODUCT, NAMES, worded=True) == says
    if place:
        assert "from the product" in resolve.origin(place, lens, Level.VARIANT, NAMES, worded=True)


money = st.none() | st.decimals("0.01", 90, places=2)
own_money = st.dictionaries(st.sampled_from([f"{OSTLERBY}..price", "s2..price"]), st.decimals("0.01", 90, places=2))


@given(
    money,
    money,
    own_money,
    own_money,
    lenses,
    st.sampled_from([None, "CHF"]),
    st.none() | st.just(PriceRule(Decimal("0.9"))),
)
def test_an_amount_is_the_same_resolved_at_once_or_one_record_after_the_other(
    base, own, of_product, of_variant, lens, cur, rule
):
    lens = replace(lens, currency=cur if lens.destination else None, rule=rule if lens.destination else None)
    values = ProductValues(price=base, own={key: str(amount) for key, amount in of_product.items()})
    variants = {key: str(amount) for key, amount in of_variant.items()}
    found = products.amount_typed("price", lens, values, own, variants)
    at_once = resolve.by_rule(found.value, found.place, lens)
    first = products.variants_amount_seen("price", lens, own, variants)
    assert resolve.inherited(first, products.amount_seen("price", lens, values).value) == at_once
    if lens.currency and not lens.rule:
        assert at_once in (*of_product.values(), *of_variant.values(), None), "an amount is never converted by itself"


def test_another_currency_takes_nothing_over():
    values = ProductValues(price=Decimal("9.80"), own={"s2..price": "11.00"})
    assert products.amount_seen("price", Lens("s2", ("",), "CHF"), values).value == Decimal("11.00")
    assert products.amount_seen("price", Lens("s3", ("",), "CHF"), values).value is None
    assert products.amount_seen("price", Lens("s3"), values).value == Decimal("9.80")
    rated = Lens("s3", ("",), "CHF", PriceRule(Decimal("0.95")))
    assert products.amount_seen("price", rated, values).value == Decimal("9.31"), "but by a rate that somebody wrote"


def test_what_is_typed_for_a_place_is_read_like_the_field_that_it_stands_for():
    typed = {
        "own-.de.name": "  Garn,  aus Wolle ",
        "own-c1..price": "10,40",
        "own-.de.key_points": "- warm\n- weich",
        "own-.de.description": "<p>Gut</p><script>x</script>",
        "own-s2..price": "CHF 5",
        "own-broken": "x",
    }
    reading = product_fields.read(typed, "EUR", ProductValues(own={".de.short_text": "Alt"}), {}, {"s2": "CHF"})
    assert reading.problems == []
    assert reading.values.own == {
        ".de.name": "Garn, aus Wolle",
        "c1..price": "10.40",
        ".de.key_points": "warm\nweich",
        ".de.description": "<p>Gut</p>",
        "s2..price": "5.00",
        ".de.short_text": "Alt",
    }
    assert products.unflat(products.flat(reading.values)) == reading.values
    taken = product_fields.read({"own-.de.name": " "}, "EUR", reading.values)
    assert ".de.name" not in taken.values.own
    refused = product_fields.read({"own-s2..price": "5 EUR"}, "EUR", None, {}, {"s2": "CHF"})
    assert "not in CHF" in refused.problems[0].message


def test_a_product_seen_through_a_lens_has_words_and_amounts_of_it():
    values = ProductValues(
        name="Yarn",
        short_text="Short",
        key_points=("warm",),
        price=Decimal(5),
        own={".de.name": "Garn", "c1.de.name": "Garn vom Markt", ".de.key_points": "weich\nwarm", "c1..price": "6.00"},
    )
    hall, german = products.seen(values, HALL_DE), products.seen(values, DE)
    assert (hall.name, hall.price, hall.short_text) == ("Garn vom Markt", Decimal("6.00"), "Short")
    assert (german.name, german.price, german.key_points) == ("Garn", Decimal(5), ("weich", "warm"))
    assert products.seen(values, DEFAULT_LENS) is values


# --- languages -----------------------------------------------------------------------------------------------


def test_languages_are_read_named_and_looked_for_in_order():
    assert [languages.parse(text) for text in ("DE", "de_at", " pt-BR ", "zh-hant")] == [
        "de",
        "de-AT",
        "pt-BR",
        "zh-Hant",
    ]
    assert languages.name("de") == "German"
    assert languages.name("de", "de") == "Deutsch"
    assert languages.chain("de-AT", "fr", "en") == ("de-AT", "de", "fr", "")
    assert languages.chain("en", "en", "en") == ("",)
    for wrong in ("", "german", "xx-YYYY", "e"):
        with pytest.raises(Refused):
            languages.parse(wrong)


def test_each_catalogue_of_the_shop_window_has_every_phrase_with_its_places():
    said = set(re.findall(r"""(?:say|phrase)\(\s*["']((?:[^"'\\]|’)+)["']""", _where_the_window_speaks()))
    said |= set(re.findall(r'(?<!f)"([^"]+)", \(', _what_is_wrong_with_what_buyers_type())) | {"Yes", "No"}
    assert len(said) > 30
    for lang in phrases.known() - {phrases.OWN}:
        there = {str(one.id): str(one.string) for one in phrases.catalogue(lang) if one.id}
        assert there.keys() == said, lang
        assert all(text and text.count("{}") == key.count("{}") for key, text in there.items()), lang


def _where_the_window_speaks():
    top = Path(phrases.__file__).parents[1]
    paths = [*top.glob("features/shop/**/*.html"), *top.glob("features/shop/*.py"), *top.glob("features/orders/*.py")]
    paths += top.glob("features/reviews/*.py")
    paths += [top / "web/templates/parts.html", top / "features/choices/templates/asked.html"]
    return "\n".join(path.read_text() for path in paths)


def _what_is_wrong_with_what_buyers_type():
    core = Path(phrases.__file__).parent
    return "\n".join((core / name).read_text() for name in ("choice_answers.py", "order_forms.py", "reviews.py"))


def test_the_shop_window_speaks_a_region_s_language_and_english_where_it_has_no_words():
    assert phrases.phrase("Only {} left", "de-AT", 3) == "Nur noch 3 auf Lager"
    assert phrases.phrase("from {}", "ja", "5") == "from 5"
    assert phrases.speaks("pt-BR")
    assert not phrases.speaks("fi")


def test_what_stands_for_others_is_left_out_where_it_is_farther_in_language():
    german = Lens("", ("de", ""))
    own = {".de.name": "Hügelgarn"}
    base = ProductValues(
        name="Hill yarn", meta_title="Buy hill yarn", meta_description="Best yarn", address_part="hill"
    )
    seen = products.seen(replace(base, own=own), german)
    assert (seen.meta_title, seen.address_part, seen.meta_description) == ("", "", "Best yarn")
    seen = products.seen(replace(base, own={**own, ".de.meta_title": "Hügelgarn kaufen"}), german)
    assert seen.meta_title == "Hügelgarn kaufen"
    assert products.seen(base, german).meta_title == "Buy hill yarn"


# --- translations --------------------------------------------------------------------------------------------


@given(st.text(max_size=60), st.text(max_size=60))
def test_what_changed_gives_both_texts_again(before, after):
    pieces = wording.what_changed(before, after)
    assert "".join(p.text for p in pieces if p.kind != "new") == before
    assert "".join(p.text for p in pieces if p.kind != "gone") == after


def test_a_translation_is_missing_out_of_date_or_done():
    assert wording.state("Yarn", None, None) is State.MISSING
    assert wording.state("Yarn", "Garn", "Yarn") is State.DONE
    assert wording.state("Soft yarn", "Garn", "Yarn") is State.OUTDATED
    assert wording.state("Soft yarn", "Garn", None) is State.DONE
    assert wording.what_changed("a yarn", "a soft yarn")[1] == Piece("soft ", "new")
    assert Progress("de", 1, 0, 999).share == 99
    assert Progress("de", 0, 0, 0).share == 100
