"""Files that go by themselves: written at set times, under the same name each, into a folder for other systems."""

import json
import shutil
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from typing import Any

from graupel import storage
from graupel.context import Context
from graupel.core import outlets as rules
from graupel.core import sources
from graupel.core.declarations.files import FILE_OUTLET
from graupel.core.errors import NotAllowed, NotFound, Refused
from graupel.core.roles import SYSTEM, Actor, Role
from graupel.core.showing import plural
from graupel.db import Tx, declared
from graupel.features.files import at_set_times, exporting
from graupel.features.files import outlet_store as store
from graupel.features.files import store as file_store
from graupel.features.files.rows import OutletRow
from graupel.features.history import service as history
from graupel.features.history.following import Recorded
from graupel.features.history.meeting import Marks
from graupel.features.users import service as users
from graupel.jobs import JobRequest, JobRun, enqueue_once, timekeeping
from graupel.tables.writing import Out

KIND, CLOCK = "files.outlet", "files.outlets"
OUTGOING = "outgoing"


def list_all(ctx: Context, actor: Actor) -> list[OutletRow]:
    """All of them, by name."""
    actor.require(Role.VIEWER)
    return ctx.db.run(store.every)


def read(ctx: Context, actor: Actor, outlet_id: int) -> OutletRow:
    """One of them. Raises NotFound."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: _there(tx, outlet_id))


def save(
    ctx: Context,
    actor: Actor,
    outlet_id: int | None,
    texts: Mapping[str, str],
    out: Out,
    fields: Sequence[str],
    query: str | None,
    *,
    with_pictures: bool = False,
    lens: str = "",
    marks: Marks = None,
) -> None:
    """Have a file written at set times, or otherwise than before; from now on it is written for who says so.
    ``texts``: as core.outlets reads them. Raises Refused, Outdated, NotFound."""
    actor.require(Role.EDITOR)
    person = users.email_of(ctx, actor.user_id) if actor.user_id else None
    if person is None:
        raise Refused.because("outlet.nobody", "Only a person can have files written: they are written for them.")
    wanted = rules.read(texts)
    chosen = exporting.asked_columns(ctx, fields, with_pictures=with_pictures)
    mine: dict[str, Any] = {
        "name": wanted.name,
        "format": str(out),
        "with_pictures": int(with_pictures),
        "fields": json.dumps(chosen),
        "query": query or "",
        "lens": lens,
        "every": wanted.every,
        "minute": wanted.minute,
        "person": person,
    }

    def work(tx: Tx) -> None:
        if store.is_taken(tx, wanted.name, outlet_id or 0):
            said = "Another file that goes by itself is called so. Give this one a name of its own."
            raise Refused.because("outlet.taken", said, "name")
        title = f"A file goes {'otherwise' if outlet_id else 'by itself'}: {wanted.name}"
        with history.change_set(tx, actor, "outlet.save", title) as recorder:
            if outlet_id is None:
                recorder.made("file_outlet", declared.insert(tx, FILE_OUTLET, mine), mine)
                return
            row = _there(tx, outlet_id, lock=True)
            if at_set_times.change(tx, recorder, FILE_OUTLET, outlet_id, held(row), row["version"], mine, marks):
                store.begin_anew(tx, outlet_id)

    ctx.db.run(work)


def remove(ctx: Context, actor: Actor, outlet_id: int) -> None:
    """Write it no more; the file that was written last stays. Raises NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        row = _there(tx, outlet_id)
        with history.change_set(tx, actor, "outlet.remove", f"A file goes no more: {row['name']}") as recorder:
            recorder.removed("file_outlet", outlet_id, held(row), row["version"])
            declared.delete(tx, FILE_OUTLET, outlet_id)

    ctx.db.run(work)


def held(row: OutletRow) -> dict[str, Any]:
    """What its record holds."""
    found = {name: row[name] for name in FILE_OUTLET.columns()}  # type: ignore[literal-required]
    return found | {"fields": json.dumps(row["fields"])}


def write_now(ctx: Context, actor: Actor, outlet_id: int) -> None:
    """Write it at once, in the background. Raises NotFound."""
    actor.require(Role.EDITOR)
    ctx.db.run(lambda tx: _enqueue(tx, actor, _there(tx, outlet_id)))


