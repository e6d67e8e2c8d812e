"""A category's fields from what was typed: what can't be read is said beside its field, and the rest is kept."""

from dataclasses import replace

import pytest

from graupel.core.attributes import Attribute, AttributeKind, Choice
from graupel.core.categories import CategoryKind, CategoryValues, parse_link, parse_name, read, read_own
from graupel.core.errors import Refused

START = CategoryValues(name="Yarn")
LEVEL = Attribute(7, "Level", AttributeKind.ONE_CHOICE, choices=(Choice(70, "Easy", "EAS"), Choice(71, "Hard", "HAR")))


def problems(found):
    return {problem.field: problem.message for problem in found.problems}


def test_what_was_typed_is_taken_field_by_field():
    found = read({"name": "  Sock   yarns ", "meta_title": "Socks", "tags": ["summer", "summer"]}, START)
    assert not found.problems
    assert (found.values.name, found.values.meta_title) == ("Sock yarns", "Socks")
    assert found.values.description == START.description


@pytest.mark.parametrize(
    ("raw", "field"),
    [
        ({"name": "Yarn > Aran"}, "name"),
        ({"name": " "}, "name"),
        ({"kind": "link"}, "link"),
        ({"kind": "link", "link": "nowhere"}, "link"),
        ({"picture_id": "wool"}, "picture_id"),
    ],
)
def test_a_field_that_can_not_be_read_keeps_its_value_and_the_others_are_read(raw, field):
    found = read({**raw, "meta_title": "Socks"}, START)
    assert list(problems(found)) == [field]
    assert found.values.meta_title == "Socks"
    assert found.values.name == "Yarn"


def test_a_fact_is_read_by_its_attribute_and_goes_when_it_is_blank():
    filled = read({"fact-7": ["71"], "fact-8": ["1"]}, START, {7: LEVEL}).values
    assert {key: fact.choices for key, fact in filled.facts.items()} == {7: (71,)}
    assert read({"fact-7": [""]}, filled, {7: LEVEL}).values.facts == {}
    assert read({"name": "Other"}, filled, {7: LEVEL}).values.facts == filled.facts
    wrong = read({"fact-7": ["99"]}, filled, {7: LEVEL})
    assert list(problems(wrong)) == ["fact-7"]
    assert wrong.values == filled


def test_words_for_a_language_are_read_like_the_words_themselves():
    found, wrong = read_own({".de.name": " Garn ", ".de.meta_title": "", "s2.de.name": "A > B", ".de.price": "1"})
    assert found == {".de.name": "Garn", ".de.meta_title": ""}
    assert [problem.field for problem in wrong] == ["name"]


def test_names_and_links():
    assert parse_name("Needles") == "Needles"
    assert parse_link("/shop/p/12") == "/shop/p/12"
    assert parse_link("https://skeinwright.example/sale") == "https://skeinwright.example/sale"
    for odd in ("javascript:alert(1)", "shop/p/12"):
        with pytest.raises(Refused):
            parse_link(odd)
    assert replace(START, kind=CategoryKind.LINK, link="/sale") == read({"kind": "link", "link": "/sale"}, START).values
