"""Bringing a table of products in, and taking the catalogue out."""

import csv
import hashlib
import io
import secrets
from dataclasses import dataclass
from itertools import islice
from pathlib import Path
from typing import Any, BinaryIO

from graupel import storage
from graupel.context import Context
from graupel.core import encodings, imports
from graupel.core.cells import harmless
from graupel.core.errors import NotFound, Refused
from graupel.core.imports import Action
from graupel.core.products import Status
from graupel.core.roles import Actor, Role
from graupel.core.showing import plural
from graupel.db import DuplicateKey, Tx
from graupel.features.files import counted, lines, reading, store
from graupel.features.files.reading import TextShape
from graupel.features.files.rows import ImportFileRow, ListedFileRow
from graupel.features.history import service as history
from graupel.features.jobs import service as jobs
from graupel.features.products import applying, batch
from graupel.jobs import JobRequest, JobRun, enqueue

SAMPLE_VALUES = 3
LOOKED_AT_ROWS = 200
SHOWN_FILES = 30
SHOWN_ROWS = 50


@dataclass(frozen=True)
class FileColumn:
    """A column of a file: its header, its first values, and the field it was matched to ("" for none)."""

    index: int
    header: str
    samples: list[str]
    field: str


@dataclass(frozen=True)
class ImportFile:
    """A file that was brought in, and how far it is. ``job``: the last one about it."""

    id: int
    row: ImportFileRow
    columns: list[FileColumn]
    job: dict[str, Any] | None

    @property
    def step(self) -> str:
        """What its page shows: running, matching, planned or applied."""
        return "running" if self.job and self.job["is_open"] else str(self.row["state"])

    @property
    def trouble(self) -> str:
        """Why the last job about it came to nothing."""
        return self.job["outcome"] if self.job and self.job["state"] in ("failed", "cancelled") else ""


def take(ctx: Context, actor: Actor, name: str, content: BinaryIO) -> int:
    """Store a file and guess what its columns are; returns its id. Raises Refused."""
    actor.require(Role.EDITOR)
    path, sha256, size = _keep(ctx, content)
    shape = reading.detect(path)
    headers = next((row.cells for row in reading.rows(path, shape)), [])
    guess = imports.guess_columns(headers)
    values = {
        "name": Path(name.replace("\\", "/")).name[:200] or "file",
        "sha256": sha256,
        "bytes": size,
        "encoding": shape.encoding,
        "delimiter": shape.delimiter,
        "headers": headers,
        "columns": guess,
    }
    return ctx.db.run(lambda tx: store.insert(tx, actor, values))


def _keep(ctx: Context, content: BinaryIO) -> tuple[Path, str, int]:
    """The file under the SHA-256 of what it holds. Raises NoRoom."""
    digest, size = hashlib.sha256(), 0
    coming = ctx.folder("uploads") / f"coming-{secrets.token_hex(8)}"
    with storage.aside(coming) as file:
        for block in iter(lambda: content.read(1 << 20), b""):
            digest.update(block)
            size += len(block)
            file.write(block)
    return coming.rename(coming.with_name(digest.hexdigest())), digest.hexdigest(), size


def list_files(ctx: Context, actor: Actor) -> list[ListedFileRow]:
    """The newest files."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: store.newest(tx, SHOWN_FILES))


def read(ctx: Context, actor: Actor, file_id: int) -> ImportFile:
    """One file. Raises NotFound."""
    actor.require(Role.VIEWER)
    row = _read(ctx, file_id)
    job = jobs.read(ctx, actor, row["job_id"]) if row["job_id"] else None
    return ImportFile(file_id, row, _columns(ctx, row), job)


def _read(ctx: Context, file_id: int) -> ImportFileRow:
    row = ctx.db.run(lambda tx: store.read(tx, file_id))
    if row is None:
        raise NotFound(f"There is no file {file_id}.")
    return row


def _source(ctx: Context, row: ImportFileRow) -> tuple[Path, TextShape]:
    return ctx.folder("uploads") / row["sha256"], TextShape(row["encoding"], row["delimiter"])


def read_as(ctx: Context, actor: Actor, file_id: int, shape: TextShape) -> None:
    """Read a file in another encoding or with another delimiter; columns are guessed anew. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    if shape.encoding not in encodings.ENCODINGS or shape.delimiter not in reading.DELIMITERS:
        raise Refused.because("file.shape", "Choose an encoding and a delimiter.", "encoding")

    def work(tx: Tx) -> None:
        row = _locked(tx, file_id)
        _refuse_applied(row)
        headers = next((one.cells for one in reading.rows(ctx.folder("uploads") / row["sha256"], shape)), [])
        columns = imports.guess_columns(headers)
        store.set_shape(tx, file_id, shape.encoding, shape.delimiter, headers, columns)

    ctx.db.run(work)