def file_name(row: OutletRow) -> str:
    """What it is called in the folder."""
    return f"{row['name']}.{'zip' if row['with_pictures'] else row['format']}"


def _there(tx: Tx, outlet_id: int, *, lock: bool = False) -> OutletRow:
    row = store.read(tx, outlet_id, lock=lock)
    if row is None:
        raise NotFound("This is not there any more.")
    return row


def _enqueue(tx: Tx, actor: Actor, row: OutletRow) -> None:
    request = JobRequest(KIND, f"Write {file_name(row)}", {"outlet_id": row["id"]}, "/files/out")
    enqueue_once(tx, actor, request)


# --- at set times --------------------------------------------------------------------------------------------


def _next(ctx: Context, row: OutletRow, after: datetime) -> datetime:
    return sources.next_after(row["every"], row["minute"], after.replace(tzinfo=UTC), ctx.settings.time_zone)


def next_of(ctx: Context, row: OutletRow) -> datetime:
    """When it is written next."""
    return _next(ctx, row, row["reached"])


def next_after(ctx: Context, tx: Tx, after: datetime) -> datetime | None:
    """When any of them is written next."""
    return min((_next(ctx, row, after) for row in store.every(tx)), default=None)


def follow_change(tx: Tx, recorded: Recorded) -> None:
    """One was added, or came back: the clock is set anew."""
    if recorded.wrote.any_of("file_outlet"):
        timekeeping.wake(tx, CLOCK, tx.value("SELECT UTC_TIMESTAMP(3)"))


def due(ctx: Context, tx: Tx, moment: datetime) -> None:
    """Write those whose time it is, or was since they were written last."""
    for row in store.every(tx):
        if next_of(ctx, row) <= moment.replace(tzinfo=UTC):
            store.reach(tx, row["id"], moment.replace(tzinfo=None))
            _enqueue(tx, SYSTEM, row)


def write(run: JobRun) -> None:
    """Write the file, and put it in the place of the one before, whole or not at all. For the worker."""
    row = run.ctx.db.run(lambda tx: store.read(tx, int(run.payload["outlet_id"])))
    if row is None:
        run.ctx.db.run(lambda tx: run.finish(tx, "It is not written any more."))
        return
    try:
        said = _written(run, row)
    except (NotAllowed, NotFound, Refused, OSError) as trouble:
        why = f"The folder {OUTGOING}: {trouble.strerror}." if isinstance(trouble, OSError) else str(trouble)
        run.ctx.db.run(lambda tx: store.note(tx, row["id"], why, wrong=True))
        raise Refused.because("outlet.failed", why) from trouble

    def work(tx: Tx) -> None:
        store.note(tx, row["id"], said, wrong=False)
        run.finish(tx, said)

    run.ctx.db.run(work)


def _written(run: JobRun, row: OutletRow) -> str:
    """Raises NotAllowed, NotFound, Refused, OSError."""
    ctx, with_pictures = run.ctx, bool(row["with_pictures"])
    actor = users.actor_by_email(ctx, row["person"])
    query = row["query"] or None
    lens = row["lens"]
    values = {"name": row["name"], "format": row["format"], "fields": row["fields"], "query": query, "lens": lens}

    def begin(tx: Tx) -> int:
        export_id = file_store.insert_export(tx, actor, {**values, "with_pictures": with_pictures})
        file_store.change_export(tx, export_id, job_id=run.job_id)
        return export_id

    export = exporting.read(ctx, actor, ctx.db.run(begin)).row
    path = exporting.path_of(ctx, export)
    done = exporting.export(
        ctx, actor, path, Out(row["format"]), row["fields"], query, run, with_pictures=with_pictures, lens=lens
    )
    with storage.aside(ctx.folder(OUTGOING) / file_name(row)) as to, path.open("rb") as written:
        shutil.copyfileobj(written, to)
    size = path.stat().st_size
    ctx.db.run(
        lambda tx: file_store.change_export(tx, export["id"], row_count=done.rows, cut_count=done.cut, bytes=size)
    )
    return f"{plural(done.rows, 'row')} written."
