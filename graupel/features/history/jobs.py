"""Rolling back in the background."""

from graupel.core.showing import plural
from graupel.db import Tx
from graupel.features.history import rolling_back
from graupel.features.history.rolling_back import Outcome
from graupel.jobs import JobRun


def rollback(run: JobRun) -> None:
    """Roll one change set back, whole, in one transaction."""
    change_set_id = int(run.payload["change_set_id"])
    run.progress("Putting back")

    def work(tx: Tx) -> None:
        outcome = rolling_back.roll_back(run.ctx, tx, run.actor, change_set_id)
        run.finish(tx, in_words(outcome, done=True), f"/history/{outcome.by or change_set_id}")

    run.ctx.db.run(work)


def plan(run: JobRun) -> None:
    """Work out what a roll back of a large change set would do."""
    change_set_id = int(run.payload["change_set_id"])
    run.progress("Working out what would go back")
    outcome = rolling_back.plan(run.ctx, run.actor, change_set_id)
    run.ctx.db.run(lambda tx: run.finish(tx, in_words(outcome, done=False), f"/history/{change_set_id}"))


def in_words(outcome: Outcome, *, done: bool) -> str:
    """What a roll back did, or would do."""
    goes, stays = ("went", "stayed") if done else ("would go", "would stay")
    if not outcome.back:
        return f"Nothing {goes} back: it was changed since, or taken back already."
    parts = [f"{plural(outcome.back, 'record')} {goes} back"]
    if outcome.part:
        parts.append(f"{outcome.part:,} of them in part")
    if outcome.stay:
        parts.append(f"{outcome.stay:,} {stays} as they are")
    return f"{', '.join(parts)}."
