"""Files that are read in the background: those whose rows are unpacked, or unfolded, before anything is seen of them.

Until then such a file has no headers; its page waits for them.
"""

from pathlib import Path
from typing import Any

from graupel.context import Context
from graupel.core import matching
from graupel.core.columns import Rule
from graupel.core.handling import Handling
from graupel.core.record_files import RowsAre
from graupel.core.roles import Actor, Role
from graupel.db import Tx
from graupel.features.files import known, locking, service, store, taking, telling
from graupel.jobs import JobRequest, JobRun, enqueue, queue
from graupel.tables import detecting
from graupel.tables.shapes import Kind, Shape

#: A file of fewer bytes is unpacked and unfolded in a moment.
MOST_AT_ONCE = 1_000_000


def take_pieces(ctx: Context, actor: Actor, name: str, upload: str) -> int:
    """Store a file that came in pieces under a key; returns its id. Raises Refused, NoRoom."""
    actor.require(Role.EDITOR)
    path, sha256, size = taking.keep_pieces(ctx, actor, upload)
    if not _takes_long(path):
        return service.taken(ctx, actor, name, path, sha256, size)
    nothing_yet: dict[str, Any] = {"shape": Shape().as_dict(), "can_be": None, "headers": [], "rules": []}

    def work(tx: Tx) -> int:
        values = {**service.named(name), "sha256": sha256, "bytes": size, **nothing_yet}
        file_id = store.insert(tx, actor, values)
        _request(tx, actor, file_id, None)
        return file_id

    return ctx.db.run(work)


def read_as(ctx: Context, actor: Actor, file_id: int, shape: Shape) -> bool:
    """Read a file in another way; columns are guessed anew. Whether that is done, or goes on in the background.

    Raises Refused, NotFound.
    """
    actor.require(Role.EDITOR)
    if not _takes_long(taking.path_of(ctx, service.read_row(ctx, file_id))):
        service.read_as(ctx, actor, file_id, shape)
        return True

    def work(tx: Tx) -> None:
        locking.open_to_change(tx, file_id)
        _request(tx, actor, file_id, shape)

    ctx.db.run(work)
    return False


def _takes_long(path: Path) -> bool:
    if path.stat().st_size <= MOST_AT_ONCE:
        return False
    return detecting.is_zip(path) or detecting.is_gzip(path) or detecting.kind(path) is not Kind.TEXT


def _request(tx: Tx, actor: Actor, file_id: int, shape: Shape | None) -> None:
    row = locking.locked(tx, file_id)
    if row["job_id"]:
        queue.want_cancel(tx, row["job_id"])
    payload = {"file_id": file_id, "shape": shape.as_dict() if shape else None}
    store.change(
        tx,
        file_id,
        job_id=enqueue(tx, actor, JobRequest(service.READ, f"Read {row['name']}", payload, f"/files/{file_id}")),
    )


def read(run: JobRun) -> None:
    """Find out how a file is read, guess what its columns are, and begin its dry run where they tell enough. For the
    worker."""
    ctx, file_id = run.ctx, int(run.payload["file_id"])
    wanted = Shape.of(run.payload["shape"]) if run.payload["shape"] else None
    run.progress("Unpacking and reading")
    values = taking.looked_at(ctx, taking.path_of(ctx, service.read_row(ctx, file_id)), wanted)
    rules = [Rule.of(one) for one in values["rules"]]
    there = known.current(ctx, RowsAre(values["rows_are"]))

    def work(tx: Tx) -> None:
        row = locking.locked(tx, file_id)
        if row["job_id"] != run.job_id:  # somebody chose otherwise meanwhile
            run.finish(tx, "Read in another way.")
            return
        store.read_as(tx, file_id, {**values, "job_id": None})
        if matching.unfit(rules, there, values["key_by"]):
            telling.when_long(run, tx, file_id, "It was read. Say what its columns are.")
        else:
            now = locking.locked(tx, file_id)
            service.begin_plan(ctx, tx, run.actor, now, rules, Handling.of(now), profile_id=now["profile_id"])
        run.finish(tx, f"Read: {len(values['headers']):,} columns.")

    ctx.db.run(work)
