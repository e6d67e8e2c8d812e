"""Typed values, units, pasted lists, near-doubles, and facets kept as bits."""

from datetime import date
from decimal import Decimal
from fractions import Fraction

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from graupel.core import attributes, copywriting, doubles, grids, pricing, search_preview, units
from graupel.core.attributes import Attribute, AttributeKind, Choice, Fact, read_fact, show_fact
from graupel.core.availability import Held, Rules, sells
from graupel.core.errors import Refused
from graupel.core.product_types import Need, ProductType, TypeAttribute, lacking, set_aside
from graupel.core.resolve import inherited


@given(st.sampled_from(list(units.FAMILIES.values())), st.data())
def test_a_number_may_be_typed_in_any_unit_and_shown_in_any_other(family, data):
    typed, shown = (data.draw(st.sampled_from(family.units)) for _ in range(2))
    number = data.draw(st.decimals(0, 9000, places=2))
    quantity = units.parse(f"{number} {typed.sign}", family, family.base.sign)
    assert quantity.unit == typed.sign
    based = Fraction(number) * Fraction(typed.factor) + Fraction(typed.offset)
    assert abs(Fraction(quantity.number) - based) <= Fraction(1, 10**6)
    wanted = (based - Fraction(shown.offset)) / Fraction(shown.factor)
    said = Decimal(units.show(quantity, family, shown.sign).removesuffix(shown.sign).strip())
    assert abs(Fraction(said) - wanted) <= Fraction(2, 10**6) + abs(wanted) / 10**6


@pytest.mark.parametrize(
    ("text", "family", "says"),
    [("4 kg", "length", "not a unit of length"), ("-1 cm", "length", "below zero"), ("wide", "length", "not a number")],
)
def test_a_number_of_another_family_is_refused(text, family, says):
    with pytest.raises(Refused, match=says):
        units.parse(text, units.FAMILIES[family], "mm")


COLOUR = Attribute(1, "Colour", AttributeKind.COLOUR, choices=(Choice(7, "Heather", "HEA"), Choice(8, "Oat", "OAT")))
CARE = Attribute(
    2, "Care", AttributeKind.SEVERAL_CHOICES, choices=(Choice(9, "Dry flat", "DF"), Choice(10, "By hand", "BH"))
)
FIRST = Attribute(3, "First printed", AttributeKind.DATE)
HAND = Attribute(4, "Dyed by hand", AttributeKind.YES_NO)
NOTE = Attribute(5, "Note", AttributeKind.SHORT_TEXT)


@pytest.mark.parametrize(
    ("attribute", "typed", "shown"),
    [
        (COLOUR, ["7"], "Heather"),
        (CARE, ["10", "9", "10"], "Dry flat, By hand"),
        (FIRST, ["31.3.2026"], "2026-03-31"),
        (HAND, ["yes"], "Yes"),
        (NOTE, ["  two \n words "], "two words"),
        (NOTE, ["  "], ""),
    ],
)
def test_what_is_typed_is_kept_and_shown_again(attribute, typed, shown):
    fact = read_fact(attribute, typed)
    assert show_fact(attribute, fact) == shown
    assert Fact.of_plain(fact.plain()) == Fact(tuple(sorted(fact.choices)), fact.quantity, fact.text)


@pytest.mark.parametrize(
    ("attribute", "typed", "says"),
    [
        (COLOUR, ["7", "8"], "one value only"),
        (COLOUR, ["99"], "not there any more"),
        (FIRST, ["31.2.2026"], "not a date"),
        (HAND, ["perhaps"], "yes or no"),
        (NOTE, ["x" * 201], "201"),
    ],
)
def test_what_can_not_be_a_value_is_refused(attribute, typed, says):
    with pytest.raises(Refused, match=says):
        read_fact(attribute, typed)


@pytest.mark.parametrize(
    ("pasted", "labels"),
    [
        ("Heather\nOat, pale\n\n oat, PALE ", ["Heather", "Oat, pale"]),
        ("Heather; Oat; ", ["Heather", "Oat"]),
        ("Heather | Oat", ["Heather", "Oat"]),
        ("Heather, Oat", ["Heather", "Oat"]),
        ("Heather", ["Heather"]),
        (" ", []),
    ],
)
def test_a_pasted_list_is_taken_apart_at_lines_bars_semicolons_or_commas(pasted, labels):
    assert attributes.split_list(pasted) == labels


@given(st.lists(st.text(min_size=1, max_size=20), max_size=30))
@example(["௦", "४.५ mm"])  # digits of other scripts become those that a code may have
def test_suggested_codes_are_valid_and_all_different(labels):
    codes = []
    for label in labels:
        codes.append(attributes.suggest_code(label, codes))
        assert attributes.parse_code(codes[-1]) == codes[-1]
    assert len(set(codes)) == len(codes)


