"""The dry run of a file of records, and its applying.

There are few such records, each with rules of its own, so rows are written one by one by what writes them anywhere. The
dry run is that very writing, undone at its end: what it refuses, applying would refuse, and the two can't differ.
"""

from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from itertools import islice
from pathlib import Path
from typing import Any

from graupel.context import Context
from graupel.core import changes
from graupel.core.columns import Matching, Rule
from graupel.core.errors import Refused
from graupel.core.handling import Handling, Way
from graupel.core.imports import Action, FileRow
from graupel.core.problems import Problem
from graupel.core.record_files import RowsAre
from graupel.core.record_rows import RecordReader
from graupel.db import DuplicateKey, Tx
from graupel.features.destinations import service as destinations
from graupel.features.files import lines, picturing
from graupel.features.files.records import later, store
from graupel.features.files.records.attributes import AttributeClerk
from graupel.features.files.records.categories import CategoryClerk
from graupel.features.files.records.clerks import Clerk, Held, Said
from graupel.features.files.records.names import NameClerk
from graupel.features.files.records.sales import SaleClerk
from graupel.features.files.records.store import MOVED, SKIPPED, PlannedRow
from graupel.features.files.records.types import TypeClerk
from graupel.features.files.rows import ImportFileRow
from graupel.features.history import service as history
from graupel.jobs import JobRun
from graupel.tables import reading
from graupel.tables.shapes import Shape

#: Such a file has at most so many rows: they are held while they are compared.
MOST_ROWS = 30_000
#: So many of them may make or change something: the dry run holds what it writes, and others wait for it.
MOST_WRITTEN = 5_000
REPORT_EVERY = 50
_CLERKS: Mapping[RowsAre, Callable[[Context, Tx, Sequence[str]], Clerk]] = {
    RowsAre.TYPE: TypeClerk,
    RowsAre.SALE: SaleClerk,
    RowsAre.BRAND: lambda ctx, tx, langs: NameClerk(ctx, tx, RowsAre.BRAND, langs),
    RowsAre.TAG: lambda ctx, tx, langs: NameClerk(ctx, tx, RowsAre.TAG, langs),
}


def clerk_of(ctx: Context, tx: Tx, rows_are: RowsAre, beside: Sequence[str] = ()) -> Clerk:
    """How the records of a kind stand, as a transaction sees them. ``beside``: files in a zip with the table."""
    langs = destinations.current(ctx, tx).languages
    if rows_are is RowsAre.CATEGORY:
        return CategoryClerk(ctx, tx, langs, _members(beside))
    if rows_are is RowsAre.ATTRIBUTE:
        return AttributeClerk(ctx, tx, langs, _members(beside))
    return _CLERKS[rows_are](ctx, tx, langs)


def _members(beside: Sequence[str]) -> dict[str, str]:
    return {name.casefold(): name for name in beside}


