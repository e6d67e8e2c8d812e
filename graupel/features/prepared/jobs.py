"""Prepared changes whose moment has come, and large ones."""

from datetime import UTC, datetime

from graupel.context import Context
from graupel.core.errors import Refused
from graupel.core.roles import SYSTEM, Actor, Role
from graupel.db import Tx
from graupel.features.prepared import mails, service, store
from graupel.features.prepared.rows import PreparedRow
from graupel.jobs import JobRequest, JobRun, enqueue

OVER = "It is not agreed to any more."


def next_after(ctx: Context, tx: Tx, after: datetime) -> datetime | None:
    """The next moment for which one is set."""
    found = store.next_moment(tx, after.astimezone(UTC).replace(tzinfo=None))
    return found.replace(tzinfo=UTC) if found else None


def arrive(ctx: Context, tx: Tx, moment: datetime) -> None:
    """Have those done whose moment has come, each by itself, for who agreed to it."""
    for one in store.due(tx, moment.astimezone(UTC).replace(tzinfo=None)):
        request = JobRequest(service.DO, one["title"], {"prepared_id": one["id"]}, f"/prepared/{one['id']}")
        # From now on the job has it.
        store.change(tx, one["id"], apply_at=None, job_id=enqueue(tx, _decider(one), request))


def _decider(one: PreparedRow) -> Actor:
    return Actor(one["decided_by"], one["decider"], Role(one["role"]))


def _is_agreed(one: PreparedRow | None) -> bool:
    return one is not None and one["state"] == "agreed"


def do(run: JobRun) -> None:
    """Do one of them. For the worker."""
    prepared_id, looked = int(run.payload["prepared_id"]), bool(run.payload.get("looked"))
    one = run.ctx.db.run(lambda tx: store.read(tx, prepared_id))
    if not _is_agreed(one):
        run.ctx.db.run(lambda tx: run.finish(tx, OVER))
        return
    assert one is not None

    def work(tx: Tx) -> None:
        if not _is_agreed(store.read(tx, prepared_id, lock=True)):  # somebody decided on it meanwhile
            run.finish(tx, OVER)
            return
        change_set_id = service.write_by_itself(run.ctx, tx, run.actor, prepared_id, looked=looked)
        if not looked:
            mails.tell(run.ctx, tx, SYSTEM, prepared_id, mails.DONE)
        run.finish(tx, "Done. History can roll it back.", f"/history/{change_set_id}")

    def refused(tx: Tx, said: str) -> None:
        store.change(tx, prepared_id, state="refused", reply=said[: service.LONGEST_WORD])
        mails.tell(run.ctx, tx, SYSTEM, prepared_id, mails.REFUSED)

    try:
        if one["refers"] is None:
            run.ctx.db.run(work)
        else:
            service.begin(run.ctx, run.actor, prepared_id)
            run.ctx.db.run(lambda tx: run.finish(tx, "Begun."))
    except Refused as refusal:
        said = str(refusal)
        run.ctx.db.run(lambda tx: refused(tx, said))
        raise
