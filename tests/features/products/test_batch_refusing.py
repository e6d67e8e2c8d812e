"""Rows of a batch that are refused, few or many."""

import pytest

from graupel.core.problems import Problem
from graupel.core.roles import SYSTEM
from graupel.features.files import planned_rows
from graupel.features.products.batch import refusing
from tests.making import plan_file


@pytest.mark.parametrize("many", [2, 1_000])
def test_all_rows_of_a_file_may_be_refused_some_at_a_time_each_with_what_is_wrong_with_it(ctx, monkeypatch, many):
    monkeypatch.setattr(refusing, "_AT_ONCE", 3)
    monkeypatch.setattr(refusing, "_MANY", many)
    rows = [f"S-{one},{'' if one % 2 else f'Named “{one}”'},{one % 3 or ''}" for one in range(11)]
    file = plan_file(ctx, "sku,name,price\n" + "\n".join(rows), live=True)
    found = planned_rows.rows_of(ctx, SYSTEM, file, "refused").samples
    assert [one.line for one in found] == list(range(2, 13))
    for one in found:
        number = one.line - 2
        wrong = {problem.field for problem in one.plan.problems}
        assert wrong == {"category", *(["name"] if number % 2 else []), *([] if number % 3 else ["price"])}
        assert {problem.row for problem in one.plan.problems} == {one.line}


@pytest.mark.parametrize("many", [1, 1_000])
def test_of_a_line_that_is_refused_twice_the_last_reason_counts(ctx, monkeypatch, many):
    monkeypatch.setattr(refusing, "_MANY", many)
    file = plan_file(ctx, "sku,name\nA,Ay\nB,Bee\n")
    odd = Problem("odd", "A \\ backslash, a tab\tand “words”.")
    ctx.db.run(
        lambda tx: refusing.refuse_all(tx, file.id, [(2, Problem("first", "First.")), (3, odd), (2, [odd, odd])])
    )
    told = ctx.db.run(lambda tx: tx.all("SELECT line, action, problems FROM batch_row ORDER BY line"))
    assert [(row["line"], row["action"], row["problems"].count("backslash")) for row in told] == [
        (2, "refused", 2),
        (3, "refused", 1),
    ]