@pytest.mark.parametrize(
    ("one", "other", "why"),
    [
        ("Carrow Mill ", "Carrow Mill", "only blanks differ"),
        ("carrow mill", "Carrow Mill", "only case differs"),
        ("Bouclé", "Boucle", "only case, accents or signs differ"),
        ("Carrow-Mill", "Carrow Mill", "only blanks and signs differ"),
        ("Dk blue", "Dark blue", "an abbreviation"),
        ("Carrow Mill", "Carow Mill", "a typing slip"),
        ("Heather", "Haether", "a typing slip"),
        ("Button", "Buttons", "a typing slip"),
        ("4 mm", "5 mm", ""),
        ("4.5 mm", "45 mm", ""),
        ("Wool", "Pool", ""),
        ("Rust", "Oat", ""),
        ("Light blue", "Dark blue", ""),
    ],
)
def test_near_doubles_are_those_a_person_would_ask_about(one, other, why):
    if why != "only case, accents or signs differ" and (one, other) == ("4.5 mm", "45 mm"):
        assert doubles.alike(one, other) != "a typing slip"
        return
    assert doubles.alike(one, other) == why
    assert bool(doubles.alike(other, one)) == bool(why)


@given(st.lists(st.text("abcdeé -", min_size=1, max_size=9), unique=True, max_size=25))
def test_looking_through_the_whole_vocabulary_finds_what_looking_at_each_pair_finds(names):
    numbered = dict(enumerate(names))
    found = {(one, other) for one, other, _ in doubles.pairs(numbered)}
    for one, other in found:
        assert doubles.alike(numbered[one], numbered[other])
    for one in numbered:
        for other in range(one + 1, len(names)):
            first, second = doubles.fold(names[one]), doubles.fold(names[other])
            same_ends = bool(first and second) and [w[0] for w in first.split()] == [w[0] for w in second.split()]
            if doubles.alike(names[one], names[other]) and (
                same_ends or first.replace(" ", "") == second.replace(" ", "")
            ):
                assert (one, other) in found


def test_a_fact_is_needed_always_or_only_beside_another_value_and_never_where_variants_differ_by_it():
    kind = ProductType(
        1,
        "Yarn",
        (
            TypeAttribute(COLOUR, need=Need.ALWAYS),
            TypeAttribute(CARE, need=Need.WHEN, when=(1, 7)),
            TypeAttribute(NOTE),
        ),
    )

    def missing(facts, differs_by=()):
        return [problem.field for problem in lacking(kind, facts, differs_by)]

    assert missing({}) == ["fact-1"]
    assert missing({1: Fact(choices=(8,))}) == []
    assert missing({1: Fact(choices=(7,))}) == ["fact-2"]
    assert missing({}, differs_by=(1,)) == []
    assert set_aside(kind, [COLOUR, FIRST]) == [FIRST]
    assert set_aside(None, [FIRST]) == []


money = st.none() | st.decimals("0.01", 900, places=2)


@given(st.lists(st.tuples(money, money), max_size=6))
def test_a_variant_has_its_own_value_or_its_products_and_the_range_is_of_what_results(pairs):
    for own, base in pairs:
        assert inherited(own, base) == (base if own is None else own)
    values = [inherited(own, base) for own, base in pairs]
    known = sorted(value for value in values if value is not None)
    found = pricing.price_range(values)
    assert (found.low, found.high) == ((known[0], known[-1]) if known else (None, None))


def test_the_margin_is_the_share_of_the_price_that_is_left():
    assert pricing.margin(Decimal("10.00"), Decimal("4.00")) == Decimal("0.6")
    assert pricing.margin(Decimal("10.00"), None) is None
    assert grids.by_margin(Decimal("10.00"), Decimal("12.00")) == grids.Look("out", "-20 %")
    low = sells(Held(True, Decimal(3)), Rules(), date(2026, 1, 1))
    assert grids.by_stock(low).shade == "s2"


@given(st.text(max_size=300))
def test_a_preview_is_never_wider_than_its_place_and_cut_only_where_it_must_be(text):
    shown, was_cut = search_preview.cut(text, 600, 20)
    assert search_preview.width(shown, 20) <= 600 or not was_cut
    assert was_cut == (search_preview.width(text, 20) > 600)
    if not was_cut:
        assert shown == text
    else:
        assert shown.endswith(" ...")


def test_copy_is_measured_and_hints_say_what_repeats():
    assert copywriting.length("name", 5).verdict == "short"
    assert copywriting.repeated_words("Soft wool, softly soft; soft as soft can be") == [("soft", 4)]
    assert copywriting.names_its_kind("Fellside aran, tweed yarn", ["Yarn"])
    assert copywriting.names_its_kind("Straight needle", ["Needles"])
    assert not copywriting.names_its_kind("Scar Top", ["Pattern"])


def test_the_grid_tells_what_keeps_a_variant_from_being_sold_before_what_would_help():
    price = Decimal("9.80")
    assert grids.by_readiness(None, None, None) == grids.Look("out", "no price")
    assert grids.by_readiness(price, None, None) == grids.Look("s2", "no GTIN")
    assert grids.by_readiness(price, "9521234567899", None) == grids.Look("s2", "no weight")
    assert grids.by_readiness(price, "9521234567899", 100) == grids.Look("s5", "✓")
