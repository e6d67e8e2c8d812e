"""Rows that were read, put into a batch with what they mean: block by block, while the next ones are read.

What a block says is loaded into a table aside, and goes from there into the batch together with the products and
variants that its SKUs mean. To write into the rows of the batch afterwards costs more than all else of a dry run.
"""

import json
from collections import deque
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from graupel.core import file_pictures
from graupel.core.file_columns import REFS, ROW_FIELDS, Known
from graupel.core.imports import JUMPS, NOTHING, FileRow
from graupel.core.row_blocks import RowBlock
from graupel.db import Tx
from graupel.db.loading import as_line, as_lines, load_blocks
from graupel.features.products.batch import counts as batch_counts
from graupel.features.products.batch import facts as batch_facts
from graupel.features.products.batch import groups, named, reviving
from graupel.features.products.batch import own as batch_own
from graupel.features.products.batch import pictures as batch_pictures
from graupel.features.products.batch.doubled import KeptBack
from graupel.features.products.batch.reviving import ASLEEP
from graupel.features.products.batch.spoken import JUMPS_SQL, Spoken

BLOCK = 10_000
Said = Mapping[str, Sequence[Any]]


@dataclass(frozen=True)
class _Beside:
    """What rows say beside the declared fields. ``names``: of their columns; ``kept``: what one row says, as it is kept
    with it; ``by_columns``: what many rows say, by their columns."""

    names: Callable[[Known], Collection[str]]
    kept: Callable[[Mapping[str, Any], Known], str | None]
    by_columns: Callable[[Said, Known, int], list[str | None]]

    @classmethod
    def row_by_row(cls, names: Callable[[Known], Collection[str]], kept: Callable[..., str | None]) -> "_Beside":
        """Kept for each row by itself."""

        def by_columns(said: Said, known: Known, _: int) -> list[str | None]:
            rows = zip(*said.values(), strict=True)
            return [
                kept({name: value for name, value in zip(said, row, strict=True) if value is not NOTHING}, known)
                for row in rows
            ]

        return cls(names, kept, by_columns)


#: By the column of a batch in which it is kept.
_BESIDE = {
    "facts": _Beside(lambda known: known.facts, batch_facts.kept, batch_facts.kept_by_columns),
    "own": _Beside.row_by_row(lambda known: known.own, batch_own.kept),
    "counted": _Beside.row_by_row(lambda known: known.locations, batch_counts.kept),
    "pictures": _Beside.row_by_row(lambda _: file_pictures.FIELDS, batch_pictures.kept),
}


def load(
    tx: Tx, batch_id: int, blocks: Iterable[RowBlock], lang: str, of: Spoken, known: Known, *, compared: bool
) -> None:
    """Put read rows into the batch, instead of what was there. A SKU that stands twice is refused the second time.

    ``of``: of what they speak; all else costs nothing. ``compared``: they are compared with the goods that their SKUs
    mean as they come in; otherwise that is left to the planning, and all that are read are "new".
    """
    tx.run("DELETE FROM batch_row WHERE batch_id = %s", [batch_id])
    writer = _Writer(tx, batch_id, of, known)
    columns = writer.columns
    _begin(tx, columns)

    def take_in(lines: Iterable[list[str]]) -> Iterator[int]:
        for count in load_blocks(tx, "batch_in", columns, lines, BLOCK):
            _take_in(tx, columns, lang, of, compared=compared)
            _begin(tx, columns)
            yield count

    for _ in take_in(map(writer.lines, blocks)):
        deque(take_in(writer.kept_back(tx, all_loaded=False)), maxlen=0)
    deque(take_in(writer.kept_back(tx, all_loaded=True)), maxlen=0)
    tx.run("DROP TEMPORARY TABLE batch_in")