@dataclass
class Walk:
    """Rows on their way into the catalogue, one by one. ``expected``: by line what the dry run said of them; a row that
    would do another thing by now is left out."""

    tx: Tx
    clerk: Clerk
    recorder: history.Recorder
    way: Way
    expected: Mapping[int, PlannedRow] | None = None
    _seen: dict[object, int] = field(default_factory=dict)
    _shared: dict[tuple[str, str], tuple[str, int]] = field(default_factory=dict)

    def row(self, row: FileRow) -> PlannedRow:
        """What a row does."""
        name = self._named(row)
        if row.problems:
            return PlannedRow(row.line, Action.REFUSED, name, None, row.values, {}, {}, row.problems)
        try:
            return self._planned(row, name)
        except Refused as refusal:
            problems = tuple(one.at(row=row.line) for one in refusal.problems)
            return PlannedRow(row.line, Action.REFUSED, name, None, row.values, {}, {}, problems)

    def _named(self, row: FileRow) -> str:
        first = self.clerk.columns.keys[0]
        return self.clerk.named(row.values) if row.values.get(first) else ""

    def _planned(self, row: FileRow, name: str) -> PlannedRow:
        said = self.clerk.understood(row.values)
        held = self.clerk.held(said)
        self._refuse_twice(said, row.line)
        brings = {key: text for key, text in said.items() if key not in self.clerk.columns.keys}
        before = held.values if held else {}
        was, becomes = changes.diff({key: before.get(key, "") for key in brings}, brings)
        action = Action.NEW if held is None else Action.CHANGED if becomes else Action.UNCHANGED
        record = (held.kind, held.id) if held else None
        planned = PlannedRow(row.line, action, name, record, said, was, becomes)
        if (self.way is Way.ADD and held) or (self.way is Way.CHANGE and held is None):
            return replace(planned, action=SKIPPED)
        if action is Action.UNCHANGED:
            return planned
        if self.expected is not None and not _same(planned, self.expected[row.line]):
            return replace(planned, action=MOVED)
        written = self._written(said)
        if self.expected is None:  # what is made in a dry run is not there afterwards
            return planned
        return replace(planned, record=(written.kind, written.id))

    def _refuse_twice(self, said: Said, line: int) -> None:
        """A record that stands twice counts the first time; rows of one owner say one thing of it."""
        keys = self.clerk.columns.keys
        key = tuple(said.get(name, "").casefold() for name in keys)
        before = self._seen.setdefault(key, line)
        if before != line:
            what = f"Line {before:,} means the same: “{self.clerk.named(said)}”. Take one of them out."
            raise Refused.because("row.twice", what, keys[0])
        for name in self.clerk.columns.shared & said.keys():
            text, first = self._shared.setdefault((key[0], name), (said[name], line))
            if text != said[name]:
                label = self.clerk.columns.columns[name].label
                what = f"{label}: line {first:,} says another one of “{said[keys[0]]}”. Say the same in both."
                raise Refused.because("row.apart", what, name)

    def _written(self, said: Said) -> Held:
        """Write a row; where that is refused nothing of it stays."""
        self.tx.run("SAVEPOINT one_row")
        try:
            return self.clerk.write(self.recorder, said)
        except (Refused, DuplicateKey) as error:
            self.tx.run("ROLLBACK TO SAVEPOINT one_row")
            if isinstance(error, Refused):
                raise
            what = "Another record has a name, code or address that this row says. Say another one."
            raise Refused.because("record.taken", what) from error


def _same(planned: PlannedRow, expected: PlannedRow) -> bool:
    """A row would do what the dry run said."""
    names = ("action", "record", "was", "becomes")
    return all(getattr(planned, name) == getattr(expected, name) for name in names)


# --- the dry run ---------------------------------------------------------------------------------------------


def plan(run: JobRun, tx: Tx, row: ImportFileRow, path: Path, total: int) -> dict[str, Any]:
    """Make the dry run; returns what is kept of it with the file. Raises Refused."""
    table = reading.table(path, run.ctx.folder("uploads"), Shape.of(row["shape"]))
    handling = Handling.of(row)
    clerk = clerk_of(run.ctx, tx, handling.rows_are, picturing.beside(run.ctx, row))
    reader = RecordReader(Matching.of(Rule.of(one) for one in row["rules"]), clerk.columns)
    found = list(
        islice(
            lines.read(row, table, reader, lambda done: run.progress("Reading", min(done, total), total)), MOST_ROWS + 1
        )
    )
    if len(found) > MOST_ROWS:
        raise _too_many(f"A file of such rows has at most {MOST_ROWS:,}.")
    with _undone(tx) as recorder:
        walk = Walk(tx, clerk, recorder, handling.way)
        made, planned = _walked(walk, found, lambda done: run.progress("Comparing", done, len(found)))
    store.replace(tx, row["id"], planned)
    counts = store.counts(tx, row["id"])
    counts |= {"products": counts["new"] + counts["changed"], "odd": 0, "archived": 0}
    overview = _overview(planned, reader.left_out, reader.met)
    makes = [[name, [], str(handling.rows_are)] for name in made]
    return {"counts": counts, "makes": makes, "passed": table.passed, "overview": overview}


