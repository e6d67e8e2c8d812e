"""Bringing a table in: taking it, its dry run, applying it, and what became of it."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any, BinaryIO

from graupel.context import Context
from graupel.core import matching
from graupel.core.columns import Rule
from graupel.core.errors import NotFound, Refused
from graupel.core.file_columns import Known
from graupel.core.handling import Handling, Way, refuse_way, refuse_wrong_number
from graupel.core.imports import Action
from graupel.core.record_files import RowsAre
from graupel.core.roles import Actor, Role
from graupel.core.showing import plural
from graupel.db import DuplicateKey, Tx
from graupel.features.files import (
    chosen,
    counted,
    known,
    lines,
    locking,
    matched,
    picturing,
    profiles,
    store,
    taking,
    telling,
    ways_in,
)
from graupel.features.files.matched import FileColumn
from graupel.features.files.rows import ImportFileRow, ListedFileRow
from graupel.features.history import service as history
from graupel.features.jobs import service as jobs
from graupel.features.products.batch import applying
from graupel.jobs import JobRequest, JobRun, enqueue, queue
from graupel.tables import reading
from graupel.tables.shapes import Shape
from graupel.web import preparing
from graupel.web.preparing import Later

SHOWN_FILES = 30
#: The kind of job that finds out how a file is read (reading_aside).
READ = "files.read"


@dataclass(frozen=True)
class ImportFile:
    """A file that was brought in, and how far it is. ``job``: the last one about it; ``known``: what its columns can
    go to."""

    id: int
    row: ImportFileRow
    columns: list[FileColumn]
    job: dict[str, Any] | None
    known: Known

    @property
    def step(self) -> str:
        """How far it is: running, unread, matching, planned or applied."""
        if self.job and self.job["is_open"]:
            return "running"
        return str(self.row["state"]) if self.row["headers"] else "unread"

    @property
    def is_read(self) -> bool:
        """Whether it is known how it is read: no job is finding that out."""
        return bool(self.row["headers"]) and not (self.step == "running" and self.job and self.job["kind"] == READ)

    @property
    def trouble(self) -> str:
        """Why the last job about it came to nothing."""
        return self.job["outcome"] if self.job and self.job["state"] in ("failed", "cancelled") else ""

    @property
    def shape(self) -> Shape:
        """How it is read."""
        return Shape.of(self.row["shape"])

    @property
    def rules(self) -> list[Rule]:
        """Where each field comes from."""
        return [Rule.of(one) for one in self.row["rules"]]


#: Told of each dry run that is made, and of each file that is brought in, in that transaction.
_FOLLOWING: list[Callable[[Tx, JobRun], None]] = []


def on_done(follow: Callable[[Tx, JobRun], None]) -> None:
    """Have a function told of each dry run that is made and each file that is brought in, before its job ends."""
    if follow not in _FOLLOWING:
        _FOLLOWING.append(follow)


def _done(tx: Tx, run: JobRun) -> None:
    for follow in _FOLLOWING:
        follow(tx, run)


def take(ctx: Context, actor: Actor, name: str, content: BinaryIO) -> int:
    """Store a file, find out how it is read and guess what its columns are; returns its id. Raises Refused, NoRoom."""
    actor.require(Role.EDITOR)
    return taken(ctx, actor, name, *taking.keep(ctx, content))


def taken(ctx: Context, actor: Actor, name: str, path: Path, sha256: str, size: int) -> int:
    """The same with a file that is kept already, under its SHA-256."""
    values = {**named(name), "sha256": sha256, "bytes": size, **taking.looked_at(ctx, path, None)}
    return ctx.db.run(lambda tx: store.insert(tx, actor, values))


def named(name: str) -> dict[str, str]:
    """What is kept of the name of a file as somebody's computer calls it."""
    return {"name": Path(name.replace("\\", "/")).name[:200] or "file"}


def list_files(ctx: Context, actor: Actor) -> list[ListedFileRow]:
    """The newest files."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: store.newest(tx, SHOWN_FILES))


def read(ctx: Context, actor: Actor, file_id: int) -> ImportFile:
    """One file. Raises NotFound."""
    actor.require(Role.VIEWER)
    row = read_row(ctx, file_id)
    job = jobs.of(ctx, actor, row["job_id"])
    there = known.current(ctx, row["rows_are"])
    return ImportFile(file_id, row, matched.columns(ctx, row, there), job, there)


def read_row(ctx: Context, file_id: int) -> ImportFileRow:
    """The row of a file. Raises NotFound."""
    row = ctx.db.run(lambda tx: store.read(tx, file_id))
    if row is None:
        raise NotFound(f"There is no file {file_id}.")
    return row


def read_as(ctx: Context, actor: Actor, file_id: int, shape: Shape) -> None:
    """Read a file in another way; columns are guessed anew. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    _read_otherwise(ctx, file_id, taking.looked_at(ctx, taking.path_of(ctx, read_row(ctx, file_id)), shape))


