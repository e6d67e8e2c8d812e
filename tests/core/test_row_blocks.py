"""Rows read together say what they say one by one."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core import imports, row_blocks
from graupel.core.columns import Empty, Matching, Rule
from graupel.core.imports import RowReader
from graupel.core.row_blocks import RowBlock

CELLS = {
    "sku": ["A-1", "a-1", " B 2 ", "", "ä", "-", "7.31E+12", "x" * 70],
    "code": ["", "P-1", "3-4", "ü"],
    "name": ["", "Wool", "  much   wool ", "n" * 300],
    "price": ["", "9.80", "9,80", "€ 9.80", "cheap", "-1", "1.234,56"],
    "weight_g": ["", "100 g", "1 kg", "heavy"],
    "description": ["", "Soft", "<p>Soft</p>", '<img src="https://x.example/a.png">'],
    "category": ["", "Yarn > Aran", "Yarn/Aran", ">"],
    "order_least": ["", "2", "x"],
}


def columns(*names):
    row = st.tuples(*(st.sampled_from(CELLS[name]) for name in names)).map(list)
    return st.tuples(st.just(names), st.lists(row, min_size=1, max_size=30), st.sampled_from(list(Empty)))


files = st.one_of(
    columns("sku", "name", "price", "category"),
    columns("sku", "code", "weight_g", "description"),
    columns("name", "sku", "price"),
)


def readers(names, empty):
    rules = [
        Rule(name, at, empty=empty if name in ("price", "description") else Empty.LEAVE)
        for at, name in enumerate(names)
    ]
    return [RowReader(Matching.of(rules), "EUR") for _ in range(2)]


@given(files)
def test_rows_read_together_say_what_they_say_one_by_one(file):
    names, rows, empty = file
    one_by_one, together = readers(names, empty)
    lines = range(2, len(rows) + 2)
    expected = [one_by_one.read(row, line) for row, line in zip(rows, lines, strict=True)]
    assert together.by_columns
    found = row_blocks.read(together, rows, lines, {})
    assert found.rows() == expected
    assert set(found.apart) >= {place for place, row in enumerate(expected) if row.problems or row.odd}
    assert all(row.problems or row.odd or not row.sku for row in found.apart.values())
    assert (together.met, together.left_out) == (one_by_one.met, one_by_one.left_out)
    assert RowBlock.of(expected).rows() == expected


def test_rows_whose_cells_depend_on_each_other_are_not_read_by_columns():
    reader, _ = readers(("sku", "name", "order_least"), Empty.LEAVE)
    assert not reader.by_columns
    assert not readers(("code", "name"), Empty.LEAVE)[0].by_columns


@pytest.mark.parametrize("kept", [3, 20_000])
def test_values_that_repeat_and_values_that_do_not_are_read_alike(monkeypatch, kept):
    monkeypatch.setattr(imports, "_KEPT_VALUES", kept)
    one_by_one, together = readers(("sku", "name"), Empty.LEAVE)
    rows = [[f"S-{number}", f"Wool {number % 4}"] for number in range(50)]
    for first in range(0, 50, 10):
        some, lines = rows[first : first + 10], range(first, first + 10)
        found = row_blocks.read(together, some, lines, {})
        assert found.rows() == [one_by_one.read(row, line) for row, line in zip(some, lines, strict=True)]
