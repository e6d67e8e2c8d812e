"""Files that come by themselves: from an address or a folder, at set times, and asked about where they change much."""

import hashlib
import io
import os
import tempfile
import time
from collections.abc import Mapping
from contextlib import suppress
from datetime import UTC, datetime
from fnmatch import fnmatchcase
from pathlib import Path
from typing import Any

from graupel import fetching
from graupel.context import Context
from graupel.core import sources as rules
from graupel.core.declarations.files import FILE_SOURCE
from graupel.core.errors import NoRoom, NotAllowed, NotFound, Refused
from graupel.core.roles import SYSTEM, Actor, Role
from graupel.db import Tx, declared
from graupel.features.files import at_set_times, profiles, service, taking, telling
from graupel.features.files import source_store as store
from graupel.features.files import store as file_store
from graupel.features.files.rows import SourceRow
from graupel.features.history import service as history
from graupel.features.history.following import Recorded
from graupel.features.history.meeting import Marks
from graupel.features.users import service as users
from graupel.fetching import NotFetched
from graupel.jobs import JobRequest, JobRun, enqueue_once, timekeeping

Content = io.BufferedReader | io.BufferedRandom

KIND, CLOCK = "files.look", "files.sources"
#: What stands between what somebody has to look at, and why looking failed since.
SINCE = " Then it could not be looked for: "
INCOMING, TAKEN = "incoming", "taken"
#: A file in the folder is taken when nobody wrote to it for so many seconds.
SETTLED_SECONDS = 10
#: An address is given longer than for a picture, but not for ever.
FETCH_SECONDS = 600


def list_all(ctx: Context, actor: Actor) -> list[SourceRow]:
    """All of them, by name."""
    actor.require(Role.VIEWER)
    return ctx.db.run(store.every)


def looking(ctx: Context, actor: Actor) -> set[int]:
    """Those whose files are looked for, compared or brought in just now."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: store.busy(tx, (KIND, "files.plan", "files.apply")))


def save(ctx: Context, actor: Actor, source_id: int | None, texts: Mapping[str, str], marks: Marks = None) -> None:
    """Have files looked for, or otherwise than before; from now on they are brought in for who says so.

    Raises Refused, Outdated, NotFound.
    """
    actor.require(Role.EDITOR)
    person = users.email_of(ctx, actor.user_id) if actor.user_id else None
    if person is None:
        said = "Only a person can say where files come from: they are brought in for them."
        raise Refused.because("source.nobody", said)
    wanted = rules.read(texts, {row["id"]: row["name"] for row in profiles.list_all(ctx, actor)})
    mine = {name: getattr(wanted, name, person) for name in FILE_SOURCE.columns()}
    mine["leave_out"] = int(wanted.leave_out)

    def work(tx: Tx) -> None:
        title = f"Files come {'otherwise' if source_id else 'by themselves'}: {wanted.name}"
        with history.change_set(tx, actor, "source.save", title) as recorder:
            if source_id is None:
                recorder.made("file_source", declared.insert(tx, FILE_SOURCE, mine), mine)
                return
            row = _there(tx, source_id, lock=True)
            if at_set_times.change(tx, recorder, FILE_SOURCE, source_id, held(row), row["version"], mine, marks):
                store.begin_anew(tx, source_id)

    ctx.db.run(work)


def held(row: SourceRow) -> dict[str, Any]:
    """What its record holds."""
    return {name: row[name] for name in FILE_SOURCE.columns()}  # type: ignore[literal-required]


def remove(ctx: Context, actor: Actor, source_id: int) -> None:
    """Look for its files no more; those that came stay. Raises NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        row = _there(tx, source_id)
        with history.change_set(tx, actor, "source.remove", f"Files come no more: {row['name']}") as recorder:
            recorder.removed("file_source", source_id, held(row), row["version"])
            declared.delete(tx, FILE_SOURCE, source_id)

    ctx.db.run(work)


def look_now(ctx: Context, actor: Actor, source_id: int) -> None:
    """Look for its files at once, in the background. Raises NotFound."""
    actor.require(Role.EDITOR)
    ctx.db.run(lambda tx: _enqueue(tx, actor, _there(tx, source_id)))