def rows_are(ctx: Context, actor: Actor, file_id: int, what: RowsAre) -> None:
    """Say what the rows of a file are; columns are guessed anew. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    row = read_row(ctx, file_id)
    locking.refuse_closed(row)
    _read_otherwise(ctx, file_id, taking.guessed_as(ctx, row, what), store.forget_planned)


def _read_otherwise(
    ctx: Context, file_id: int, values: Mapping[str, Any], beside: Callable[[Tx, int], None] = lambda *_: None
) -> None:
    """Keep how a file is read from now on; a dry run there was holds no more. Raises Refused, NotFound."""

    def work(tx: Tx) -> None:
        locking.open_to_change(tx, file_id)
        store.read_as(tx, file_id, values)
        beside(tx, file_id)

    ctx.db.run(work)


# --- dry run -------------------------------------------------------------------------------------------------


def request_plan(
    ctx: Context,
    actor: Actor,
    file_id: int,
    rules: Sequence[Rule],
    handling: Handling | None = None,
    *,
    counts_at: str = "",
    remember: bool = False,
    profile_id: int | None = None,
    source_id: int | None = None,
    seen: str | None = None,
) -> int:
    """Make the dry run in the background; returns the job's id. One that runs already is cancelled.

    ``handling``: how it is brought in, as before without it. ``counts_at``: the moment for which counts of stock hold,
    as typed; what was said before without it. ``remember``: somebody chose these columns, so the next file is matched
    alike. ``profile_id``: by which profile these rules are. ``source_id``: from where it came by itself. ``seen``: the
    mark (chosen.mark) of what its page showed.

    Raises Refused, NotFound.
    """
    actor.require(Role.EDITOR)
    brought = handling or Handling.of(read_row(ctx, file_id))
    refuse_way(brought)
    there = known.current(ctx, brought.rows_are)

    def work(tx: Tx) -> int:
        row = locking.open_to_change(tx, file_id)
        if problems := matching.unfit(rules, there, brought.key_by):
            raise Refused(problems)
        chosen.refuse_unseen(tx, actor, row, rules, there, seen)
        asked = partial(begin_plan, ctx, tx, actor, row, rules, brought, counts_at=counts_at)
        job_id = asked(profile_id=profile_id, source_id=source_id)
        if remember and brought.rows_are is RowsAre.GOODS:
            store.remember(tx, matched.habits(row["headers"], rules))
        return job_id

    return ctx.db.run(work)


def begin_plan(
    ctx: Context,
    tx: Tx,
    actor: Actor,
    row: ImportFileRow,
    rules: Sequence[Rule],
    brought: Handling,
    *,
    counts_at: str = "",
    profile_id: int | None = None,
    source_id: int | None = None,
) -> int:
    """The same in a transaction, of a file that is open to that, with columns that fit."""
    if row["job_id"]:
        queue.want_cancel(tx, row["job_id"])
    payload = {"file_id": row["id"], **({"source_id": source_id} if source_id else {})}
    job_id = enqueue(tx, actor, JobRequest("files.plan", f"Dry run of {row['name']}", payload, f"/files/{row['id']}"))
    values = {**brought.as_row(), "counts_at": counted.read(ctx, tx, counts_at, row), "profile_id": profile_id}
    store.match(tx, row["id"], [rule.as_dict() for rule in rules], values, job_id)
    return job_id


def use(ctx: Context, actor: Actor, file_id: int, profile_id: int, source_id: int | None = None) -> int:
    """Read a file by a profile, and make its dry run; returns the job's id. Raises Refused, NotFound."""
    row, rules, missing = profiles.fitted(ctx, profile_id, file_id)
    if missing:
        said = f"This file has no column “{missing[0]}”, which the profile {row['name']} knows."
        more = f" {plural(len(missing) - 1, 'more is', 'more are')} missing." if len(missing) > 1 else ""
        raise Refused.because(
            "profile.columns", f"{said}{more} Match the columns here, and keep them under a new name."
        )
    return request_plan(ctx, actor, file_id, rules, Handling.of(row), profile_id=profile_id, source_id=source_id)


def plan(run: JobRun) -> None:
    """Read the file, and say of each row what it would do. For the worker."""
    file_id = int(run.payload["file_id"])
    before = read_row(run.ctx, file_id)
    path = taking.path_of(run.ctx, before)
    total = lines.count(reading.stands_in(path, run.ctx.folder("uploads"), Shape.of(before["shape"])))

    def work(tx: Tx) -> None:
        row = locking.locked(tx, file_id)
        locking.refuse_closed(row)
        if row["job_id"] != run.job_id:  # the columns were changed meanwhile, and another dry run was asked for
            run.finish(tx, "Made anew with other columns.")
            return
        found = ways_in.of(row).plan(run, tx, row, path, total)
        store.change(tx, row["id"], state="planned", **found)
        counts = found["counts"]
        said = "; ".join(f"{counts[str(action)]:,} {action}" for action in Action)
        _done(tx, run)
        telling.when_long(run, tx, file_id, said)
        run.finish(tx, said)

    _telling_failure(run, work)


