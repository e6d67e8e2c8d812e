"""Refusing rows of a batch, with what is wrong with them: a few, or a million that all lack the same."""

import json
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

from graupel.core.problems import Problem
from graupel.db import Tx
from graupel.db.loading import load_rows

#: So many rows are read and refused at once.
_AT_ONCE = 5_000
#: From so many on they are refused by one statement.
_MANY = 20
#: What is wrong with a row: one thing, or several.
Wrong = Problem | Sequence[Problem]


def refuse(tx: Tx, batch_id: int, line: int, *problems: Problem) -> None:
    """Refuse a row, and say why."""
    refuse_all(tx, batch_id, [(line, problems)])


def refuse_all(tx: Tx, batch_id: int, refused: Iterable[tuple[int, Wrong]]) -> None:
    """Refuse rows, by their lines; of a line that stands twice the last counts."""
    told = {line: _told(line, wrong) for line, wrong in refused}
    if len(told) < _MANY:
        for line, said in told.items():
            tx.run(
                "UPDATE batch_row SET action = 'refused', problems = %s WHERE batch_id = %s AND line = %s",
                [said, batch_id, line],
            )
        return
    tx.run(
        """CREATE OR REPLACE TEMPORARY TABLE batch_refused (line INT UNSIGNED NOT NULL PRIMARY KEY,
             problems TEXT NOT NULL) CHARSET utf8mb4"""
    )
    load_rows(tx, "batch_refused", ("line", "problems"), told.items())
    tx.run(
        """UPDATE batch_refused r STRAIGHT_JOIN batch_row b ON b.batch_id = %s AND b.line = r.line
           SET b.action = 'refused', b.problems = r.problems""",
        [batch_id],
    )
    tx.run("DROP TEMPORARY TABLE batch_refused")


def refuse_found(tx: Tx, params: Mapping[str, Any], found: str, wrong: Callable[[dict[str, Any]], Wrong]) -> None:
    """Refuse the rows that a SELECT finds, which has their ``line``; ``wrong``: what is wrong with one."""
    after = -1
    while True:
        rows = tx.all(
            f"SELECT * FROM ({found}) found WHERE found.line > %(after)s ORDER BY found.line LIMIT {_AT_ONCE}",
            {**params, "after": after},
        )
        refuse_all(tx, params["batch"], ((row["line"], wrong(row)) for row in rows))
        if len(rows) < _AT_ONCE:
            return
        after = rows[-1]["line"]


def _told(line: int, wrong: Wrong) -> str:
    problems = (wrong,) if isinstance(wrong, Problem) else wrong
    return json.dumps([problem.at(row=line).as_dict() for problem in problems], ensure_ascii=False)
