"""What is done with the cells of a column, and which column is which field."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core import columns, guessing, profiles
from graupel.core.columns import DayOrder, Empty, Rule, day, text_of
from graupel.core.errors import Refused
from graupel.core.guessing import Why
from graupel.core.records import FieldKind

LINE, MONEY, WEIGHT, DAY = FieldKind.LINE, FieldKind.MONEY, FieldKind.WEIGHT, FieldKind.DAY


@pytest.mark.parametrize(
    ("rule", "cell", "kind", "says"),
    [
        (Rule("name", 0), "  Wool ", LINE, "Wool"),
        (Rule("name", 0, split="/"), "Moss / Rust", LINE, "Moss"),
        (Rule("name", 0, split="/", part=-1), "Moss / Rust", LINE, "Rust"),
        (Rule("name", 0, split="/", part=3), "Moss / Rust", LINE, ""),
        (Rule("name", 0, split=" "), "Moss Rust", LINE, "Moss"),
        (Rule("at_zero", 0, replaced=(("Ja", "stop"), ("nein", "go on"))), "JA", LINE, "stop"),
        (Rule("at_zero", 0, replaced=(("ja", "stop"),)), "Jain", LINE, "Jain"),
        (Rule("category", 0, replaced=(("Yarn > Arann", "Yarn > Aran"),)), "yarn>  Arann", LINE, "Yarn > Aran"),
        (columns.mended(Rule("name", 0, replaced=(("CM", "Carow"),)), "carow", "Carrow"), "cm", LINE, "Carrow"),
        (Rule("weight_g", 0, unit="kg"), "0,05", WEIGHT, "0,05 kg"),
        (Rule("weight_g", 0, unit="kg"), "50 g", WEIGHT, "50 g"),
        (Rule("price", 0, decimal=","), "1.234,56", MONEY, "1234.56"),
        (Rule("price", 0, decimal="."), "1,234.56", MONEY, "1234.56"),
        (Rule("price", 0, decimal="."), "1,234", MONEY, "1234"),
        (Rule("price", 0, decimal=","), "1 234,5 €", MONEY, "1234.5 €"),
        (Rule("back_on", 0), "24.12.2026", DAY, "2026-12-24"),
        (Rule("back_on", 0), "4.3.26", DAY, "2026-03-04"),
        (Rule("back_on", 0, days=DayOrder.MONTH_FIRST), "3/4/2026", DAY, "2026-03-04"),
        (Rule("back_on", 0, days=DayOrder.DAY_FIRST), "3/4/2026", DAY, "2026-04-03"),
        (Rule("back_on", 0), "12/24/2026", DAY, "2026-12-24"),
        (Rule("back_on", 0), "2026-12-24 00:00:00", DAY, "2026-12-24"),
        (Rule("name", None, fixed="Always"), "", LINE, "Always"),
    ],
)
def test_what_a_rule_makes_of_a_cell(rule, cell, kind, says):
    assert text_of([rule], [cell], kind) == says


@pytest.mark.parametrize(
    ("rule", "cell", "kind", "why"),
    [
        (Rule("back_on", 0), "3/4/2026", DAY, "can be two days"),
        (Rule("back_on", 0), "31.2.2026", DAY, "is no day"),
        (Rule("price", 0, decimal="."), "1.234,56", MONEY, "stands before decimals in this column"),
    ],
)
def test_what_could_mean_two_things_is_asked_about(rule, cell, kind, why):
    with pytest.raises(Refused, match=why):
        text_of([rule], [cell], kind)


def test_several_columns_are_put_together_and_missing_ones_leave_no_trace():
    rules = [Rule("category", 0), Rule("category", 1, joined=" > "), Rule("category", 9, joined=" > ")]
    assert text_of(rules, ["Yarn", "Aran"], LINE) == "Yarn > Aran"
    assert text_of(rules, ["", "Aran"], LINE) == "Aran"


@given(st.dates())
def test_a_day_is_the_same_in_any_way_that_is_told(when):
    iso = f"{when:%Y-%m-%d}".rjust(10, "0")
    full = f"{when.year:04}"
    assert day(iso) == day(f"{when.day}.{when.month}.{full}") == when.isoformat()
    for order, text in ((DayOrder.DAY_FIRST, (when.day, when.month)), (DayOrder.MONTH_FIRST, (when.month, when.day))):
        assert day(f"{text[0]:02}/{text[1]:02}/{full}", order) == when.isoformat()


RULES = st.builds(
    Rule,
    field=st.sampled_from(["sku", "name", "price"]),
    column=st.one_of(st.none(), st.integers(0, 3)),
    fixed=st.text(max_size=4),
    split=st.sampled_from(["", "/", " "]),
    part=st.integers(-3, 3),
    replaced=st.lists(st.tuples(st.text(max_size=3), st.text(max_size=3)), max_size=2).map(tuple),
    joined=st.sampled_from([" ", " > "]),
    unit=st.sampled_from(["", "kg"]),
    decimal=st.sampled_from(["", ".", ","]),
    days=st.sampled_from(DayOrder),
    empty=st.sampled_from(Empty),
)


@given(st.lists(RULES, max_size=5))
def test_rules_are_kept_and_come_back_as_they_were(rules):
    assert [Rule.of(rule.as_dict()) for rule in rules] == rules
    headers = ["SKU", "Bezeichnung", "Preis €", "Größe"]
    text = profiles.kept(headers, rules)
    assert profiles.fitted(text, headers) == (rules, [])
    moved = ["extra", *reversed(headers)]
    places = {column: moved.index(header) for column, header in enumerate(headers)}
    assert profiles.fitted(text, moved) == ([replace(one, column=places.get(one.column)) for one in rules], [])


def test_a_profile_is_taken_where_all_its_columns_are_there_and_are_most_of_the_file():
    two = profiles.kept(["SKU", "Preis"], [Rule("sku", 0), Rule("price", 1)])
    three = profiles.kept(["sku", "preis", "Titel"], [Rule("sku", 0), Rule("price", 1), Rule("name", 2)])
    assert profiles.best({1: two, 2: three}, ["SKU", "Preis", "Titel"]) == 2
    assert profiles.best({1: two, 2: three}, ["Preis", "SKU"]) == 1
    assert profiles.best({1: two}, ["SKU", "Preis", "a", "b", "c"]) is None
    assert profiles.best({1: two}, ["SKU"]) is None
    assert profiles.fitted(three, ["SKU"]) == ([Rule("sku", 0)], ["preis", "Titel"])


def test_columns_are_told_by_what_was_chosen_by_headers_paths_and_values():
    headers = ["Codes", "Bezeichnung", "offer/price", "a", "b", "Descripton", "note"]
    values = [["A-1", "B-2"], ["Wool"], ["1"], ["9,80 €", "EUR 12"], ["50 g", "0,1 kg"], ["x"], ["y"]]
    found = guessing.guess(headers, values, {"note": "brand"}, lambda some: 1.0 if "A-1" in some else 0.0)
    assert [(one.column, one.field, one.why) for one in found] == [
        (0, "sku", Why.VALUES), (1, "name", Why.HEADER), (2, "price", Why.HEADER), (4, "weight_g", Why.VALUES),
        (5, "description", Why.ALIKE), (6, "brand", Why.BEFORE),
    ]  # fmt: skip
    assert guessing.guess(["price"], [["1"]], {"price": ""}) == [], "what was left out last time is left out"


def test_pairs_are_typed_one_a_line():
    pairs = columns.read_replaced("klein = S\n\n mittel=M \nleer =")
    assert pairs == (("klein", "S"), ("mittel", "M"), ("leer", ""))
    assert columns.read_replaced(columns.show_replaced(pairs)) == pairs
    with pytest.raises(Refused, match="is no pair"):
        columns.read_replaced("klein S")
