"""Bulk edits in the background."""

from graupel.db import Tx
from graupel.features.bulk import service
from graupel.jobs import JobRun


def apply(run: JobRun) -> None:
    """Do one bulk edit, whole, in one transaction."""
    run.progress("Writing")

    def work(tx: Tx) -> None:
        change_set_id = service.apply(run.ctx, tx, run.actor, int(run.payload["bulk_id"]))
        run.finish(tx, "Done. History can roll it back.", f"/history/{change_set_id}")

    run.ctx.db.run(work)
