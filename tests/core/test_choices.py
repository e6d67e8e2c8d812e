"""What buyers choose: which choices are asked, what an answer must be, and what it adds."""

from dataclasses import replace
from datetime import date
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core import choice_answers, choice_making, choices
from graupel.core.choices import AddsBy, Answer, Choice, Entry, Kind, Limits
from graupel.core.price_rules import PriceRule

D = Decimal
TODAY = date(2026, 11, 26)  # a Thursday
WRAP = Choice(
    1,
    "Gift wrap",
    "Wrap it?",
    entries=(
        Entry(11, "No", is_default=True),
        Entry(12, "Paper", AddsBy.FIXED, D("2.50"), once=True, weight_g=20, sku_code="GP"),
        Entry(13, "Box", AddsBy.PERCENT, D(10), weight_g=80, sku_code="GB", unshipped=True),
    ),
)
MESSAGE = Choice(
    2, "Message", "Your words", Kind.TEXT, limits=Limits(most=D(40)), entries=(Entry(21),), when=1, when_entry=12
)
SEVERAL = Choice(
    3,
    "Buttons",
    "Which buttons?",
    Kind.AMOUNTS,
    limits=Limits(least=D(2), most=D(5)),
    entries=(Entry(31, "Horn", AddsBy.FIXED, D("0.40")), Entry(32, "Shell", AddsBy.FIXED, D("0.55"), sold_out=True)),
)
ALL = (WRAP, MESSAGE, SEVERAL)


def picked(*ids):
    return Answer(dict.fromkeys(ids, 1))


# --- which are asked -----------------------------------------------------------------------------------------


def test_a_choice_that_waits_for_another_is_asked_once_that_was_answered_so():
    def names(answers, among=ALL):
        return [one.name for one in choices.asked(among, answers)]

    assert names({}) == ["Gift wrap", "Buttons"]
    assert names({1: picked(13)}) == ["Gift wrap", "Buttons"]
    assert names({1: picked(12)}) == ["Gift wrap", "Message", "Buttons"]
    assert names({}, (MESSAGE,)) == ["Message"], "what it waits for is not asked here at all"
    ink = Choice(4, "Ink", "Ink", when=2, entries=(Entry(41, "Blue"),))
    assert names({2: Answer(text="Hello")}, (*ALL, ink)) == ["Gift wrap", "Buttons"], "what is not asked does not count"
    assert names({1: picked(12), 2: Answer(text="Hello")}, (*ALL, ink))[-1] == "Ink"


def test_what_was_answered_to_a_choice_that_is_not_asked_adds_nothing():
    dear = replace(MESSAGE, entries=(Entry(21, adds_by=AddsBy.FIXED, amount=D(1)),))
    answers = {1: picked(11), 2: Answer(text="Hello")}
    assert choices.chosen((WRAP, dear), answers, D(10)).piece == D(10)
    assert choices.chosen((WRAP, dear), answers | {1: picked(12)}, D(10)).piece == D(11)


@pytest.mark.parametrize(
    ("whens", "way"),
    [({1: 2, 2: 3, 3: 1}, [1, 2, 3]), ({1: 1}, [1]), ({1: 2, 2: None}, []), ({1: 2, 2: 3, 3: 2}, [])],
)
def test_circles_are_found_and_told(whens, way):
    assert choices.circle(1, whens) == way


def test_a_circle_of_three_is_refused_by_name():
    others = {n: Choice(n, f"Choice {n}", "", when=when, entries=(Entry(n, "x"),)) for n, when in ((2, 3), (3, 1))}
    (problem,) = choices.problems_of(Choice(1, "Choice 1", "", when=2, entries=(Entry(1, "x"),)), others)
    assert problem.code == "choice.circle"
    assert "“Choice 1” waits for “Choice 2” waits for “Choice 3” waits for “Choice 1”" in problem.message


# --- what they add -------------------------------------------------------------------------------------------


def test_fixed_and_percent_once_and_each_weight_and_code_together():
    found = choices.chosen(ALL, {1: picked(12), 3: Answer({31: 3})}, D("9.80"), "FEL-1")
    assert (found.piece, found.once, found.sku) == (D("11.00"), D("2.50"), "FEL-1-GP")
    assert found.line(D(2)) == D("24.50")
    assert (found.weight_g, found.weight_once_g) == (0, 20)
    boxed = choices.chosen(ALL, {1: picked(13)}, D("9.85"), "FEL-1")
    assert (boxed.piece, boxed.weight_g) == (D("10.84"), 0), (
        "10 % of 9.85, half up; a box that is not sent weighs nothing"
    )