def _take_in(tx: Tx, columns: Sequence[str], lang: str, of: Spoken, *, compared: bool) -> None:
    """Move what was loaded aside into the batch."""
    plain = [name for name in columns if name not in ("action", "odd")]
    said = {name: f"b.{name}" for name in plain} | {"odd": "b.odd", "action": "b.action"}
    if compared:
        differs = f"({of.product_differs} OR {of.variant_differs})"
        asleep = reviving.asleep(says_status="status" in columns)
        said |= {
            "only_stock": f"IF(v.id IS NULL, FALSE, NOT {differs})",
            "odd": f"NULLIF(CONCAT_WS(',', IF({JUMPS_SQL}, 'jump', NULL), IF({asleep}, '{ASLEEP}', NULL), b.odd), '')",
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


class _Writer:
    """Makes of rows the lines that are loaded. ``columns``: those of a batch that rows fill which speak of this."""

    def __init__(self, tx: Tx, batch_id: int, of: Spoken, known: Known) -> None:
        self._batch, self._known = str(batch_id), known
        self._said = tuple(name for name in ROW_FIELDS if name in of.fields)
        self._finders = {name: named.finder(tx, name) for name in REFS if name in self._said}
        self._beside = {
            column: (one, names)
            for column, one in _BESIDE.items()
            if (names := [name for name in one.names(known) if name in of.fields])
        }
        ids = [f"{name}_id" for name in self._finders]
        self._firsts = groups.Firsts() if "code" in self._said else None
        kept = ("problems", "action", "odd", *(("lead",) if self._firsts else ()), *self._beside)
        self.columns = ["batch_id", "line", "sku", "shown_sku", *self._said, *ids, *kept]
        self._doubled = KeptBack()

    def lines(self, block: RowBlock) -> list[str]:
        """The lines of a block; most of its rows are written by columns. Those whose SKU may have stood before are kept
        back."""
        kept_back = self._keep_back(block)
        places = [place for place in range(len(block.lines)) if place not in kept_back]
        apart = {place: as_line(self._cells(block.row(place))) for place in self._apart(block, places)}
        if len(apart) == len(places):
            return [*apart.values()]
        lines = as_lines(self._by_columns(block))
        return [apart.get(place) or lines[place] for place in places] if apart or kept_back else lines

    def kept_back(self, tx: Tx, *, all_loaded: bool) -> list[list[str]]:
        """The lines of rows that were kept back, as KeptBack.judged gives them; in one piece."""
        rows = self._doubled.judged(tx, int(self._batch), all_loaded=all_loaded)
        return [[as_line(self._cells(row)) for row in rows]] if rows else []

    def _keep_back(self, block: RowBlock) -> set[int]:
        said = block.said.get("sku", (None,) * len(block.lines))
        skus = [sku if sku.__class__ is str else "" for sku in said]
        for place, row in block.apart.items():
            skus[place] = row.sku
        found = self._doubled.among(skus)
        for place in sorted(found):
            self._doubled.keep(block.row(place))
        return found

    def _apart(self, block: RowBlock, places: Sequence[int]) -> Sequence[int]:
        """Those of these rows that are not as the others, by place: also those that name what is unclear."""
        if "sku" not in block.said:
            return places
        unclear = self._unclear(block) | block.apart.keys()
        return [place for place in places if place in unclear] if unclear else ()

    def _unclear(self, block: RowBlock) -> set[int]:
        return {
            place
            for name, find in self._finders.items()
            for place, text in enumerate(block.said.get(name, ()))
            if text and text is not NOTHING and find(text)[1]
        }

    def _by_columns(self, block: RowBlock) -> list[Sequence[Any]]:
        """Its rows by column; those apart are nothing there."""
        number = len(block.lines)
        nothing = [None] * number
        said = {name: [None if one is NOTHING else one for one in column] for name, column in block.said.items()}
        skus = [one or "" for one in said["sku"]]
        ids = [
            [find(text)[0] if text else None for text in said.get(name, nothing)]
            for name, find in self._finders.items()
        ]
        return [
            [self._batch] * number,
            block.lines,
            [sku if sku.isascii() else None for sku in skus],
            [sku[:64] for sku in skus],
            *(said.get(name, nothing) for name in self._said),
            *ids,
            *(nothing, ["new"] * number, nothing),
            *([self._firsts.of(said.get("code", nothing), block.lines)] if self._firsts else ()),
            *(one.by_columns(self._of(block, names), self._known, number) for one, names in self._beside.values()),
        ]

    def _of(self, block: RowBlock, names: Sequence[str]) -> Said:
        return {name: block.said[name] for name in names if name in block.said}

    def _cells(self, row: FileRow) -> tuple[Any, ...]:
        """One row by itself."""
        ids = []
        for name, find in self._finders.items():
            text = row.values.get(name)
            found, unclear = find(text) if text else (None, ())
            ids.append(found)
            if unclear:
                row = replace(row, problems=(*row.problems, *(problem.at(row=row.line) for problem in unclear)))
        problems = json.dumps([p.as_dict() for p in row.problems], ensure_ascii=False) if row.problems else None
        return (
            self._batch,
            row.line,
            row.sku if row.sku and row.sku.isascii() and not row.problems else None,
            row.sku[:64],
            *map(row.values.get, self._said),
            *ids,
            problems,
            "refused" if problems else "new",
            ",".join(row.odd) or None,
            *((None,) if self._firsts else ()),
            *(one.kept(row.values, self._known) for one, _ in self._beside.values()),
        )
