"""Bulk edits in the background."""

from graupel.db import Tx
from graupel.features.bulk import service
from graupel.jobs import JobRun


def apply(run: JobRun) -> None:
    """Do one bulk edit, whole, in one transaction."""
    run.progress("Writing")

    def work(tx: Tx) -> None:
        bulk_id = int(run.payload["bulk_id"])
        done = service.apply(run.ctx, tx, run.actor, bulk_id)
        look = f"/products/bulk/{bulk_id}" if done.moved else f"/history/{done.change_set_id}"
        run.finish(tx, done.said, look)

    run.ctx.db.run(work)
