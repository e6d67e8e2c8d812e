"""What forms send and addresses ask: read by a schema, or refused with the name of the field and what it should be."""

from datetime import date
from typing import Annotated, Literal

import pytest
from hypothesis import given
from hypothesis import strategies as st
from starlette.datastructures import FormData, UploadFile

from graupel.core.errors import Refused
from graupel.web.sent import (
    AS_JSON,
    Among,
    File,
    Ids,
    Listed,
    Marks,
    Maybe,
    MaybeParent,
    MaybeWhole,
    Named,
    Search,
    Sent,
    Several,
    Texts,
    Ticked,
    Whole,
)


class Everything(Sent):
    """A field of each kind."""

    typed: Annotated[dict[str, str], Among(("name", "price"))]
    own: Annotated[dict[str, str], Named("own-")]
    facts: Annotated[dict[Whole, tuple[str, ...]], Named("fact-", several=True)]
    ids: Listed = ()
    chosen: Ids = ()
    tags: Texts = ()
    sizes: Annotated[tuple[Literal["s", "m"], ...], Several()] = ()
    parent: MaybeParent = None
    version: MaybeWhole = None
    day: Maybe[date] = None
    shown: Ticked = False
    seen: Annotated[dict[str, int], AS_JSON] = {}  # noqa: RUF012 - models copy their defaults
    marks: Marks = None
    q: Search = ""
    file: File = None


def read(*pairs):
    return Everything.from_sent(FormData(list(pairs)))


def test_values_are_gathered_by_name_by_the_beginning_of_a_name_and_together():
    found = read(
        ("name", "Fellside"), ("other", "x"), ("own-de.name", "Fell"), ("fact-7", "wool"), ("fact-7", "silk"),
        ("ids", "4.12, 7"), ("chosen", "3"), ("chosen", "1"), ("tags", "soft"), ("tags", ""), ("shown", "yes"),
    )  # fmt: skip
    assert found.typed == {"name": "Fellside"}
    assert found.own == {"de.name": "Fell"}
    assert found.facts == {7: ("wool", "silk")}
    assert (found.ids, found.chosen, found.tags, found.shown) == ((4, 12, 7), (3, 1), ("soft", ""), True)


def test_what_is_blank_is_nothing_and_the_last_of_two_counts():
    found = read(("version", " "), ("day", ""), ("parent", ""), ("q", "  grey  "), ("q", " wool "))
    assert (found.version, found.day, found.parent, found.q) == (None, None, None, "wool")
    assert read(("parent", "-3"), ("shown", "no")).parent == -3


@pytest.mark.parametrize(
    ("name", "value", "says"),
    [
        ("version", "x", "“version” can’t be read: it is a whole number."),
        ("version", "9" * 4000, "it is a whole number."),
        ("ids", "1.x", "“ids” can’t be read: it is a whole number."),
        ("fact-x", "wool", "“fact-x” can’t be read"),
        ("sizes", "xl", "it is one of 's' or 'm'."),
        ("day", "31.11.2026", "it is a day such as 2026-11-30."),
        ("seen", "[" * 100_000, "it is not what our page sends."),
        ("seen", '{"a": "many"}', "“seen” can’t be read"),
        ("marks", "[1]", "it is not what our page sends."),
        ("name", UploadFile(None, filename="name"), "“name” can’t be read: it is a text."),
    ],
)
def test_what_no_page_of_ours_sends_is_refused_by_name(name, value, says):
    with pytest.raises(Refused) as refusal:
        read((name, value))
    assert says in str(refusal.value)
    assert len(str(refusal.value)) < 200


def test_everything_that_is_wrong_is_told_at_once():
    with pytest.raises(Refused) as refusal:
        read(("version", "x"), ("sizes", "xl"))
    assert {problem.field for problem in refusal.value.problems} == {"version", "sizes"}


def test_a_file_is_one_only_where_one_was_chosen():
    assert read(("file", UploadFile(None, filename=""))).file is None
    assert read(("file", "not a file")).file is None
    assert read(("file", UploadFile(None, filename="a.csv"))).file.filename == "a.csv"


NAMES = st.sampled_from([*Everything.reads(), "name", "price", "own-", "own-x", "fact-", "fact-1", "fact-²", "fact--1"])
VALUES = st.one_of(
    st.text(max_size=12), st.integers().map(str), st.sampled_from(["null", "{}", "[]", "²", "1.2", "-0"])
)


@given(st.lists(st.tuples(NAMES, VALUES), max_size=8))
def test_whatever_is_sent_is_read_or_refused(pairs):
    found, problems = None, []
    try:
        found = read(*pairs)
    except Refused as refusal:
        problems = refusal.problems
    assert found or problems
    assert {problem.field for problem in problems} <= {name for name, _ in pairs}
    assert found is None or all(isinstance(one, int) for one in (*found.ids, *found.chosen, *found.facts))
