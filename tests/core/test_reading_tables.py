"""Cells and encodings of tables, before anything is made of them."""

import re

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from graupel.core import encodings
from graupel.core.cells import as_was, harmless
from graupel.core.errors import Refused
from graupel.core.quantities import parse_weight

RUNS = tuple("=+-@\t\r")


@given(st.one_of(st.text(), st.builds("".join, st.lists(st.sampled_from(["'", *RUNS, "1", "a"])))))
@example('=HYPERLINK("http://evil.example")')
@example("'=1")
@example("-5")
def test_what_goes_out_runs_nowhere_and_comes_back_as_it_was(text):
    out = harmless(text)
    assert as_was(out) == text
    assert not out.startswith(RUNS) or re.fullmatch(r"[+-]?[0-9.,]+( ?%)?", out)


def test_numbers_stay_numbers():
    assert [harmless(one) for one in ("-5", "+1,50", "-2.5 %", "9.80")] == ["-5", "+1,50", "-2.5 %", "9.80"]


GERMAN = "SKU;Name;Größe;Preis\nA;Wolle für Füße „weich“;Größe 38–40;9,80 €\nB;Strümpfe, grün;dick;5,00 €\n"
POLISH = "SKU;Nazwa\nA;Wełna żółta, miękka\nB;Skarpety zimowe, gęste ściegi\n"
FRENCH = "SKU;Nom\nA;Laine très épaisse, naturelle\nB;Bonnet d’été\n"


@pytest.mark.parametrize(
    ("text", "encoding"),
    [
        (GERMAN, "cp1252"), (GERMAN, "utf-8"), (GERMAN, "utf-16"), (GERMAN, "utf-8-sig"),
        (GERMAN.replace("„weich“", "weich").replace("–", "-").replace("€", "EUR"), "cp850"),
        (FRENCH, "cp1252"), (FRENCH, "mac_roman"), (POLISH, "cp1250"), ("SKU,Name\nA,Wool\n", "utf-8"),
        (GERMAN.replace("€", "EUR").replace("„weich“", "weich").replace("–", "-"), "cp1252"),
    ],
)  # fmt: skip
def test_an_encoding_is_known_by_what_it_makes_of_the_text(text, encoding):
    content = text.encode(encoding)
    found = encodings.detect(content, whole_is_utf8=encoding.startswith("utf-8"))
    assert content.decode(found).lstrip("\ufeff") == text


def test_one_bad_byte_makes_no_other_encoding_of_a_text():
    content = GERMAN.encode().replace(b"dick", b"di\xe9ck")
    assert encodings.detect(content, whole_is_utf8=False) == "utf-8"


@pytest.mark.parametrize("text", ["0,5", "0.25", "1.5"])
def test_a_part_of_a_gram_is_asked_about(text):
    with pytest.raises(Refused, match="has no unit"):
        parse_weight(text)
