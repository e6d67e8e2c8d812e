"""Rolling back in the background."""

from graupel.db import Tx
from graupel.features.history import service
from graupel.jobs import JobRun


def rollback(run: JobRun) -> None:
    """Roll one change set back, whole, in one transaction."""
    change_set_id = int(run.payload["change_set_id"])
    run.progress("Putting back")

    def work(tx: Tx) -> None:
        by = service.roll_back(run.ctx, tx, run.actor, change_set_id)
        run.finish(tx, "Rolled back.", f"/history/{by}")

    run.ctx.db.run(work)