def _columns(ctx: Context, row: ImportFileRow) -> list[FileColumn]:
    fields = {index: name for name, index in row["columns"].items()}
    first = [raw.cells for raw in islice(reading.rows(*_source(ctx, row)), 1, LOOKED_AT_ROWS)]
    return [
        FileColumn(
            index,
            header or f"column {index + 1}",
            _first_values(first, index),
            fields.get(index, ""),
        )
        for index, header in enumerate(row["headers"])
    ]


def _first_values(rows: list[list[str]], index: int) -> list[str]:
    """The first few different values of a column; what is empty tells nothing."""
    values = (cells[index].strip()[:80] for cells in rows if index < len(cells))
    return list(dict.fromkeys(value for value in values if value))[:SAMPLE_VALUES]


# --- dry run -------------------------------------------------------------------------------------------------


def request_plan(
    ctx: Context,
    actor: Actor,
    file_id: int,
    columns: dict[str, int],
    *,
    go_live: bool,
    show_new: bool = False,
    counts_at: str = "",
) -> int:
    """Make the dry run in the background; returns the job's id. Raises Refused, NotFound.

    ``show_new``: buyers see categories that are made at once; otherwise they are hidden until somebody shows them.
    ``counts_at``: the moment for which counts of stock hold, as typed; what was said before without it.
    """
    actor.require(Role.EDITOR)
    if "sku" not in columns:
        raise Refused.because("columns.no_sku", "Say which column holds the SKU: it tells which product a row means.")
    if len(columns) < 2:
        raise Refused.because("columns.only_sku", "Match at least one column beside the SKU, or nothing can change.")

    def work(tx: Tx) -> int:
        row = _locked(tx, file_id)
        _refuse_applied(row)
        job_id = enqueue(
            tx, actor, JobRequest("files.plan", f"Dry run of {row['name']}", {"file_id": file_id}, f"/files/{file_id}")
        )
        values = {"go_live": go_live, "show_new": show_new, "counts_at": counted.read(ctx, tx, counts_at, row)}
        store.set_matching(tx, file_id, columns, values, job_id)
        return job_id

    return ctx.db.run(work)


def _locked(tx: Tx, file_id: int) -> ImportFileRow:
    row = store.read(tx, file_id, lock=True)
    if row is None:
        raise NotFound(f"There is no file {file_id}.")
    return row


def _refuse_applied(row: ImportFileRow) -> None:
    """What an applied file said stays as it is: the journal refers to it."""
    if row["state"] == "applied":
        raise Refused.because("file.applied", "This file was brought in already. Upload it again to repeat it.")


def plan(run: JobRun) -> None:
    """Read the file, and say of each row what it would do. For the worker."""
    row = _read(run.ctx, int(run.payload["file_id"]))
    path, _ = _source(run.ctx, row)
    total = lines.count(path)

    def work(tx: Tx) -> None:
        _refuse_applied(_locked(tx, row["id"]))
        path, shape = _source(run.ctx, row)
        currency = run.ctx.settings.currency
        rows = lines.read(row, path, shape, currency, lambda done: run.progress("Reading", done, total))
        batch.load(tx, row["id"], rows, row["columns"])
        run.progress("Comparing", total, total)
        batch.plan(
            tx,
            row["id"],
            run.ctx.settings.language,
            live=bool(row["go_live"]),
            as_of=row["counts_at"],
            of=batch.spoken(row["columns"]),
        )
        made = batch.new_categories(tx, row["id"])
        counts = batch.counts(tx, row["id"]) | {"categories": len(made)}
        store.set_planned(tx, row["id"], counts, [[one.path, one.near] for one in made])
        run.finish(tx, "; ".join(f"{counts[str(action)]:,} {action}" for action in Action))

    run.ctx.db.run(work)


#: In which order rows are shown: what wants a look first.
SHOWN = ("moved", "refused", "odd", "changed", "new", "unchanged")


@dataclass(frozen=True)
class PlanPage:
    """Rows of a dry run: those of one action, or "odd" or "moved" ones. ``next``: the line after which more stand."""

    shown: str
    search: str
    samples: list[batch.Sample]
    next: int | None


