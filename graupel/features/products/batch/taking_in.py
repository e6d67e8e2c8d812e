"""Rows that were read, put into a batch with what they mean: block by block, while the next ones are read.

What a block says is loaded into a table aside, and goes from there into the batch together with the products and
variants that its SKUs mean. To write into the rows of the batch afterwards costs more than all else of a dry run.
"""

import json
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

from graupel.core import file_pictures
from graupel.core.file_columns import REFS, ROW_FIELDS, Known
from graupel.core.imports import JUMPS, FileRow
from graupel.core.problems import Problem
from graupel.db import Tx
from graupel.db.loading import load_blocks
from graupel.features.products.batch import counts as batch_counts
from graupel.features.products.batch import facts as batch_facts
from graupel.features.products.batch import named
from graupel.features.products.batch import own as batch_own
from graupel.features.products.batch import pictures as batch_pictures
from graupel.features.products.batch.spoken import JUMPS_SQL, Spoken

BLOCK = 10_000
#: By column of a batch what keeps in it what a row says beside the declared fields.
_BESIDE = {
    "facts": batch_facts.kept,
    "own": batch_own.kept,
    "counted": batch_counts.kept,
    "pictures": batch_pictures.kept,
}


def load(
    tx: Tx, batch_id: int, rows: Iterable[FileRow], lang: str, of: Spoken, known: Known, *, compared: bool
) -> None:
    """Put read rows into the batch, instead of what was there. A SKU that stands twice is refused the second time.

    ``of``: of what they speak; all else costs nothing. ``compared``: they are compared with the goods that their SKUs
    mean as they come in; otherwise that is left to the planning, and all that are read are "new".
    """
    tx.run("DELETE FROM batch_row WHERE batch_id = %s", [batch_id])
    columns, cells = _reader(tx, batch_id, of, known)
    _begin(tx, columns)
    for _ in load_blocks(tx, "batch_in", columns, map(cells, _once_each(rows)), BLOCK):
        _take_in(tx, columns, lang, of, compared=compared)
        _begin(tx, columns)
    tx.run("DROP TEMPORARY TABLE batch_in")


def _take_in(tx: Tx, columns: Sequence[str], lang: str, of: Spoken, *, compared: bool) -> None:
    """Move what was loaded aside into the batch."""
    plain = [name for name in columns if name not in ("action", "odd")]
    said = {name: f"b.{name}" for name in plain} | {"odd": "b.odd", "action": "b.action"}
    if compared:
        differs = f"({of.product_differs} OR {of.variant_differs})"
        said |= {
            "only_stock": f"IF(v.id IS NULL, FALSE, NOT {differs})",
            "odd": f"NULLIF(CONCAT_WS(',', IF({JUMPS_SQL}, 'jump', NULL), b.odd), '')",
            "action": f"IF(v.id IS NULL, b.action, IF({differs}, 'changed', 'unchanged'))",
        }
    said |= {"product_id": "p.id", "product_version": "p.version"}
    said |= {"variant_id": "v.id", "variant_version": "v.version"}
    tx.run(
        f"""INSERT INTO batch_row ({", ".join(said)}) SELECT {", ".join(said.values())}
            FROM batch_in b LEFT JOIN (variant v STRAIGHT_JOIN product p ON p.id = v.product_id
              STRAIGHT_JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s)
            ON v.sku = b.sku AND b.action = 'new'""",
        {"lang": lang},
    )


def _begin(tx: Tx, columns: Sequence[str]) -> None:
    """An empty table beside the batch, without its keys and what no row says; to make it anew costs less than to empty
    it.

    To make it and then to alter it would end the transaction.
    """
    like_batch = f"SELECT {', '.join(dict.fromkeys((*columns, *JUMPS)))} FROM batch_row WHERE FALSE"
    tx.run(f"CREATE OR REPLACE TEMPORARY TABLE batch_in ENGINE = Aria TRANSACTIONAL = 0 {like_batch}")


def _reader(tx: Tx, batch_id: int, of: Spoken, known: Known) -> tuple[list[str], Callable[[FileRow], tuple[Any, ...]]]:
    """The columns of a batch that rows fill which speak of this, and what makes the cells of a row."""
    said = tuple(name for name in ROW_FIELDS if name in of.fields)
    finders = {name: named.finder(tx, name) for name in REFS if name in said}
    ids = [f"{name}_id" for name in finders]
    columns = ["batch_id", "line", "sku", "shown_sku", *said, *ids, "problems", "action", "odd"]
    beside = (known.facts, known.own, known.locations, file_pictures.FIELDS)
    if not any(name in some for some in beside for name in of.fields):
        return columns, lambda row: _cells(batch_id, row, said, finders)

    def cells(row: FileRow) -> tuple[Any, ...]:
        return *_cells(batch_id, row, said, finders), *(kept(row.values, known) for kept in _BESIDE.values())

    return [*columns, *_BESIDE], cells


def _once_each(rows: Iterable[FileRow]) -> Iterator[FileRow]:
    seen: dict[str, int] = {}
    for row in rows:
        first = seen.setdefault(row.sku.lower(), row.line) if row.sku else row.line
        if first == row.line:
            yield row
        else:
            twice = Problem(
                "sku.twice", f"“{row.sku}” stands in line {first} already. Keep one of the two.", "sku", row.line
            )
            yield replace(row, problems=(*row.problems, twice))


def _cells(batch_id: int, row: FileRow, names: Sequence[str], finders: Mapping[str, named.Find]) -> tuple[Any, ...]:
    ids = []
    for name, find in finders.items():
        text = row.values.get(name)
        found, unclear = find(text) if text else (None, ())
        ids.append(found)
        if unclear:
            row = replace(row, problems=(*row.problems, *(problem.at(row=row.line) for problem in unclear)))
    problems = json.dumps([p.as_dict() for p in row.problems], ensure_ascii=False) if row.problems else None
    odd = ",".join(row.odd) or None
    readable = row.sku if row.sku and row.sku.isascii() and not row.problems else None
    return (
        batch_id,
        row.line,
        readable,
        row.sku[:64],
        *map(row.values.get, names),
        *ids,
        problems,
        "refused" if problems else "new",
        odd,
    )