def test_amounts_pass_the_rule_of_the_destination_and_percentages_its_coin():
    rule = PriceRule(rate=D(160), percent=D(-10), amount=D(500), decimals=0)
    found = choices.chosen(ALL, {1: picked(12)}, D(1411), rule=rule)
    assert found.once == D(360), "2.50 x 160, less 10 %; neither the rule's amount nor its ending"
    assert choices.chosen(ALL, {1: picked(13)}, D(1415), rule=rule).piece == D(1557)


amounts = st.decimals("-99.99", "99.99", places=2)
entries = st.builds(
    Entry,
    st.integers(1, 10**6),
    st.text(min_size=1, max_size=5),
    st.sampled_from(AddsBy),
    amounts,
    st.booleans(),
    st.none() | st.integers(0, 500),
)
several = st.lists(
    st.builds(
        Choice,
        st.integers(1, 10**6),
        st.just("x"),
        st.just("x"),
        st.sampled_from([Kind.SEVERAL, Kind.AMOUNTS]),
        entries=st.lists(entries, max_size=4, unique_by=lambda one: one.id),
    ),
    max_size=4,
    unique_by=lambda one: one.id,
)


@given(several, st.decimals("0", "999.99", places=2), st.integers(1, 9), st.randoms())
def test_what_is_added_does_not_depend_on_the_order_and_is_exact(found, price, quantity, dice):
    answers = {one.id: Answer({entry.id: dice.randint(1, 3) for entry in one.entries}) for one in found}
    line = choices.chosen(found, answers, price)
    turned = choices.chosen(found[::-1], answers, price)
    assert (line.piece, line.once, line.weight_g) == (turned.piece, turned.once, turned.weight_g)
    assert line.piece >= 0
    assert line.line(D(quantity)) >= 0
    assert line.piece == round(line.piece, 2)
    each = sum((one.amount for one in line.additions if not one.once), D(0))
    assert line.piece == max(price + each, D(0))


def test_what_would_give_goods_away_is_known_before_anybody_buys():
    cheap = Choice(5, "Less", "", entries=(Entry(51, "a", AddsBy.FIXED, D(-3)), Entry(52, "b", AddsBy.PERCENT, D(-50))))
    assert choices.least_price([cheap], D(5)) == D(2)
    assert choices.least_price([replace(cheap, kind=Kind.SEVERAL)], D(5)) == D("-0.50")
    assert choices.chosen([replace(cheap, kind=Kind.SEVERAL)], {5: picked(51, 52)}, D(5)).piece == 0


# --- answers -------------------------------------------------------------------------------------------------


def test_answers_are_read_from_a_form_and_what_is_odd_is_left_out():
    raw = {
        "c1": ["12", "999", "x", "-1", "9" * 4400],
        "c2": ["  Hello ", "twice"],
        "c3-31": ["4"],
        "c3-32": ["4e3"],
        "c9": ["1"],
    }
    assert choice_answers.read(ALL, raw) == {1: picked(12), 2: Answer(text="  Hello "), 3: Answer({31: 4})}
    assert choice_answers.read(ALL, {"c1": [""], "c2": [" "], "c3-31": ["0"]}) == {}


def test_a_default_that_is_sold_out_or_gone_is_nobodys_default():
    assert choices.defaults(ALL) == {1: picked(11)}
    sold = replace(WRAP, entries=(replace(WRAP.entries[0], sold_out=True), *WRAP.entries[1:]))
    assert choices.defaults([sold]) == {}
    assert choices.defaults([replace(WRAP, entries=WRAP.entries[1:])]) == {}
    assert choices.defaults([replace(MESSAGE, default="Best wishes")]) == {2: Answer(text="Best wishes")}