def _telling_failure(run: JobRun, work: Callable[[Tx], None]) -> None:
    """Do the work of a job; where it is refused after long, the one who asked is told."""
    file_id = int(run.payload["file_id"])
    try:
        run.ctx.db.run(work)
    except DuplicateKey as error:
        refusal = applying.outdated(1)
        telling.refused(run, file_id, refusal)
        raise refusal from error
    except Refused as refusal:
        telling.refused(run, file_id, refusal)
        raise


# --- applying ------------------------------------------------------------------------------------------------


def request_apply(ctx: Context, actor: Actor, file_id: int, *, leave_out: bool, confirmed: str = "") -> int:
    """Write what the dry run said, in the background; returns the job's id, 0 where that is prepared. Raises Refused,
    NotFound.

    ``leave_out``: refused rows may be left out; otherwise one refused row refuses the whole. ``confirmed``: the number
    of goods that would be archived, as typed.
    """
    actor.require(Role.EDITOR)
    return ctx.db.run(lambda tx: begin_apply(tx, actor, file_id, leave_out=leave_out, confirmed=confirmed))


def begin_apply(
    tx: Tx, actor: Actor, file_id: int, *, leave_out: bool, confirmed: str = "", source_id: int | None = None
) -> int:
    """The same in a transaction. ``source_id``: from where it came by itself."""
    row = locking.locked(tx, file_id)
    if row["state"] != "planned":
        raise Refused.because(
            "file.not_planned",
            "Make the dry run first." if row["state"] == "matching" else "This file was brought in already.",
        )
    counts = row["counts"] or {}
    archived = counts.get("archived", 0)
    if archived and counts["refused"]:
        said = "A refused row may mean goods that would be archived. Correct the file first."
        raise Refused.because("rows.refused", said)
    refuse_wrong_number(archived, confirmed)
    if counts["refused"] and not leave_out:
        raise Refused.because(
            "rows.refused",
            f"Refused rows: {counts['refused']:,}. Correct the file, or say that they are to be left out.",
        )
    if not counts["new"] + counts["changed"] + archived:
        raise Refused.because("rows.nothing", "Nothing in this file would change the catalogue.")
    if preparation := preparing.current():
        given = {"leave_out": leave_out, "confirmed": confirmed}
        preparation.later.append(Later(actor, "file", f"Bring in {row['name']}", file_id, given))
        return 0
    payload = {"file_id": file_id, **({"source_id": source_id} if source_id else {})}
    job_id = enqueue(tx, actor, JobRequest("files.apply", f"Bring in {row['name']}", payload, f"/files/{file_id}"))
    store.change(tx, file_id, leave_out=leave_out, job_id=job_id)
    return job_id


def apply(run: JobRun) -> None:
    """Write the planned rows, whole or not at all. For the worker."""
    run.actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        row = locking.locked(tx, int(run.payload["file_id"]))
        if row["state"] != "planned":
            raise Refused.because("file.not_planned", "This file was brought in already, or has no dry run.")
        counts = row["counts"] or {}
        with history.change_set(tx, run.actor, "files.apply", f"File brought in: {row['name']}") as recorder:
            counts |= ways_in.of(row).apply(run, tx, row, recorder)
        moved = counts.get("moved", 0)
        left_out = f" {plural(moved, 'row')} left out: changed since the dry run." if moved else ""
        done = recorder.change_set_id if recorder.records else None
        store.change(tx, row["id"], state="applied", change_set_id=done, counts=counts)
        pictures = picturing.begin(tx, run.actor, row)
        fetched = f" {plural(pictures, 'picture')} being fetched." if pictures else ""
        said = f"{counts['new']:,} made, {counts['changed']:,} changed.{left_out}{fetched}"
        _done(tx, run)
        telling.when_long(run, tx, row["id"], said)
        run.finish(tx, said)

    _telling_failure(run, work)


def request_again(ctx: Context, actor: Actor, file_id: int) -> int:
    """The dry run once more: of a file that was rolled back, of another for the rows that were left out because their
    products had changed; returns the id of the file that stands for it. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    row = read_row(ctx, file_id)
    is_back = bool(row["change_set_id"]) and not ctx.db.run(lambda tx: history.holds(tx, row["change_set_id"] or 0))

    def work(tx: Tx) -> int:
        lines = row["only_lines"] if is_back else ways_in.of(row).lines(tx, file_id, "moved")
        if not (lines or is_back):
            raise Refused.because("rows.none", "No row of this file was left out because its record changed.")
        same = {name: row[name] for name in store.SAME_AGAIN}  # type: ignore[literal-required]
        return store.insert(tx, actor, {**same, "only_lines": lines})

    again = ctx.db.run(work)
    rules = [Rule.of(one) for one in row["rules"]]
    handling = Handling.of(row)
    if handling.way is Way.EQUAL and not is_back:  # a few of its lines are not all there is
        handling = replace(handling, way=Way.BOTH, among="")
    request_plan(ctx, actor, again, rules, handling)
    return again