def read(ctx: Context, actor: Actor, source_id: int) -> SourceRow:
    """One of them. Raises NotFound."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: _there(tx, source_id))


def _there(tx: Tx, source_id: int, *, lock: bool = False) -> SourceRow:
    row = store.read(tx, source_id, lock=lock)
    if row is None:
        raise NotFound("This is not there any more.")
    return row


def _enqueue(tx: Tx, actor: Actor, row: SourceRow) -> None:
    request = JobRequest(KIND, f"Look for files: {row['name']}", {"source_id": row["id"]}, "/files/sources")
    enqueue_once(tx, actor, request)


# --- at set times --------------------------------------------------------------------------------------------


def _next(ctx: Context, every: str, minute: int, after: datetime) -> datetime:
    return rules.next_after(every, minute, after.replace(tzinfo=UTC), ctx.settings.time_zone)


def next_of(ctx: Context, row: SourceRow) -> datetime:
    """When its files are looked for next."""
    return _next(ctx, row["every"], row["minute"], row["reached"])


def next_after(ctx: Context, tx: Tx, after: datetime) -> datetime | None:
    """When any of them is looked for next."""
    return min((_next(ctx, row["every"], row["minute"], after) for row in store.every(tx)), default=None)


def follow_change(tx: Tx, recorded: Recorded) -> None:
    """One was added, or came back: the clock is set anew."""
    if recorded.wrote.any_of("file_source"):
        timekeeping.wake(tx, CLOCK, tx.value("SELECT UTC_TIMESTAMP(3)"))


def arrive(ctx: Context, tx: Tx, moment: datetime) -> None:
    """Look for those whose time it is, or was since they were looked for last."""
    for row in store.every(tx):
        if next_of(ctx, row) <= moment.replace(tzinfo=UTC):
            store.reach(tx, row["id"], moment.replace(tzinfo=None))
            _enqueue(tx, SYSTEM, row)


# --- for the worker ------------------------------------------------------------------------------------------


def look(run: JobRun) -> None:
    """Take what is there, and begin its dry run where it is not what came last."""
    source_id = int(run.payload["source_id"])
    row = run.ctx.db.run(lambda tx: store.read(tx, source_id))
    if row is None:
        run.ctx.db.run(lambda tx: run.finish(tx, "It is not looked for any more."))
        return
    try:
        said = _taken(run.ctx, row)
    except (NotFetched, NoRoom, NotAllowed, Refused, NotFound, OSError) as trouble:
        said = f"The folder {INCOMING}: {trouble.strerror}." if isinstance(trouble, OSError) else str(trouble)
        if _waits(row) and isinstance(trouble, NotFetched):
            said = f"{row['said'].partition(SINCE)[0]}{SINCE}{said}"
        run.ctx.db.run(lambda tx: store.note(tx, source_id, said, asks=True))
        raise Refused.because("source.failed", said) from trouble
    run.ctx.db.run(lambda tx: run.finish(tx, said))


def _taken(ctx: Context, row: SourceRow) -> str:
    """Begin the dry run of what is there; returns what came of it.

    Raises NotFetched, NoRoom, NotAllowed, Refused, NotFound, OSError.
    """
    actor = users.actor_by_email(ctx, row["person"])
    actor.require(Role.EDITOR)
    if row["profile_id"] is None:
        raise Refused.because("source.profile", "The profile by which its files are read is not there any more.")
    if rules.is_fetched(row["place"]):
        with tempfile.TemporaryFile(dir=ctx.folder("uploads")) as content:
            most = taking.MOST_BYTES
            name = fetching.fetch_into(content, ctx.settings, row["place"], most, FETCH_SECONDS) or "file"
            content.seek(0)
            return _begun(ctx, actor, row, name, content) or _noted(ctx, row, "Nothing new.")
    return _of_folder(ctx, actor, row)


def _of_folder(ctx: Context, actor: Actor, row: SourceRow) -> str:
    """The oldest file that is not what came before; what can't be read lies aside too, and is in nobody's way."""
    said = "Nothing was there."
    while path := _oldest(ctx.folder(INCOMING), row["place"]):
        try:
            with path.open("rb") as content:
                begun = _begun(ctx, actor, row, path.name, content)
        except Refused:
            _put_aside(path)
            raise
        _put_aside(path)
        if begun:
            return begun
        said = "Nothing new."
    return _noted(ctx, row, said)


def _begun(ctx: Context, actor: Actor, row: SourceRow, name: str, content: Content) -> str:
    """Begin the dry run; "" where it is what came last."""
    sha256 = hashlib.file_digest(content, "sha256").hexdigest()
    if sha256 == row["sha256"]:
        return ""
    content.seek(0)
    file_id = service.take(ctx, actor, name, content)
    said = f"{name} came; its dry run is being made."
    ctx.db.run(lambda tx: store.note(tx, row["id"], said, sha256=sha256, file_id=file_id))
    service.use(ctx, actor, file_id, row["profile_id"] or 0, source_id=row["id"])
    return said


def _noted(ctx: Context, row: SourceRow, said: str) -> str:
    """Where nothing came, somebody still has to look at what came before."""
    if not _waits(row):
        ctx.db.run(lambda tx: store.note(tx, row["id"], said))
    elif SINCE in row["said"]:  # it can be looked for again
        ctx.db.run(lambda tx: store.note(tx, row["id"], row["said"].partition(SINCE)[0], asks=True))
    return said


def _waits(row: SourceRow) -> bool:
    """Somebody has to look at what came last."""
    return bool(row["is_asking"] and row["file_id"] and not row["is_in"])


def _oldest(folder: Path, pattern: str) -> Path | None:
    """The oldest file of a name that nobody writes to any more, so that they come in in their order. Links are followed
    nowhere."""
    found = [
        (one.stat().st_mtime, one)
        for one in folder.iterdir()
        if fnmatchcase(one.name, pattern) and one.is_file() and not one.is_symlink()
    ]
    settled = [(at, one) for at, one in found if at < time.time() - SETTLED_SECONDS]
    return min(settled)[1] if settled else None


def _put_aside(path: Path) -> None:
    """What was taken lies in a folder beside, and is not taken again."""
    beside = path.parent / TAKEN
    beside.mkdir(exist_ok=True)
    with suppress(FileNotFoundError):
        os.replace(path, beside / f"{datetime.now(UTC):%Y%m%d-%H%M%S-%f}-{path.name}")


def follow_file(tx: Tx, run: JobRun) -> None:
    """Of a file that came by itself: bring it in when its dry run is made, or leave it for somebody to look at; look
    for the next one when it is done."""
    row = file_store.read(tx, int(run.payload["file_id"]))
    if row is None:
        return
    if row["state"] == "applied":  # also where somebody brought it in that waited
        for done in store.of_file(tx, row["id"]):
            store.note(tx, done["id"], f"{row['name']} was brought in.")
            _go_on(tx, done)
        return
    source = store.read(tx, int(run.payload.get("source_id", 0)))
    if source is None:
        return
    counts = row["counts"] or {}
    prices = (row["overview"] or {}).get("fields", {}).get("price", 0)
    leave_out = bool(source["leave_out"])
    if why := rules.asks(counts, prices, source["bound"], leave_out=leave_out):
        store.note(tx, source["id"], f"{row['name']} waits for somebody: {why}", asks=True)
        telling.waits(run, tx, row["id"], why)
    elif counts.get("new", 0) + counts.get("changed", 0):
        store.note(tx, source["id"], f"{row['name']} is being brought in.")
        service.begin_apply(tx, run.actor, row["id"], leave_out=leave_out, source_id=source["id"])
    else:
        store.note(tx, source["id"], f"{row['name']} changes nothing.")
        _go_on(tx, source)


def _go_on(tx: Tx, source: SourceRow) -> None:
    """In the folder more may lie."""
    if not rules.is_fetched(source["place"]):
        _enqueue(tx, SYSTEM, source)