CHECKED = {
    "needed and not picked": (replace(WRAP, needed=True), Answer(), "Please choose."),
    "not needed": (WRAP, Answer(), None),
    "two where one": (WRAP, picked(12, 13), "Choose one only."),
    "sold out": (SEVERAL, Answer({32: 2}), "{} is sold out."),
    "too few": (SEVERAL, Answer({31: 1}), "Choose at least {}."),
    "too many": (SEVERAL, Answer({31: 6}), "Choose at most {}."),
    "enough": (SEVERAL, Answer({31: 5}), None),
    "words missing": (replace(MESSAGE, needed=True), Answer(text="  "), "Please fill this in."),
    "too long": (MESSAGE, Answer(text="x" * 41), "At most {} signs fit."),
    "just fits": (MESSAGE, Answer(text="x" * 40), None),
    "two lines": (replace(MESSAGE, kind=Kind.LINE), Answer(text="a\nb"), "One line only, please."),
    "too short": (replace(MESSAGE, limits=Limits(least=D(3))), Answer(text="ab"), "At least {} signs, please."),
}


@pytest.mark.parametrize("name", CHECKED)
def test_answers_are_held_against_what_a_choice_allows(name):
    choice, answer, expected = CHECKED[name]
    said = choice_answers.wrong_with(choice, answer, TODAY)
    assert (said and said[0]) == expected


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("12", None),
        ("2,5", None),
        ("2.55", "At most {} decimals."),
        ("", None),
        ("-1", "At least {}, please."),
        ("101", "At most {}, please."),
        ("1e3", "A number, please, such as {}."),
        ("NaN", "A number, please, such as {}."),
        ("9" * 4400, "A number, please, such as {}."),
    ],
)
def test_numbers(text, expected):
    size = Choice(6, "Size", "", Kind.NUMBER, limits=Limits(D(0), D(100), places=1), entries=(Entry(61),))
    said = choice_answers.wrong_with(size, Answer(text=text), TODAY)
    assert (said and said[0]) == expected


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("2026-11-27", "Not before {}."),
        ("2026-11-30", None),
        ("2026-12-05", "Not on this day."),
        ("2026-12-24", "Not on this day."),
        ("2027-01-04", "Not after {}."),
        ("24.12.2026", "A day, please, such as {}."),
        ("2026-02-30", "A day, please, such as {}."),
    ],
)
def test_days_from_today_on_and_without_closed_ones(text, expected):
    limits = Limits(
        first=date(2026, 1, 1),
        last=date(2026, 12, 31),
        ahead=2,
        weekdays=frozenset({5, 6}),
        days=frozenset({date(2026, 12, 24)}),
    )
    day = Choice(7, "Day", "", Kind.DAY, limits=limits, entries=(Entry(71),))
    said = choice_answers.wrong_with(day, Answer(text=text), TODAY)
    assert (said and said[0]) == expected


def test_files_by_kind_and_size():
    file = Choice(8, "Chart", "", Kind.FILE, limits=Limits(kinds=("pdf", "png"), megabytes=2), entries=(Entry(81),))

    def said(name, size):
        found = choice_answers.wrong_with(file, Answer(text=name, file_size=size), TODAY)
        return found and found[0]

    assert said("Chart.PDF", 1000) is None
    assert said("chart.exe", 1000) == "A file of these kinds, please: {}."
    assert said("chart.pdf", 3 * 1024**2) == "At most {} MB, please."
    assert said("chart.pdf", 0) == "This file is empty."


def test_only_what_is_asked_is_held_against_its_limits():
    needed = replace(MESSAGE, needed=True)
    assert choice_answers.wrong((WRAP, needed), {1: picked(11)}, TODAY) == {}
    assert choice_answers.wrong((WRAP, needed), {1: picked(12)}, TODAY) == {2: ("Please fill this in.", ())}
    own = replace(needed, message="Say it in {} words.")
    assert choice_answers.own_sentence(own, {}) == "Say it in {} words."
    assert choice_answers.own_sentence(own, {2: Answer(text="x" * 99)}) == "", "what is too long is not missing"


# --- making one ----------------------------------------------------------------------------------------------