def _too_many(what: str) -> Refused:
    return Refused.because("file.too_many_rows", f"{what} Cut it in several files.", "file")


def _refuse_many(written: int) -> None:
    if written > MOST_WRITTEN:
        raise _too_many(f"More than {MOST_WRITTEN:,} rows would make or change something, too many for one act.")


@contextmanager
def _undone(tx: Tx) -> Iterator[history.Recorder]:
    """A recorder of what does not stay."""
    tx.run("SAVEPOINT dry_run")
    try:
        yield history.imagined(tx)
    finally:
        tx.run("ROLLBACK TO SAVEPOINT dry_run")


def _walked(walk: Walk, rows: Sequence[FileRow], report: Callable[[int], None]) -> tuple[list[str], list[PlannedRow]]:
    """What is made beside the rows, and what each of them does, in the order in which they are written."""
    plain = [row for row in rows if not row.problems]
    meant = [said for row in plain if (said := _meant(walk, row)) is not None]
    written = sum(walk.clerk.held(said) is None for said in meant)
    _refuse_many(written)
    made = walk.clerk.begin(walk.recorder, meant)
    done = [walk.row(row) for row in rows if row.problems]
    for number, at in enumerate(walk.clerk.in_order([row.values for row in plain])):
        if number % REPORT_EVERY == 0:
            report(number)
        done.append(walk.row(plain[at]))
        written += done[-1].action == Action.CHANGED
        _refuse_many(written)
    walk.clerk.end(walk.recorder)
    return made, done


def _meant(walk: Walk, row: FileRow) -> Said | None:
    """What a row says, where it can be understood and the file may do it."""
    try:
        said = walk.clerk.understood(row.values)
    except Refused:
        return None
    left_alone = {Way.ADD: True, Way.CHANGE: False}.get(walk.way)
    return None if left_alone is (walk.clerk.held(said) is not None) else said


def _overview(
    planned: Sequence[PlannedRow], left_out: Mapping[tuple[str, str], int], met: set[tuple[str, str]]
) -> dict[str, Any]:
    fields = Counter(name for row in planned if row.action == Action.CHANGED for name in row.becomes)
    reasons: dict[str, tuple[int, Problem]] = {}
    for row in planned:
        for problem in {one.code: one for one in row.problems}.values():
            number, first = reasons.get(problem.code, (0, problem))
            reasons[problem.code] = (number + 1, first)
    said = sorted(((code, *one) for code, one in reasons.items()), key=lambda one: -one[1])
    return {
        "fields": dict(fields),
        "bands": {},
        "reasons": [[code, number, first.message, first.field or ""] for code, number, first in said],
        "left_out": [[name, code, number] for (name, code), number in sorted(left_out.items())],
        "of_cells": sorted(met),
    }


# --- applying ------------------------------------------------------------------------------------------------


def apply(run: JobRun, tx: Tx, row: ImportFileRow, recorder: history.Recorder) -> dict[str, int]:
    """Write what the dry run said; returns how many rows of each kind there are now. Raises Refused."""
    handling = Handling.of(row)
    expected = store.read(tx, row["id"], (Action.NEW, Action.CHANGED))
    beside = picturing.beside(run.ctx, row)
    clerk = clerk_of(run.ctx, tx, handling.rows_are, beside)
    walk = Walk(tx, clerk, recorder, handling.way, {one.line: one for one in expected})
    made = clerk.begin(recorder, [one.said for one in expected])
    done = []
    for number, one in enumerate(expected):
        if number % REPORT_EVERY == 0:
            run.progress("Writing", number, len(expected))
        planned = walk.row(FileRow(one.line, "", one.said))
        done.append(replace(one, action=MOVED) if planned.action not in (Action.NEW, Action.CHANGED) else planned)
    clerk.end(recorder)
    store.note_written(tx, row["id"], done)
    counts = store.counts(tx, row["id"])
    pictured = {one.line: said for one in done if one.action != MOVED and (said := later.said_of(one))}
    later.note(tx, row["id"], pictured, _members(beside))
    return counts | {"made": counts["new"] + len(made)}