def rows_of(
    ctx: Context, actor: Actor, file: ImportFile, shown: str = "", search: str = "", after: int = 0
) -> PlanPage:
    """A page of the dry run's rows; where nothing is asked for, of the first of SHOWN that has any."""
    actor.require(Role.VIEWER)
    counts = file.row["counts"] or {}
    there = [one for one in SHOWN if counts.get(one)]
    asked = shown if shown in SHOWN else there[0] if there else "unchanged"
    found = ctx.db.run(
        lambda tx: batch.samples(tx, file.id, asked, ctx.settings.language, SHOWN_ROWS + 1, after, search)
    )
    more = found[SHOWN_ROWS - 1].line if len(found) > SHOWN_ROWS else None
    return PlanPage(asked, search, found[:SHOWN_ROWS], more)


def refused_rows(ctx: Context, actor: Actor, file_id: int) -> str:
    """The refused rows as CSV, with the line and the reason of each. Raises NotFound."""
    actor.require(Role.VIEWER)
    row = _read(ctx, file_id)
    refused = ctx.db.run(
        lambda tx: batch.samples(tx, file_id, "refused", ctx.settings.language, (row["counts"] or {}).get("refused", 0))
    )
    reasons = {sample.line: sample for sample in refused}
    out = io.StringIO()
    writer = csv.writer(out, delimiter=row["delimiter"])
    writer.writerow(["line", "reason", *map(harmless, row["headers"])])
    for raw in reading.rows(*_source(ctx, row)):
        if raw.line in reasons:
            why = " ".join(problem.message for problem in reasons[raw.line].plan.problems)
            writer.writerow([raw.line, why, *map(harmless, raw.cells)])
    return out.getvalue()


# --- applying ------------------------------------------------------------------------------------------------


def request_apply(ctx: Context, actor: Actor, file_id: int, *, leave_out: bool) -> int:
    """Write what the dry run said, in the background; returns the job's id. Raises Refused, NotFound.

    ``leave_out``: refused rows may be left out; otherwise one refused row refuses the whole.
    """
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        row = _locked(tx, file_id)
        if row["state"] != "planned":
            raise Refused.because(
                "file.not_planned",
                "Make the dry run first." if row["state"] == "matching" else "This file was brought in already.",
            )
        counts = row["counts"]
        if counts["refused"] and not leave_out:
            raise Refused.because(
                "rows.refused",
                f"Refused rows: {counts['refused']:,}. Correct the file, or say that they are to be left out.",
            )
        if not counts["new"] + counts["changed"]:
            raise Refused.because("rows.nothing", "Nothing in this file would change the catalogue.")
        job_id = enqueue(
            tx, actor, JobRequest("files.apply", f"Bring in {row['name']}", {"file_id": file_id}, f"/files/{file_id}")
        )
        store.set_applying(tx, file_id, leave_out, job_id)
        return job_id

    return ctx.db.run(work)


def apply(run: JobRun) -> None:
    """Write the planned rows, whole or not at all. For the worker."""
    run.actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        row = _locked(tx, int(run.payload["file_id"]))
        if row["state"] != "planned":
            raise Refused.because("file.not_planned", "This file was brought in already, or has no dry run.")
        counts = row["counts"]
        status = Status.LIVE if row["go_live"] else Status.DRAFT
        with history.change_set(tx, run.actor, "files.apply", f"File brought in: {row['name']}") as recorder:
            applying.apply(
                tx,
                recorder,
                row["id"],
                run.ctx.settings.language,
                status=status,
                progress=run.progress,
                hide_new=not row["show_new"],
                as_of=row["counts_at"],
                of=batch.spoken(row["columns"]),
            )
        counts |= batch.counts(tx, row["id"])
        moved = counts.get("moved", 0)
        left_out = f" {plural(moved, 'row')} left out: changed since the dry run." if moved else ""
        store.set_applied(tx, row["id"], recorder.change_set_id if recorder.records else None, counts)
        run.finish(tx, f"{counts['new']:,} made, {counts['changed']:,} changed.{left_out}")

    try:
        run.ctx.db.run(work)
    except DuplicateKey as error:
        raise applying.outdated(1) from error


def request_again(ctx: Context, actor: Actor, file_id: int) -> int:
    """The dry run once more for the rows that were left out because their products had changed; returns the id of the
    file that stands for them. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    row = _read(ctx, file_id)

    def work(tx: Tx) -> int:
        lines = batch.lines(tx, file_id, "moved")
        if not lines:
            raise Refused.because("rows.none", "No row of this file was left out because its product changed.")
        same = {name: row[name] for name in store.SAME_AGAIN}  # type: ignore[literal-required]
        return store.insert(tx, actor, {**same, "only_lines": lines})

    again = ctx.db.run(work)
    request_plan(ctx, actor, again, row["columns"], go_live=bool(row["go_live"]), show_new=bool(row["show_new"]))
    return again