def test_what_can_not_be_kept_is_said_beside_its_field():
    def fields(choice):
        return [one.field for one in choices.problems_of(choice, {1: WRAP})]

    assert fields(WRAP) == []
    assert fields(Choice(9, "", "")) == ["name", "label-0"]
    assert fields(replace(WRAP, entries=(Entry(1, "Oat"), Entry(2, "oat")))) == ["label-1"]
    assert fields(replace(WRAP, entries=(Entry(1, "Free", AddsBy.PERCENT, D("-100.01")),))) == ["adds-0"]
    assert fields(replace(WRAP, entries=tuple(Entry(n, f"Entry {n}") for n in range(501)))) == ["label-0"]
    assert fields(replace(MESSAGE, limits=Limits(least=D(9), most=D(3)))) == ["least"]
    assert fields(replace(MESSAGE, when=99)) == ["when"]
    assert fields(replace(MESSAGE, when_entry=99)) == ["when"]
    assert fields(Choice(9, "Day", "", Kind.DAY, limits=Limits(weekdays=frozenset(range(7))))) == ["weekdays"]


# --- typed ---------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "by", "amount"),
    [
        ("2.50", "fixed", "2.50"), ("+2,50", "fixed", "2.50"), ("-1", "fixed", "-1"), ("− 1.20", "fixed", "-1.20"),
        ("10 %", "percent", "10"), ("-5%", "percent", "-5"), ("0", "", "0"), ("0 %", "", "0"),
    ],
)  # fmt: skip
def test_what_an_entry_adds_is_read_as_it_is_written(text, by, amount):
    found = choice_making.parse_adds(text, "EUR")
    assert found == (AddsBy(by), D(amount))
    entry = Entry(1, "x", *found)
    if by:
        assert choice_making.parse_adds(choice_making.show_adds(entry), "EUR") == found


@pytest.mark.parametrize("text", ["ten", "%", "--1", "1.555", "9" * 4400, "1e3", "5 % 5"])
def test_what_adds_nothing_that_can_be_read_is_refused_beside_its_row(text):
    _, problems = choice_making.read(
        {"name": "Wrap", "kind": "one"}, [{"label": "Paper", "adds": text}], Choice(0, "", ""), "EUR", {}
    )
    assert [one.field for one in problems] == ["adds-0"]


limits_of = {
    Kind.SEVERAL: {"least": "1", "most": "3"},
    Kind.LINE: {"most": "40", "default_text": "Best wishes"},
    Kind.NUMBER: {"least": "-2.5", "most": "10", "places": "1"},
    Kind.DAY: {"first_day": "2026-12-01", "ahead_days": "2", "closed_weekdays": "56", "closed_days": "2026-12-24"},
    Kind.FILE: {"file_kinds": "pdf, png", "megabytes": "5"},
}


@pytest.mark.parametrize("kind", limits_of)
def test_a_choice_is_told_as_it_was_typed(kind):
    raw = {"name": "A name", "label": "Label", "kind": str(kind), "help": "Help", "needed": "yes", "message": "Please."}
    rows = [{"entry": "4", "label": "Oat" if kind in choices.PICKED else "", "adds": "+1.00", "weight": "20 g"}]
    choice, problems = choice_making.read(raw | limits_of[kind], rows, Choice(1, "", ""), "EUR", {})
    assert problems == []
    told = choice_making.texts(choice)
    assert {name: told[name] for name in raw | limits_of[kind]} == raw | limits_of[kind]
    again, problems = choice_making.read(
        told, [choice_making.entry_texts(one) for one in choice.entries], Choice(1, "", ""), "EUR", {}
    )
    assert (again, problems) == (choice, [])


def test_what_was_typed_for_another_kind_is_left_behind():
    raw = {"name": "Day", "kind": "day", "most": "12", "file_kinds": "exe", "default_text": "x"}
    choice, problems = choice_making.read(raw, [{"label": "a"}, {"label": "b"}], Choice(1, "", ""), "EUR", {})
    assert (problems, choice.limits, choice.default) == ([], Limits(), "")
    assert [one.label for one in choice.entries] == [""], "one entry stands for: it was given"


@pytest.mark.parametrize(
    ("name", "labels", "meant"),
    [
        ("Gift wrap", ["Paper", "Box"], ""),
        ("colour", ["Any"], "Colour"),
        ("Shade", ["Rust", "OAT"], "Colour"),
        ("Shade", ["Rust"], ""),
        ("Shade", ["Rust", "Pea"], ""),
    ],
)
def test_a_choice_that_repeats_an_attribute_is_known(name, labels, meant):
    choice = Choice(1, name, "", entries=[Entry(n, label) for n, label in enumerate(labels)])
    assert choices.attribute_meant(choice, {"Size": ["Small"], "Colour": ["Oat", "Rust", "Peat"]}) == meant
